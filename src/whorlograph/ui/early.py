"""Keys that are typed faster than screens open and close: none is lost, and none acts on the wrong screen.

Over a slow line keys come in bursts: ``/``, a word, Enter and ``n`` all at once.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any
from weakref import WeakKeyDictionary

from textual import events
from textual.app import App
from textual.await_complete import AwaitComplete
from textual.screen import ModalScreen, Screen
from textual.widgets import Input

PATIENCE = 2.0  # seconds after which a key that waits somewhere keeps no other one back


class Order:
    """The order in which keys were typed: one that was kept back somewhere comes before all typed after it."""

    def __init__(self) -> None:
        self.count = 0
        self.kept: dict[int, float] = {}  # keys that wait, by number, since when

    def number(self, event: events.Key) -> int:
        """A key's number, given when it first comes."""
        if not hasattr(event, "typed"):
            self.count += 1
            event.typed = self.count  # type: ignore[attr-defined]
        found: int = event.typed  # type: ignore[attr-defined]
        return found

    def keep(self, event: events.Key) -> None:
        """A key waits, or is on its way again."""
        self.kept[self.number(event)] = time.monotonic()

    def due(self, event: events.Key) -> bool:
        """Whether a key may be handled now: no earlier one waits."""
        number, now = self.number(event), time.monotonic()
        self.kept = {n: since for n, since in self.kept.items() if now - since < PATIENCE}
        if any(n < number for n in self.kept):
            return False
        self.kept.pop(number, None)
        return True


_ORDERS: WeakKeyDictionary[App[Any], Order] = WeakKeyDictionary()


def order_of(app: App[Any]) -> Order:
    """The order of an application's keys."""
    return _ORDERS.setdefault(app, Order())


def again(app: App[Any], event: events.Key) -> None:
    """Give a key to whatever screen is on top now."""
    order = order_of(app)
    fresh = events.Key(event.key, event.character)
    fresh.typed = order.number(event)  # type: ignore[attr-defined]
    order.keep(fresh)
    app.post_message(fresh)


def elsewhere(screen: Screen[Any], event: events.Key) -> bool:
    """Whether a key, typed before another screen had opened over this one, has been sent there."""
    top = screen.app.screen
    if top is screen:
        return False
    if isinstance(top, Overlaid):
        top.take_early(event)
    else:
        again(screen.app, event)
    event.stop()
    event.prevent_default()
    return True


_EDITS: dict[str, Callable[[Input], None]] = {
    "backspace": Input.action_delete_left, "delete": Input.action_delete_right, "left": Input.action_cursor_left,
    "right": Input.action_cursor_right, "home": Input.action_home, "end": Input.action_end, "ctrl+a": Input.action_home,
    "ctrl+e": Input.action_end, "ctrl+u": Input.action_delete_left_all, "ctrl+k": Input.action_delete_right_all,
    "ctrl+w": Input.action_delete_left_word, "ctrl+d": Input.action_delete_right, "ctrl+left": Input.action_cursor_left_word,
    "ctrl+right": Input.action_cursor_right_word,
}


class Field(Input):
    """A field to type in; what is typed behind the Enter that ends it, or Esc, goes to the screen below."""

    ended = False

    async def on_event(self, event: events.Event) -> None:
        """Hand keys on once the field has done its work, or where something has opened over it."""
        if isinstance(event, events.Key) and isinstance(self.screen, Overlaid):
            if not self.screen.leaving and elsewhere(self.screen, event):
                return
            if self.ended or self.screen.leaving:
                self.screen.hand_down(event)
                return
            if event.key == "enter":  # at once: by way of bindings it would be lost where something has opened over this meanwhile
                self.ended = self.screen.ends(self.value)
                self.post_message(Input.Submitted(self, self.value))
                self.call_after_refresh(self._go_on)
                event.stop()
                event.prevent_default()
                return
            if event.key in ("escape", "ctrl+c"):  # closes the screen once it comes there; what was typed behind it is for the one below
                self.ended = True
                self.call_after_refresh(self._go_on)
            edit = _EDITS.get(event.key)
            if edit is not None:  # at once: by way of bindings it would come behind letters typed after it
                edit(self)
                event.stop()
                event.prevent_default()
                return
        await super().on_event(event)

    def _go_on(self) -> None:
        """Where Enter or Esc ended nothing after all, what was typed behind it is for this field."""
        if self.ended and isinstance(self.screen, Overlaid) and not self.screen.leaving:
            self.ended = False
            self.screen.give_back()

    def on_focus(self) -> None:
        """From now on keys come here."""
        if isinstance(self.screen, Overlaid):
            self.screen.open_up()


class Overlaid(ModalScreen[Any]):
    """A screen over another one: keys that come before its field can take them wait for it."""

    def __init__(self) -> None:
        super().__init__()
        self.ready = self.leaving = self.closing = self.gone = False
        self.result: Any = None
        self.waiting: list[events.Key] = []
        self.left_over: list[events.Key] = []

    def ends(self, text: str) -> bool:
        """Whether Enter ends the typing of this text."""
        return True

    def take_early(self, event: events.Key) -> None:
        """Take a key that was typed for this screen before it stood."""
        if self.ready:
            again(self.app, event)
        else:
            order_of(self.app).keep(event)
            self.waiting.append(event)

    def open_up(self) -> None:
        """Keys can be taken: those that wait come first."""
        if not self.ready:
            self.ready = True
            for event in sorted(self.waiting, key=order_of(self.app).number):
                again(self.app, event)
            self.waiting.clear()

    def keeps(self, event: events.Key) -> bool:
        """Whether a key came before the field could take it, or behind the one that closed the screen; then it waits."""
        if self.leaving:
            self.hand_down(event)
        elif not self.ready:
            self.take_early(event)
        else:
            return False
        return True

    def misplaced(self, event: events.Key) -> bool:
        """Whether a key is not for this screen, or not yet; then it waits, or is sent on."""
        if not self.keeps(event):
            return elsewhere(self, event)
        event.stop()
        event.prevent_default()
        return True

    def hand_down(self, event: events.Key) -> None:
        """Keep a key for the screen below."""
        if self.gone:
            again(self.app, event)
            return
        order_of(self.app).keep(event)
        self.left_over.append(event)

    def dismiss(self, result: Any = None) -> AwaitComplete:
        """Close, now or once nothing is open over this any more; what was typed behind the key that closes goes to the screen below."""
        if self.leaving:
            return AwaitComplete()
        self.leaving, self.result = True, result
        self.app.set_timer(0.01, self._flush)
        self.closing = self.app.screen is self
        return super().dismiss(result) if self.closing else AwaitComplete()

    def _flush(self) -> None:
        if self in self.app.screen_stack:
            if not self.closing and self.app.screen is self:
                self.closing = True
                super().dismiss(self.result)
            self.app.set_timer(0.01, self._flush)
            return
        self.gone = True
        self.give_back()

    def give_back(self) -> None:
        """Hand on the keys that waited here."""
        for event in sorted((*self.waiting, *self.left_over), key=order_of(self.app).number):
            again(self.app, event)
        self.waiting.clear()
        self.left_over.clear()
