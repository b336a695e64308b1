"""Help: what stands here first, then every key, made from the table of keys."""

from __future__ import annotations

import textwrap

from whorlograph.drawing.shapes import Ink, Run

from ..keys import ACTIONS, Action, keys_text
from .overlay import ListOverlay

_HERE = {
    "trail": ("The trail: why the tag is as it is, one cause a line, from the complaint down to the root.",
              "Up and Down walk along it; rungs and timeline follow to where and when each cause happened.",
              "◆ is a root: what to check, and where. p proves it, w asks about any tag, Backspace comes back."),
    "rungs": ("The rungs that the question runs through, as they were evaluated at the moment.",
              "Heavy lines carry power, thin broken ones do not; ✕ stands where a path stops.",
              "Arrows move from contact to contact; w asks why that tag is as it is."),
    "tags": ("Every tag: its value at the moment, how often it is read and written, what it is, what looks odd (!).",
             "Enter shows where a tag is used, w asks why it is as it is, / filters, s sorts."),
    "tag": ("One tag: every place that writes it, every place that reads it, and how; what decides it, what it decides.",
            "Enter goes to the rung or the tag under the cursor; Backspace comes back to this line."),
    "points": ("The points of the I/O with their values at the moment, as they stand on modules or terminal strips (s changes).",
               "w asks why a point is as it is, x shows where the program uses it."),
    "survey": ("What is in the program, what runs when and in which order, what was set aside of the files.",
               "Enter opens the POU or tag under the cursor."),
    "program": ("Every rung of a POU with power flow at the moment; a rung that did not run says since when and because of what.",
                "Up and Down go from rung to rung, Left and Right from element to element, Tab to the next POU; / searches."),
    "odd": ("What was unusual in this log: drop-outs unlike the others of their tag, the oddest first.",
            "Enter asks why; below stand what is tried in vain at the end, and what dropped out only once."),
    "disagreements": ("Where the log recorded a tag otherwise than the program computes it: another program ran, or the fault lies behind an output.",
                      "Enter goes to the moment."),
    "ways": ("What the tag needs to pull in: each smallest set of contacts, the nearest to this moment first. ✗ is missing, ✓ is there.",
             "s goes down to the inputs; Enter opens the rung or the tag."),
    "right": ("When what you ask about was last right, laid beside this time: what went otherwise, the first of it first.",
              "Enter goes to where it parted; on the timeline the thin lanes are the time when it was right."),
    "compared": ("What differs between another time and this moment: what the tag hangs on first, nearest first.",
                 "Enter shows where a tag is used; . and , move the moment a scan, ] and [ to the next change of the tag under the cursor."),
    "findings": ("What looks suspicious in the program before anything ran, and what it can cause.",
                 "Enter opens the rung, E explains the kind."),
    "explain": ("A page in plain words. Enter on a line below it opens what comes near.", "Without a word it lists all pages; / filters."),
    "asking": ("What can be asked of the tag at this moment, and each of its drop-outs with its reason: as usual, or only this time.",
               "Enter asks."),
    "standing": ("Without a log: give what the lamps of the cards and the panel show now, and ask why the tag is as it is.",
                 "Space: on, off, not given; of a number it asks for the value. Enter asks; what is not given is taken as declared.",
                 "w on another line asks of that tag with the same values; y copies the command."),
    "timeline": ("What the tags of the trail did. Low blocks are on; ▾ is a short opening, ▴ a short pulse, ░▒▓ many changes in one cell.",
                 "Left and Right move the moment, + and - zoom, 0 shows the whole log, [ and ] go from change to change."),
}


def _rows(action: Action, width: int) -> list[list[Run]]:
    """An action's keys and sentence, on as many lines as it takes."""
    parts = textwrap.wrap(action.sentence, max(20, width - 24))
    rows: list[list[Run]] = [[(f"  {keys_text(action):<21}", Ink.STRONG), (parts[0], Ink.TEXT)]]
    return rows + [[(" " * 23 + part, Ink.TEXT)] for part in parts[1:]]


def help_overlay(strand: str, width: int) -> ListOverlay:
    """The help page for a strand, for a screen of a width."""
    width = min(width, 124)
    lines: list[list[Run]] = [[("", Ink.TEXT)]]
    for i, sentence in enumerate(_HERE.get(strand, ())):
        lines += [[(f"  {part}", Ink.STRONG if i == 0 else Ink.TEXT)] for part in textwrap.wrap(sentence, width - 4)]
    lines.append([("", Ink.TEXT)])
    lines.append([("  A number before a key that moves makes its steps bigger: 5j, 20., 3].", Ink.TEXT)])
    lines.append([("", Ink.TEXT)])
    for action in ACTIONS:
        lines += _rows(action, width)
    return ListOverlay("help", lines, hint="arrows scroll · / searches · Esc closes")
