"""Help, the palette, colours, the mouse; leaving, and what could not be saved."""

from __future__ import annotations

from ..board import Board
from ..state import PageState
from ..views.prompt import Prompt, own_path
from .asking import Asking
from .controller import Controller
from .paging import Paging
from .timing import Timing


class Leaving(Controller):
    """The keys that act on the application, whatever is shown."""

    def __init__(self, board: Board, timing: Timing, paging: Paging, asking: Asking) -> None:
        super().__init__(board)
        self.timing, self.paging, self.asking = timing, paging, asking

    def do_help(self) -> None:
        """Help for where the focus is."""
        from ..views.help import help_overlay

        here = self.view.page.name if self.view.page is not None else self.view.strand
        self.board.app.push_screen(help_overlay(here, self.board.size.width))

    def do_palette(self) -> None:
        """Find anything."""
        from ..views.palette import palette_overlay

        overlay = palette_overlay(self.scene, self.desk.kept.marks, self.timing.time_of, self.desk.history("palette"),
                                  self.desk.by_use("done"), self.board.size.width)

        def take(value: object) -> None:
            self.desk.typed("palette", overlay.typed)
            self._chosen(value)

        self.board.app.push_screen(overlay, take)

    def _chosen(self, value: object) -> None:
        if not isinstance(value, tuple):
            return
        kind, what = value
        if kind == "do":
            self.board.do(what)
        elif kind == "why":
            self.asking.ask(what, None)
        elif kind == "rung" and self.scene is not None:
            self.paging.open_page(PageState("program", step=what))
        elif kind == "time" and self.scene is not None:
            self.timing.to_time(what, jump=True)

    def do_theme(self) -> None:
        """The next set of colours."""
        self.say(f"colours: {self.board.app.next_palette()}")  # type: ignore[attr-defined]
        self.board.renew()

    def do_mouse(self) -> None:
        """Give the mouse to the terminal, or take it back."""
        on = self.board.app.toggle_mouse()  # type: ignore[attr-defined]
        self.say("the mouse works here again" if on else "the mouse is the terminal's now: select and copy as usual; M takes it back")

    def do_take_over(self) -> None:
        """Marks, notes and lanes of the job on another state of the program."""
        self.say(self.desk.adopt(self.session) or "there is no job on another state of this program")

    def do_stop(self) -> None:
        """Stop what runs; say how to leave otherwise."""
        self.say("stopping" if self.board.work.stop() else "nothing runs; q leaves")

    def do_close(self) -> None:
        """Close; at the top, leave."""
        self.do_quit()

    def do_quit(self) -> None:
        """Leave; everything is saved already, or is now. What still runs is left to itself."""
        self.board.work.stop()
        self.desk.save()
        if not self.desk.problem:
            self.board.app.exit()
            return

        def elsewhere(text: str | None) -> None:
            path = own_path(text) if text else None
            if path is not None and path.suffix.lower() != ".json":
                path = path.with_name(f"{path.name}.json")
            if path is not None and not self.desk.save_to(path):
                self.do_quit()
                return
            self.board.app.exit()

        title = f"not saved: {self.desk.problem}; save the job as, or Esc leaves without"
        prompt = Prompt(title, "a file name; open --job takes it up", f"~/{self.session.paths.program.stem}.json")
        self.board.app.push_screen(prompt, elsewhere)
