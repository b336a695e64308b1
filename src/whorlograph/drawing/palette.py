"""Colours by meaning: dark (ink), light (paper), high contrast, and none (DESIGN section 8)."""

from __future__ import annotations

from msgspec import Struct

from .shapes import Ink


class Look(Struct, frozen=True):
    """Foreground, whether bold, and background ("" for none) of an ink."""

    fore: str
    bold: bool = False
    back: str = ""


class Palette(Struct, frozen=True):
    """A whole set of colours."""

    name: str
    ground: str
    raised: str
    text: str
    looks: dict[Ink, Look]
    dark: bool = True


def _palette(name: str, ground: str, raised: str, text: str, copper: str, slate: str, rose: str, gold: str, moss: str, dark: bool,
             chosen: str) -> Palette:
    looks = {
        Ink.TEXT: Look(text), Ink.QUIET: Look(slate), Ink.LIVE: Look(copper, True), Ink.DEAD: Look(slate),
        Ink.BLOCK: Look(rose, True), Ink.MOMENT: Look(gold, True), Ink.PROVED: Look(moss, True), Ink.STRONG: Look(text, True),
        Ink.ASIDE: Look(slate), Ink.CHOSEN: Look(text, True, chosen),
    }
    return Palette(name, ground, raised, text, looks, dark)


PALETTES: dict[str, Palette] = {
    "dark": _palette("dark", "#15181f", "#1d212b", "#dfe2e8", "#e8965a", "#8793a6", "#ff7d92", "#f1d68c", "#9fbf8f", True, "#2a3040"),
    "light": _palette("light", "#f6f1e7", "#ebe4d6", "#22262e", "#9a4a12", "#5b6575", "#b3203f", "#7a5b00", "#3f6b34", False, "#ddd3bf"),
    "contrast": _palette("contrast", "#000000", "#000000", "#ffffff", "#ffb070", "#c0c8d4", "#ff9fb0", "#ffe9a8", "#c8f0b0", True, "#303030"),
    "mono": Palette("mono", "", "", "", {ink: Look("", ink in (Ink.LIVE, Ink.STRONG, Ink.BLOCK, Ink.MOMENT, Ink.PROVED, Ink.CHOSEN))
                                         for ink in Ink}),
}
