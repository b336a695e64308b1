"""Keys that are typed faster than screens open and close: none is lost, and none acts on the wrong screen.

Over a slow line keys come in bursts: ``/``, a word, Enter and ``n`` all at once.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from textual import events
from textual.app import App
from textual.await_complete import AwaitComplete
from textual.screen import ModalScreen, Screen
from textual.widgets import Input


def again(app: App[Any], event: events.Key) -> None:
    """Give a key to whatever screen is on top now."""
    app.post_message(events.Key(event.key, event.character))


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
    "right": Input.action_cursor_right, "home": Input.action_home, "end": Input.action_end,
}


class Field(Input):
    """A field to type in; what is typed behind the Enter that ends it goes to the screen below."""

    ended = False

    async def on_event(self, event: events.Event) -> None:
        """Hand keys on once the field has done its work."""
        if isinstance(event, events.Key) and isinstance(self.screen, Overlaid):
            if self.ended or self.screen.leaving:
                self.screen.hand_down(event)
                return
            self.ended = event.key == "enter" and self.screen.ends(self.value)
            edit = _EDITS.get(event.key)
            if edit is not None:  # at once: by way of bindings it would come behind letters typed after it
                edit(self)
                event.stop()
                event.prevent_default()
                return
        await super().on_event(event)

    def on_focus(self) -> None:
        """From now on keys come here."""
        if isinstance(self.screen, Overlaid):
            self.screen.open_up()


class Overlaid(ModalScreen[Any]):
    """A screen over another one: keys that come before its field can take them wait for it."""

    def __init__(self) -> None:
        super().__init__()
        self.ready = self.leaving = False
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
            self.waiting.append(event)

    def open_up(self) -> None:
        """Keys can be taken: those that wait come first."""
        if not self.ready:
            self.ready = True
            for event in sorted(self.waiting, key=lambda e: e.time):
                again(self.app, event)
            self.waiting.clear()

    def misplaced(self, event: events.Key) -> bool:
        """Whether a key came before the field could take it, or behind the one that closed the screen; then it waits."""
        if self.leaving:
            self.hand_down(event)
        elif not self.ready:
            self.take_early(event)
        else:
            return elsewhere(self, event)
        event.stop()
        event.prevent_default()
        return True

    def hand_down(self, event: events.Key) -> None:
        """Keep a key for the screen below."""
        self.left_over.append(event)

    def dismiss(self, result: Any = None) -> AwaitComplete:
        """Close; what was typed behind the key that closes goes to the screen below once that is on top."""
        self.leaving = True
        closing = super().dismiss(result)
        self.app.set_timer(0.01, self._flush)
        return closing

    def _flush(self) -> None:
        if self in self.app.screen_stack:
            self.app.set_timer(0.01, self._flush)
            return
        for event in self.left_over:
            again(self.app, event)
        self.left_over.clear()
