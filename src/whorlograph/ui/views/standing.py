"""The form for asking without a log: what the lamps show now, and the answer for it."""

from __future__ import annotations

from collections.abc import Callable, Generator

from whorlograph.desk.given import Stood, command, form, stand_still, turned_on, with_number
from whorlograph.desk.listings import Listing
from whorlograph.desk.scene import Scene
from whorlograph.model.types import Family

from ..host import Host
from ..state import PageState
from .page import ListPage
from .prompt import Prompt


class ValuePrompt(Prompt):
    """Asks for a number; stays open until it is one."""

    def __init__(self, title: str, placeholder: str, read: Callable[[str], str | None]) -> None:
        super().__init__(title, placeholder)
        self.read = read

    def reading(self, text: str) -> tuple[str, bool]:
        """Whether the text is a value of the tag."""
        good = self.read(text) is not None
        return text if good else f"{text} is no value here: {self.placeholder}", good


class StandingPage(ListPage):
    """Values by Space, the answer by Enter; below the rung of the chosen line as it stands with what was given."""

    STEADY = False

    FOOTER = ("help", "palette", "back", "copy", "why", "xref", "search", "close")
    RUNG_NOTE = "as given"

    def __init__(self, main: Host, state: PageState) -> None:
        super().__init__(main, state)
        self.stood: Stood | None = None
        self._scene: Scene | None = None
        self._asked_for: str | None = None

    @property
    def tag(self) -> int:
        """The asked tag."""
        assert self.state.tag is not None
        return self.state.tag

    def laid_out(self, width: int) -> Listing:
        """The form, with the answer where it belongs to what is given."""
        return form(self.main.session, self.tag, self.state.word, self.stood, width)

    def rung_scene(self) -> tuple[Scene | None, int]:
        """The scene of the answer without a log."""
        return self._scene, self._scene.answer.scan if self._scene is not None else 0

    def do_fold(self) -> None:
        """The next state of a BOOL; a number is typed."""
        self._turn(1)

    def do_right(self) -> None:
        """The next state."""
        self._turn(1)

    def do_left(self) -> None:
        """The state before."""
        self._turn(-1)

    def _turn(self, steps: int) -> None:
        line, session = self.chosen(), self.main.session
        if line is None or line.tag is None or line.step >= 0:
            self.say("Space changes the lines of the form, below the answer")
            return
        tag = line.tag
        one = session.running.tags[tag]
        if one.type.family is Family.BOOL:
            self._give(turned_on(session, self.state.word, tag, steps))
            return

        def read(text: str) -> str | None:
            return with_number(session, self.state.word, tag, text)

        def typed(text: str | None) -> None:
            found = read(text) if text is not None else None
            if found is not None:
                self._give(found)

        self.app.push_screen(ValuePrompt(f"{one.name} now", f"a value of {one.type.name}; nothing: not given", read), typed)

    def _give(self, text: str) -> None:
        if text != self.state.word:
            chosen = self.chosen()
            self.stood = self._scene = None
            self.change(word=text)
            rows = [i for i, x in enumerate(self.shown) if x.stands and chosen is not None and x.tag == chosen.tag]
            if rows:
                self.change(row=rows[0])

    def do_follow(self) -> None:
        """Ask."""
        text, session, tag = self.state.word, self.main.session, self.tag
        self._asked_for = text

        def job() -> Generator[str, None, Stood]:
            yield "letting everything come to rest with what is given"
            return stand_still(session, tag, text)

        if not self.main.work.start("standing", job):
            self.say("something else is still running: Ctrl+C stops it")

    def take(self, result: object) -> None:
        """Show an answer, where it still belongs to what is given."""
        if isinstance(result, Stood) and self._asked_for == self.state.word:
            self.stood, self._scene = result, Scene(result.session, result.answer)
            self.change(row=0)
            self.say(result.answer.text)

    def do_why(self) -> None:
        """Another tag, with the same values."""
        tag = self.chosen_tag()
        if tag is not None and tag != self.tag:
            self.main.open_page(PageState("standing", tag=tag, word=self.state.word))
        else:
            self.do_follow()

    def do_copy(self) -> None:
        """Copy the command that prints the answer."""
        text = command(self.main.session, self.tag, self.state.word)
        self.app.copy_to_clipboard(text)
        self.say(f"copied: {text}")
