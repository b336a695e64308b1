"""Where a log does not say which column is which, the screen asks; the answer is kept in the job and stands in a profile."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from click.testing import CliRunner

from tests.pilot import OnScreen
from tests.pilot.walking import answered, screen_text, until
from whorlograph.cli.main import cli
from whorlograph.desk.columns import kept_columns, suggested, unbound, with_columns
from whorlograph.desk.session import Paths, Session, load
from whorlograph.formats.logs.look import look
from whorlograph.formats.profile import read_profile
from whorlograph.model.profile import Profile
from whorlograph.model.question import Question
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.first import Opening

_PROGRAM = "PROGRAM P VAR X AT %IX0.0 : BOOL; Y AT %QX0.0 : BOOL; N : INT; END_VAR\nY := X;\nEND_PROGRAM\n"
_STRANGE = "Logger 9\n\nno;nr;state;moment\n7;X;0;0\n3;X;1;1\n9;X;0;2\n1;X;1;2,5\n"


class Columns(OnScreen):
    """One program and strange logs."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.program, self.log, self.jobs = self.folder / "p.st", self.folder / "log.csv", self.folder / "jobs"
        self.program.write_text(_PROGRAM)
        self.paths = Paths(self.program, (self.log,))

    def app(self) -> WhorlographApp:
        def again(columns: dict[str, str] | None) -> tuple[Session, Question | None]:
            known = kept_columns(self.paths, self.jobs, None) if columns is None else columns
            session = load(with_columns(self.paths, known, self.jobs))
            doubt = unbound(session) if columns is None else None
            if doubt is not None:
                raise doubt
            return session, Question(session.tag("Y"))

        return WhorlographApp(None, None, jobs=self.jobs, opening=Opening("p", "p.st, log.csv", lambda: again(None), again))

    async def test_asked_once_then_known(self) -> None:
        self.log.write_text("Logger 9\n\nno;place;moment;state\n" + "".join(f"{n};X;{t};{v}\n" for n, t, v in ((7, "a1", 0), (3, "0", 0), (9, "1", 1), (1, "2,5", 0))))
        app = self.app()
        async with app.run_test(size=(80, 24)) as pilot:
            await until(pilot, lambda: "Which column is the time?" in screen_text(app), "the question")
            await pilot.press("right", "right", "enter")
            await until(pilot, lambda: "Which column names the tag?" in screen_text(app), "the second")
            self.assertIn("each of the other", screen_text(app))
            await pilot.press("backspace")
            await until(pilot, lambda: "Which column is the time?" in screen_text(app), "one back")
            await pilot.press("right", "right", "enter", "right", "enter")
            await until(pilot, lambda: "Which column holds the value?" in screen_text(app), "the third")
            self.assertNotIn("each of the other", screen_text(app))
            await pilot.press("right", "enter")
            await answered(pilot, app)
            self.assertIn("went off", screen_text(app))
            app.save()
            self.assertEqual(app.main.desk.job.columns, {"time": "moment", "tag": "place", "value": "state"})
            self.assertTrue(any(Path(str(app.main.session.paths.profile)).name in w.command for w in app.main.desk.job.walk))
        self.assertEqual(kept_columns(self.paths, self.jobs, None), {"time": "moment", "tag": "place", "value": "state"})
        app = self.app()
        async with app.run_test(size=(80, 24)) as pilot:
            await answered(pilot, app)
            self.assertEqual(app.main.session.profile.log_time, "moment")

    async def test_a_wrong_answer_is_asked_again_and_esc_says_what_is_missing(self) -> None:
        self.log.write_text("no;place;moment;state\nq;X;a1;0\nr;X;0;0\ns;X;1;1\nt;X;2;0\n")
        app = self.app()
        async with app.run_test(size=(80, 24)) as pilot:
            await until(pilot, lambda: "Which column is the time?" in screen_text(app), "the question")
            await pilot.press("enter", "left", "enter")  # the numbers are no times, and nothing else is a tag
            await until(pilot, lambda: "can be used" in screen_text(app), "the question again")
            await pilot.press("escape")
            await until(pilot, lambda: app.failure is not None, "the end")
        self.assertIn("rows can be used", str(app.failure))

    def test_a_profile_is_suggested_and_read_back(self) -> None:
        self.log.write_text(_STRANGE)
        text = suggested(self.paths)
        path = self.folder / "s.toml"
        path.write_text(text)
        profile = read_profile(path)
        self.assertEqual((profile.log_time, profile.log_tag, profile.log_value, profile.log_skip), ("moment", "nr", "state", 2))
        self.assertEqual(load(Paths(self.program, (self.log,), None, path)).log.set_aside, 0)
        found = CliRunner().invoke(cli, ["open", str(self.program), str(self.log), "--suggest-profile"])
        self.assertEqual(found.output, text)

    def test_the_given_profile_stays_in_force(self) -> None:
        given = self.folder / "given.toml"
        given.write_text('scan_time = "20ms"\nexternal = ["N"]\n[system]\nblink."Y Z" = "100ms"\n[log]\nskip = 2\n')
        self.log.write_text(_STRANGE)
        made = with_columns(Paths(self.program, (self.log,), None, given), {"time": "moment", "tag": "nr", "value": "state"}, self.jobs)
        profile, before = read_profile(made.profile), read_profile(given)
        self.assertEqual((profile.scan_time, profile.external, profile.blink, profile.log_skip, profile.log_time), (20_000_000, ("N",), before.blink, 2, "moment"))

    def test_what_a_log_looks_like(self) -> None:
        for text, time, skip in ((_STRANGE, "moment", 2), ("a,b\n1,2\n", "", 0), ("when,what\n2031-04-25 03:00,X\n2031-04-25 03:01,X\n", "when", 0)):
            self.log.write_text(text)
            seen = look(self.log, Profile())
            self.assertEqual((seen.time, seen.skip), (time, skip), text)


if __name__ == "__main__":
    unittest.main()
