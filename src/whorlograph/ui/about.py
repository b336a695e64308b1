"""What each view is, and what one can do there."""

from __future__ import annotations

# By view: what it is, and what one can do there, a key and a few words each.
HERE: dict[str, tuple[str, tuple[tuple[str, str], ...]]] = {
    "trail": ("The trail: why the tag is as it is, one cause a line, from the complaint down to the root ◆: what to check, and where.",
              (("Down Up", "walk along the causes; rungs and timeline follow"), ("w", "ask why of the tag under the cursor"),
               ("p", "prove: the same log with that device put the other way"), ("r", "when it was last right, and what went otherwise"),
               ("e", "the answer on paper"))),
    "rungs": ("The rungs that the question runs through, as they were evaluated at the moment. Heavy lines carry power, ✕ is where it stops.",
              (("arrows", "from contact to contact"), ("w", "ask why that tag is as it is"), ("x", "where that tag is used"),
               ("v", "values under the tags"), ("P", "the whole program from here"))),
    "timeline": ("What the tags of the trail did. Low blocks are on; ▾ is a short opening, ▴ a short pulse, ░▒▓ many changes in one cell.",
                 (("Left Right", "move the moment"), ("+ -", "zoom; 0 shows the whole log"), ("] [", "to the next change of the chosen tag"),
                  ("m", "mark this moment; d compares it with another time"),
                  ("z Space", "lanes of your own under a name; a lane tall, or folded away"))),
    "tags": ("Every tag: its value at the moment, how often it is read and written, what it is, what looks odd (!).",
             (("/", "only those with these letters"), ("Enter", "where a tag is used"), ("w", "why it is as it is"), ("s", "another order"),
              ("a", "a lane on the timeline"))),
    "tag": ("One tag: every place that writes it, every place that reads it, and how; what decides it, what it decides.",
            (("Enter", "to the rung or tag of the line"), ("w", "why it is as it is"), ("] [", "to its next change"), ("W", "what it needs"),
             ("Backspace", "back to where you came from"))),
    "points": ("The points of the I/O with their values at the moment, as they stand on modules or terminal strips.",
               (("s", "by module, by terminal strip"), ("/", "only those with these letters"), ("w", "why a point is as it is"),
                ("x", "where the program uses it"), ("] [", "to its next change"))),
    "survey": ("What is in the program, what runs when and in which order, what was set aside of the files, how the outputs stand.",
               (("Enter", "opens the POU or tag"), ("w", "why an output is as it is"), ("C", "what looks suspicious"),
                ("D", "where log and program disagree"), ("!", "what was set aside"))),
    "program": ("Every rung of a POU with power flow at the moment; a rung that did not run says since when and because of what.",
                (("arrows", "from rung to rung, from contact to contact"), ("Tab", "the next POU"), ("/", "a tag or word on rungs"),
                 ("w", "why that tag is as it is"), ("Enter", "where that tag is used"))),
    "odd": ("What was unusual in this log: drop-outs unlike the others of their tag, the oddest first; then what stays off, what fell once.",
            (("Enter", "asks why of the line"), ("/", "only those with these letters"), ("E", "explains"), ("D", "where log and program disagree"),
             ("Backspace", "back"))),
    "disagreements": ("Where the log recorded a tag otherwise than the program computes it: another program ran, or the fault lies behind "
                      "an output.",
                      (("Enter", "goes to the moment"), ("w", "why it was computed so"), ("x", "where the tag is used"),
                       ("S", "which program file this is"), ("Backspace", "back"))),
    "ways": ("What the tag needs to pull in: each smallest set of contacts, the nearest to this moment first. ✗ is missing, ✓ is there.",
             (("s", "down to the inputs"), ("Enter", "opens the rung or tag"), ("w", "why that one is as it is"), ("] [", "to its next change"),
              ("Backspace", "back"))),
    "right": ("When what you ask about was last right, laid beside this time: what went otherwise, the first of it first.",
              (("Enter", "goes to where it parted; thin lanes are the time when it was right"), ("w", "why that tag is as it is"),
               ("x", "where it is used"), ("d", "compare any two moments"), ("Backspace", "back"))),
    "compared": ("What differs between another time and this moment: what the tag hangs on first, the nearest of it first.",
                 (("Enter", "where a tag is used"), ("w", "why it is as it is"), (". ,", "this moment a scan on, a scan back"),
                  ("/", "only those with these letters"), ("Backspace", "back"))),
    "findings": ("What looks suspicious in the program before anything ran, and what it can cause.",
                 (("Enter", "opens the rung"), ("E", "explains the kind"), ("w", "why that tag is as it is"), ("/", "only those with these letters"),
                  ("Backspace", "back"))),
    "explain": ("A page in plain words.", (("Enter", "opens what comes near"), ("/", "only those with these letters"), ("Up Down", "scroll"),
                                           ("Backspace", "back"))),
    "asking": ("What can be asked of the tag at this moment, and each of its drop-outs with its reason: as usual, or only this time.",
               (("Enter", "asks"), ("s", "what is unlike the others first, or the latest"), ("x", "where the tag is used"), ("W", "what it needs"),
                ("Backspace", "back"))),
    "standing": ("Without a log: give what the lamps of the cards and the panel show now, and ask why the tag is as it is.",
                 (("Space", "on, off, not given; of a number it asks for the value"), ("Enter", "asks; what is not given is taken as declared"),
                  ("w", "asks of another line with the same values"), ("y", "copies the command"), ("Backspace", "back"))),
    "walk": ("What was asked, proved and marked so far, in order.",
             (("Up Down", "scroll"), ("/", "only those with these letters"), ("e", "the answer on paper"), ("'", "twice: marks and notes"),
              ("Backspace", "back"))),
}


def about(view: str) -> str:
    """What a view is, in a sentence; "" where nothing is said of it."""
    return HERE[view][0] if view in HERE else ""
