"""The one table of keys: from it come what keys do, help, palette, footer and the tests."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING

from msgspec import Struct

from whorlograph.drawing.shapes import Ink, Run

if TYPE_CHECKING:
    from textual.events import Key


class Action(Struct, frozen=True):
    """Something the screen does: its name, the keys that do it, where, a label, and a sentence."""

    name: str
    keys: tuple[str, ...]
    label: str
    sentence: str
    where: str = "everywhere"
    footer: bool = False


ACTIONS: tuple[Action, ...] = (
    Action("help", ("question_mark", "f1"), "help", "help for where you stand, then all keys", footer=True),
    Action("palette", ("ctrl+p", "colon"), "find anything", "find an action, tag, rung or time by typing", footer=True),
    Action("down", ("down", "j"), "down", "next line, element or lane"),
    Action("up", ("up", "k"), "up", "line, element or lane before"),
    Action("right", ("right", "l"), "right", "next element; in the timeline: later"),
    Action("left", ("left", "h"), "left", "element before; in the timeline: earlier"),
    Action("far_right", ("shift+right", "L"), "far right", "in the timeline: ten cells later"),
    Action("far_left", ("shift+left", "H"), "far left", "in the timeline: ten cells earlier"),
    Action("page_down", ("pagedown", "ctrl+d"), "page down", "half a page down"),
    Action("page_up", ("pageup", "ctrl+u"), "page up", "half a page up"),
    Action("start", ("home", "g"), "start", "first line; in the timeline: the log's start"),
    Action("end", ("end", "G"), "end", "last line; in the timeline: the log's end"),
    Action("next_strand", ("tab",), "next part", "trail, rungs, timeline in turn", footer=True),
    Action("previous_strand", ("shift+tab",), "part before", "trail, rungs, timeline in turn, backwards"),
    Action("follow", ("enter",), "follow", "go to the rung and moment of this line; fold or open it where you stand already"),
    Action("fold", ("space",), "fold", "fold or unfold the trail below this line; a number's lane tall, any lane away", "trail and timeline"),
    Action("root", ("semicolon",), "first root", "the first root of the trail; once more, the next", "trail"),
    Action("why", ("w",), "ask why", "ask why the tag under the cursor is as it is at this moment", footer=True),
    Action("prove", ("p",), "prove", "replay with the root put the other way, and see whether the symptom goes away", footer=True),
    Action("xref", ("x",), "cross-reference", "where the tag under the cursor is read and written, how, and what hangs on it", footer=True),
    Action("tags", ("X",), "all tags", "every tag in a table: value, uses, description, what looks odd"),
    Action("program", ("P",), "whole program", "every rung by POU, with power flow at the moment"),
    Action("points", ("F",), "field points", "every input and output on its module or terminal strip, with its value"),
    Action("survey", ("S",), "survey", "what is in the program, what runs when, what was set aside"),
    Action("asking", ("A",), "ask otherwise", "what can be asked of the tag under the cursor at this moment; its drop-outs with their reasons"),
    Action("standing", ("V",), "as it stands now", "without a log: give what the lamps show now, and ask why the tag under the cursor is as it is"),
    Action("ways", ("W",), "what it needs", "each smallest set of contacts that brings the tag under the cursor on, and what of it is missing"),
    Action("last_right", ("r",), "last right", "when this was last right, laid beside this time: what went otherwise, the first of it first"),
    Action("compare", ("d",), "compare moments", "what differs between another time, or a mark, and this moment"),
    Action("bench", ("b",), "bench", "go on by hand from this moment: operate inputs, scan by scan or running, force tags; nothing real is touched"),
    Action("change", ("Y",), "change", "change the element under the cursor, its rung or its tag, and see what that makes of the log", "rungs"),
    Action("revisions", ("B",), "other revision", "what differs from another revision of this program, and what that makes of the log"),
    Action("odd", ("U",), "what was unusual", "drop-outs of this log unlike the others of their tag, oddest first"),
    Action("cycles", ("Z",), "cycles", "what the machine does again and again, cycle beside cycle: the odd one, what grows"),
    Action("disagreements", ("D",), "disagreements", "where the log recorded a tag otherwise than the program computes it"),
    Action("findings", ("C",), "findings", "what looks suspicious in the program before anything ran"),
    Action("explain", ("E",), "explain", "a page in plain words on what stands under the cursor"),
    Action("search", ("slash",), "search", "a tag, a condition (LS_12 falls for < 50ms), words on rungs; in a list: lines",
           footer=True),
    Action("next_hit", ("n",), "next hit", "next place of the search"),
    Action("previous_hit", ("N",), "hit before", "place of the search before"),
    Action("sort", ("s",), "sort", "the next order of a list", "lists"),
    Action("next_scan", ("full_stop",), "next scan", "one scan on", footer=True),
    Action("previous_scan", ("comma",), "scan before", "one scan back"),
    Action("next_change", ("right_square_bracket", "o"), "next change", "next change of the tag under the cursor", footer=True),
    Action("previous_change", ("left_square_bracket", "i"), "change before", "previous change of the tag under the cursor"),
    Action("next_event", ("right_curly_bracket", "O"), "next that matters", "next change of any tag on the trail"),
    Action("previous_event", ("left_curly_bracket", "I"), "one before that matters", "previous change of any tag on the trail"),
    Action("go_time", ("t",), "go to time", "go to a time: 14:03:22.15, 12.5, +2s, scan 8123", footer=True),
    Action("zoom_in", ("plus", "equals_sign"), "zoom in", "half the time on the timeline"),
    Action("zoom_out", ("minus",), "zoom out", "twice the time on the timeline"),
    Action("zoom_fit", ("0",), "whole log", "the whole log on the timeline, or back to the complaint"),
    Action("add_lane", ("a",), "add lane", "a lane for the tag under the cursor, or for every tag of the rung at hand"),
    Action("watch", ("z",), "watch", "lanes of your own under a name: keep those in sight, or show a set"),
    Action("drop_lane", ("delete",), "take lane away", "take the chosen lane away: one that was added, or of a set that is watched", "timeline"),
    Action("lane_up", ("ctrl+up",), "lane up", "the chosen lane one up", "timeline"),
    Action("lane_down", ("ctrl+down",), "lane down", "the chosen lane one down", "timeline"),
    Action("values", ("v",), "values", "values under the tags of the rungs, or not"),
    Action("mark", ("m",), "mark", "m and a letter: mark this moment"),
    Action("go_mark", ("apostrophe",), "go to mark", "' and a letter: go to that mark; ' twice lists marks and notes"),
    Action("note", ("c",), "note", "write a sentence down at this moment, for the report"),
    Action("labels", ("f",), "letters", "a letter on everything in sight: press it to stand there, then w, x, a ..."),
    Action("undo", ("u",), "undo", "take back the last mark, note or lane"),
    Action("redo", ("ctrl+r",), "redo", "do again what was taken back"),
    Action("walk", ("J",), "done so far", "what was asked, proved and marked so far, in order"),
    Action("fresh", ("R",), "start fresh", "forget marks, notes, lanes (u brings them back) and what was done in this job, and show the complaint"),
    Action("take_over", ("K",), "take over", "marks, notes and lanes of the job that was kept on another state of this program"),
    Action("export", ("e",), "export", "the answer on paper: PDF, SVG or text, for the shift book"),
    Action("back", ("backspace", "escape"), "back", "the way back, through questions and moments", footer=True),
    Action("aside", ("exclamation_mark",), "set aside", "what was set aside, what the answer rests on, and the last messages once more"),
    Action("copy", ("y",), "copy command", "copy the command that prints this answer"),
    Action("theme", ("T",), "colours", "dark, light, high contrast, one colour"),
    Action("mouse", ("M",), "mouse", "leave the mouse to the terminal, or take it back"),
    Action("close", ("q",), "close", "close this view; at the top: leave", footer=True),
    Action("quit", ("ctrl+q",), "quit", "leave from anywhere"),
    Action("stop", ("ctrl+c",), "stop", "stop what runs; never leaves"),
)

# What people come for, in the order in which it mostly is wanted.
WANTED = ("why", "asking", "prove", "last_right", "search", "xref", "odd", "standing", "ways", "program", "points", "tags", "disagreements",
          "change", "bench", "revisions",
          "findings", "survey", "explain", "go_time", "compare", "next_change", "previous_change", "add_lane", "export", "note", "mark",
          "go_mark", "copy")
AT_THE_END = "it stands at the end already, or there is nothing that way"  # of a key that moves the cursor and could not
CURSOR = frozenset(("down", "up", "left", "right", "far_left", "far_right", "page_down", "page_up", "start", "end"))
_MOVEMENT = ("down", "up", "right", "left", "far_right", "far_left", "page_down", "page_up", "start", "end", "next_strand", "previous_strand",
             "follow")


def by_want(done: list[str]) -> list[Action]:
    """All actions: those that were done, the last of them first, then by how often; then what people come for; moving about comes last.

    Args: done: names of actions in that order.
    """
    order = {name: n for n, name in enumerate((*done, *(w for w in WANTED if w not in done)))}
    return sorted(ACTIONS, key=lambda a: (a.name in _MOVEMENT, order.get(a.name, len(order))))


BY_NAME: dict[str, Action] = {action.name: action for action in ACTIONS}
BY_KEY: dict[str, Action] = {key: action for action in ACTIONS for key in action.keys}

_SHOWN = {"question_mark": "?", "semicolon": ";", "colon": ":", "full_stop": ".", "comma": ",", "right_square_bracket": "]",
          "left_square_bracket": "[", "right_curly_bracket": "}", "left_curly_bracket": "{", "plus": "+", "equals_sign": "=", "minus": "-",
          "exclamation_mark": "!", "slash": "/", "apostrophe": "'",
          "space": "Space", "enter": "Enter", "tab": "Tab", "backspace": "Backspace", "escape": "Esc",
          "up": "Up", "down": "Down", "left": "Left", "right": "Right", "pageup": "Page Up", "pagedown": "Page Down", "home": "Home",
          "end": "End", "f1": "F1", "delete": "Delete"}


def key_text(key: str) -> str:
    """A key as a person reads it on the keyboard."""
    if key in _SHOWN:
        return _SHOWN[key]
    parts = key.split("+")
    held = len(parts) > 1
    return "+".join(_SHOWN.get(p, p.capitalize() if len(p) > 1 else p.upper() if held else p) for p in parts)


def keys_text(action: Action) -> str:
    """An action's keys, the first of them first."""
    return " ".join(key_text(k) for k in action.keys)


def footer_runs(width: int, names: tuple[str, ...] = (), labels: Mapping[str, str] = MappingProxyType({})) -> list[Run]:
    """The footer: as many keys as fit whole, help and palette first.

    Args: names: which; by default those so marked. labels: other words for some of them.
    """
    chosen = [BY_NAME[n] for n in names] if names else [a for a in ACTIONS if a.footer]
    runs: list[Run] = [(" ", Ink.QUIET)]
    used = 1
    for action in chosen:
        label = labels.get(action.name, action.label)
        text = f"{key_text(action.keys[0])} {label}"
        if used + len(text) + 3 > width:
            break
        runs += [(key_text(action.keys[0]), Ink.STRONG), (f" {label}", Ink.QUIET), ("   ", Ink.QUIET)]
        used += len(text) + 3
    return runs


def unknown_key(event: Key) -> str:
    """What to say of a key that does nothing."""
    shown = event.character if event.character and event.character.isprintable() else key_text(event.key)
    return f"{shown} does nothing here, ? lists the keys"
