"""Logs as recorders write them: the same five rows in many dresses, and what is never guessed."""

from __future__ import annotations

import datetime as dt
import tempfile
import unittest
from pathlib import Path

from tests.building import controller_of, program_of
from tests.texts import text_program
from whorlograph.engine.controller import Controller
from whorlograph.formats.logs import read_logs
from whorlograph.formats.profile import read_profile
from whorlograph.model.errors import LogError, ProfileError
from whorlograph.model.log import Clock, Log
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Profile

_ROWS = ((0, "X1", "0"), (0, "A", "25"), (1, "X1", "1"), (2, "X2", "1"), (3, "X2", "0"))
_LONG = "time,tag,value\n" + "".join(f"{t},{n},{v}\n" for t, n, v in _ROWS)


class Recorders(unittest.TestCase):
    """One program, many logs."""

    def setUp(self) -> None:
        self.controller = Controller(text_program("Y1 := X1 AND NOT X2 AND A > 3;"), Profile())
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "log.csv"

    def read(self, text: str, profile: Profile | None = None) -> Loaded[Log]:
        self.path.write_text(text, encoding="utf-8")
        return read_logs([self.path], self.controller.running, profile or Profile())

    def rows(self, log: Log) -> list[tuple[float, str, int]]:
        names = [t.name for t in self.controller.running.tags]
        return [(int(t) / 1e9, names[g], int(v)) for t, g, v in zip(log.times, log.tags, log.values, strict=True)]

    def same(self, text: str, profile: Profile | None = None) -> Loaded[Log]:
        loaded = self.read(text, profile)
        self.assertEqual(self.rows(loaded.value), [(float(t), n, int(v)) for t, n, v in _ROWS], text)
        self.assertEqual(loaded.value.set_aside, 0)
        return loaded

    def test_milliseconds_in_a_column_of_their_own(self) -> None:
        for head, form in (("Nr.\tDatum\tUhrzeit\tms\tX1", "{n}\t12.06.2031\t06:00:0{s}\t{ms}\t{v}"), ("time,msec,tag,value", "2031-06-12T06:00:0{s},{ms},X1,{v}"),
                           ("time,millis,tag,value", "{s},{ms},X1,{v}"), ("Date,Time,Milliseconds,Name,State", "6/12/2031,6:00:0{s} AM,{ms},X1,{v}")):
            rows = ((0, 125, 0), (0, 250, 1), (1, 5, 0), (2, 999, 1))
            loaded = self.read("\n".join([head, *(form.format(n=n, s=s, ms=ms, v=v) for n, (s, ms, v) in enumerate(rows))]) + "\n")
            with self.subTest(head):
                self.assertEqual([(round(t, 3), v) for t, _, v in self.rows(loaded.value)], [(0.0, 0), (0.125, 1), (0.88, 0), (2.874, 1)])
                self.assertEqual(loaded.value.set_aside, 0)

    def test_tags_called_as_columns_of_time_are(self) -> None:
        self.controller = Controller(text_program("Y1 := X1;", "MS AT %IX8.0 : BOOL; Day AT %IX8.1 : BOOL;"), Profile())
        loaded = self.read("time,MS,Day\n06:00:00,0,1\n06:00:01,1,0\n06:00:02,0,1\n")
        self.assertEqual(self.rows(loaded.value), [(0.0, "Main.MS", 0), (0.0, "Main.Day", 1), (1.0, "Main.MS", 1), (1.0, "Main.Day", 0),
                                                   (2.0, "Main.MS", 0), (2.0, "Main.Day", 1)])
        self.assertEqual(loaded.value.set_aside, 0)

    def test_times_and_dates_without_what_a_literal_begins_with(self) -> None:
        self.controller = Controller(text_program("Y1 := X1;", "Du : TIME; Da : DATE; Td : TOD; In : DT;"), Profile())
        given = {"Du": ("500ms", "1s500ms", "1.5 s", "00:00:01.5", "T#1s500ms", "1500000000"), "Da": ("2026-02-01", "01.02.2026", "D#2026-02-01", "2026-02-01 00:00:00"),
                 "Td": ("12:30:00", "12:30", "TOD#12:30:00"), "In": ("2026-02-01 12:30:00", "2026-02-01T12:30:00", "DT#2026-02-01-12:30:00")}
        day, noon = (dt.date(2026, 2, 1) - dt.date(1970, 1, 1)).days * 86_400_000_000_000, 45_000_000_000_000
        wanted = {"Du": 1_500_000_000, "Da": day, "Td": noon, "In": day + noon}
        for name, texts in given.items():
            for n, text in enumerate(texts):
                with self.subTest(name, text=text):
                    loaded = self.read(f"time,tag,value\n0,X1,1\n1,Main.{name},{text}\n")
                    self.assertEqual(loaded.notices, [])
                    self.assertEqual(int(loaded.value.values[-1]), 500_000_000 if (name, n) == ("Du", 0) else wanted[name])
        for name, text in (("Du", "soon"), ("Da", "2026-02-01 10:00:00"), ("Td", "noon"), ("In", "yesterday")):
            self.assertIn("is none of", str(self.read(f"time,tag,value\n0,X1,1\n1,Main.{name},{text}\n").notices[0]))

    def test_a_column_called_ms_that_is_something_else(self) -> None:
        for text in ("time,ms,tag,value\n0.5,250,X1,1\n1.25,250,X1,0\n", "time,ms,tag,value\n0,2500,X1,1\n1,2600,X1,0\n"):
            loaded = self.read(text)
            self.assertEqual([t for t, _, _ in self.rows(loaded.value)], [0.0, 0.75 if "0.5" in text else 1.0])
        loaded = self.read("time,ms,tag,value\n" + "".join(f"{n},{n % 1000},X1,{n & 1}\n" for n in range(4500)) + "4600,soon,X1,1\n")
        self.assertEqual((loaded.value.set_aside, len(loaded.value.times)), (1, 4500))
        self.assertIn("time '4600 soon' cannot be read", " ".join(str(n) for n in loaded.notices))

    def test_many_dresses_of_the_same_rows(self) -> None:
        for text in (
                _LONG, "Recorder 7\nStation, north\n\n" + _LONG, "# a remark\n; another\n" + _LONG.replace("1,X1", "# amid\n1,X1"), "#" + _LONG,
                _LONG.replace("X1", "%IX0.0").replace("X2", "%IX0.1"), _LONG.replace("X1", "IX0.0").replace("X2", "ix0.1"),
                _LONG.replace(",X1", ",Works.C.R.X1").replace(",X2", ",Works.C.R.X2").replace(",A", ",Works.C.R.A"),
                _LONG.replace("X1,1", "X1,yes").replace("X1,0", "X1,no").replace("X2,1", "X2,1.000").replace("X2,0", 'X2,"0.0"'),
                _LONG.replace("time,tag,value", "No.,time [s],tag,value").replace("\n0,", "\n7,0,").replace("\n1,", "\n8,1,").replace("\n2,", "\n9,2,").replace("\n3,", "\n10,3,"),
                "time (s);X1;A [cm];X2 [-]\n0;0;25;\n1;1;;\n2;;;1\n3;;;0\n",
                "time [ms],tag,value\n" + "".join(f"{1000 * t},{n},{v}\n" for t, n, v in _ROWS),
                "ts_ms,tag,value\n" + "".join(f"{1000 * t},{n},{v}\n" for t, n, v in _ROWS),
                "Time us;Signal;value\n" + "".join(f"{1000000 * t};{n};{v}\n" for t, n, v in _ROWS),
                "".join(f"# remark {n}\n" for n in range(199)) + _LONG):
            self.assertEqual([str(n) for n in self.same(text).notices], [], text[:60])

    def test_what_stands_above_names_dates_and_times_too(self) -> None:
        rows = "".join(f"12.06.2031 06:00:0{t};{n};{v}\n" for t, n, v in _ROWS)
        for above in ("Datum;12.06.2031\nZeit;06:00\n", "Report;Time;Station\nof;today;north\n", "time,tag\n"):
            self.same(above + "Zeit;Tag;Wert\n" + rows)
        self.same("Zeit;Tag;Wert\n" + rows.replace("\n", ";\n"))
        with self.assertRaises(LogError) as caught:
            self.read("time,tag,value\nsoon,X1,1\nlater,X1,0\n")
        self.assertIn("time 'soon' cannot be read", str(caught.exception))
        self.assertEqual(len(self.read("time,tag,value\n").value.times), 0)
        torn = self.read("time,tag,value\n?,X1,1\n" + _LONG.partition("\n")[2])
        self.assertEqual((len(torn.value.times), torn.value.set_aside), (5, 1))

    def test_since_1970(self) -> None:
        for scale in (1, 1_000, 1_000_000, 1_000_000_000):
            text = "time,tag,value\n" + "".join(f"{(1_931_000_000 + t) * scale},{n},{v}\n" for t, n, v in _ROWS)
            loaded = self.same(text)
            self.assertEqual((loaded.value.clock, loaded.value.origin), (Clock.ZONED, 1_931_000_000_000_000_000), scale)

    def test_a_small_number_stays_a_number_of_seconds(self) -> None:
        loaded = self.same("time,tag,value\n" + "".join(f"{5000 + t}.000,{n},{v}\n" for t, n, v in _ROWS))
        self.assertEqual((loaded.value.clock, loaded.value.origin), (Clock.SECONDS, 5_000_000_000_000))

    def test_dates_that_can_be_read_two_ways(self) -> None:
        def dated(day: str, more: str = "") -> str:
            return "time,tag,value\n" + "".join(f"{day} 06:00:0{t},{n},{v}\n" for t, n, v in _ROWS) + more
        loaded = self.same(dated("03/04/2031"))
        self.assertTrue(any("03/04/2031 can be read two ways; read as day first" in str(n) for n in loaded.notices))
        for clear in ("25/04/2031", "04/25/2031", "04/04/2031", "03.04.2031"):
            self.assertFalse(any("two ways" in str(n) for n in self.same(dated(clear)).notices), clear)
        for more, way in (("03/25/2031", "month"), ("25/03/2031", "day")):
            loaded = self.read(dated("03/04/2031", f"{more} 07:00:00,X1,0\n"))
            self.assertTrue(any(f"03/04/2031 can be read two ways; read as {way} first, as {more} shows" in str(n) for n in loaded.notices), loaded.notices)

    def test_times_in_other_forms(self) -> None:
        forms = ("2031-04-25T06:00:0{}Z", "20310425T06000{}Z", "20310425T06000{}.0+0000", "2031/04/25 06:00:0{}", "2031.4.25 06:00:0{}", "25-Apr-2031 06:00:0{}",
                 "25. avril 2031 06:00:0{}", '"Apr 25, 2031 6:00:0{} AM"', "25-APR-31 06:00:0{}", "25.04.2031 06:00:0{}:000", "06:00:0{}:000", "06:00:0{}")
        for form in forms:
            loaded = self.same("time,tag,value\n" + "".join(f"{form.format(t)},{n},{v}\n" for t, n, v in _ROWS))
            self.assertEqual([str(n) for n in loaded.notices], [], form)
            day = (dt.date(2031, 4, 25) - dt.date(1970, 1, 1)).days if "31" in form else 0
            self.assertEqual(loaded.value.origin, (day * 86_400 + 6 * 3600) * 1_000_000_000, form)
        for wrong in ("25-Abc-2031 06:00:0{}", "2031/13/25 06:00:0{}", "20310425060000{}", "25:06:00:0{}"):
            with self.assertRaises(LogError):
                self.read("time,tag,value\n" + "".join(f"{wrong.format(t)},{n},{v}\n" for t, n, v in _ROWS))

    def test_every_month_by_its_name(self) -> None:
        names = (("Jan", "January", "enero", "janv", "gennaio"), ("Feb", "févr", "fevereiro"), ("Mar", "März", "mars", "Mrz", "maart"), ("Apr", "avr", "abril"),
                 ("May", "Mai", "maggio", "mei", "maj"), ("Jun", "juin", "giugno", "Juni"), ("Jul", "juillet", "luglio"), ("Aug", "août", "agosto"),
                 ("Sep", "sept", "settembre"), ("Oct", "Okt", "ottobre", "outubro"), ("Nov", "novembre"), ("Dec", "Dez", "décembre", "dicembre"))
        for month, words in enumerate(names, 1):
            for word in words:
                loaded = self.read(f"time,tag,value\n03 {word} 2031 06:00:00,X1,1\n03 {word} 2031 06:00:01,X1,0\n")
                log = loaded.value
                self.assertEqual(log.origin // 86_400_000_000_000, (dt.date(2031, month, 3) - dt.date(1970, 1, 1)).days, word)

    def test_times_of_day_pass_midnight(self) -> None:
        rows = (("23:59:58", "X1", 0), ("23:59:59.5", "X1", 1), ("00:00:00", "A", 7), ("23:59:59.9", "A", 6), ("00:00:01", "X1", 0), ("12:00:00", "X1", 1),
                ("23:59:59", "X1", 0), ("00:00:02", "X1", 1))
        loaded = self.read("time,tag,value\n" + "".join(f"{t},{n},{v}\n" for t, n, v in rows))
        day = 86_400.0
        self.assertEqual([t for t, _, _ in self.rows(loaded.value)], [0, 1.5, 1.9, 2, 3, day / 2 + 2, day + 1, day + 4])
        self.assertTrue(any("pass midnight 2 times" in str(n) for n in loaded.notices), loaded.notices)
        back = self.read("time,tag,value\n06:00:02,X1,1\n06:00:01,X1,0\n")
        self.assertEqual([t for t, _, _ in self.rows(back.value)], [0, 1], "a row that comes late is no midnight")

    def test_other_signs_between_cells_and_no_header(self) -> None:
        self.same(_LONG.replace(",", "|"))
        for text in (_LONG.partition("\n")[2], _LONG.partition("\n")[2].replace(",", ";")):
            loaded = self.same(text)
            self.assertTrue(any("column 1, column 2, column 3 are taken as time, tag and value" in str(n) for n in loaded.notices), text)
        changed = self.same("time,tag,old,new\n" + "".join(f"{t},{n},9,{v}\n" for t, n, v in _ROWS))
        self.assertEqual(changed.value.unknown, ())

    def test_what_stands_twice_and_what_is_no_table(self) -> None:
        twice = self.read("time,X1,A,X1\n0,0,25,1\n1,1,26,0\n")
        self.assertTrue(any("X1 stands in several columns" in str(n) for n in twice.notices))
        self.assertEqual([v for _, n, v in self.rows(twice.value) if n == "X1"], [0, 1])
        with self.assertRaises(LogError) as caught:
            self.read('{"time": 0.1, "tag": "X1", "value": 1}\n')
        self.assertIn("looks like JSON", str(caught.exception))

    def test_open_and_closed_are_never_guessed(self) -> None:
        text = _LONG.replace("X1,1", "X1,closed").replace("X1,0", "X1,Open")
        loaded = self.read(text)
        self.assertEqual(loaded.value.set_aside, 2)
        self.assertTrue(any('[log] true = ["Open"] or false = ["Open"]' in str(n) for n in loaded.notices))
        self.same(text, Profile(log_true=("CLOSED",), log_false=("open",)))

    def test_columns_of_other_names_are_found_by_their_cells(self) -> None:
        head = "Station north\nZeitmarke,Kennung,Messung\n"
        loaded = self.same(head + _LONG.partition("\n")[2])
        self.assertEqual([str(n).partition(": ")[2].partition(";")[0] for n in loaded.notices], ["Zeitmarke, Kennung, Messung are taken as time, tag and value"])
        numbers = "Quality,Messung,Kennung,Zeitmarke\n" + "".join(f"good,{v},{n},{t}.5\n" for t, n, v in _ROWS)
        times = "Quality,Messung,Kennung,Zeitmarke\n" + "".join(f"good,{v},{n},2031-04-25 06:00:0{t}\n" for t, n, v in _ROWS)
        self.same(times)
        wide = self.same("Zeitmarke,X1,A,X2\n2031-04-25 06:00:00,0,25,\n2031-04-25 06:00:01,1,,\n2031-04-25 06:00:02,,,1\n2031-04-25 06:00:03,,,0\n")
        self.assertTrue(any("Zeitmarke is taken as time" in str(n) for n in wide.notices))
        for head, row in (("Nr;Stamp;Pt;Status;Text", "{i};{t};{n};{v};beat"), ("time;tag;Status", "{t};{n};{v}"), ("time;Pt;quality;value", "{t};{n};good;{v}")):
            rows = [(t, "IX0.0" if n == "X1" else n, v) for t, n, v in _ROWS] + [(3, f"Other_{i}", "7") for i in range(9)]
            loaded = self.read(f"{head}\n" + "".join(f"{row.format(i=i, t=t, n=n, v=v)}\n" for i, (t, n, v) in enumerate(rows, 1)))
            self.assertEqual((self.rows(loaded.value), loaded.value.set_aside), ([(float(t), n, int(v)) for t, n, v in _ROWS], 0), head)
            self.assertTrue(any("are taken as time, tag and value" in str(n) for n in loaded.notices), head)
            self.assertEqual(len(loaded.value.unknown), 9)
        self.assertTrue(any("State is no tag" in str(n) for n in self.read("Stamp,Pt,State\n0,P1,1\n1,P2,0\n2,P1,1\n").notices))  # of another program
        for none in ("0,X1\n1,X1\n2,X1\n", "some words\nand, more\n", "a,b\nc,d\ne,f\n", numbers):
            with self.assertRaises(LogError):
                self.read(none)

    def test_lines_that_the_profile_leaves_out(self) -> None:
        self.same("time,of,recording\n1,2,3\n" + _LONG, Profile(log_skip=2))
        with self.assertRaises(LogError):
            self.read("".join(f"remark {n}\n" for n in range(200)) + _LONG)

    def test_paths_that_end_alike_are_not_mixed(self) -> None:
        loaded = self.read("time,tag,value\n0,North.X1,0\n0,South.X1,1\n1,North.X1,1\n2,South.X1,0\n")
        self.assertEqual(self.rows(loaded.value), [(0.0, "X1", 0), (1.0, "X1", 1)])
        self.assertEqual(loaded.value.unknown, ("South.X1",))
        said = "South.X1 ends as North.X1 does, which is read as X1; not used; where that is wrong, take North.X1 out of the log"
        self.assertEqual([str(n).partition(": ")[2] for n in loaded.notices], [said])
        wide = self.read("time,North.X1,South.X1,Nobody\n0,0,1,0\n1,1,0,0\n")
        self.assertEqual([str(n).partition(": ")[2] for n in wide.notices], [said, "Nobody is no tag of the program (2 rows); not used"])
        many = self.read("time,tag,value\n0,North.X1,0\n" + "".join(f"1,S{n}.X1,1\n" for n in range(7)) + "2,North.X1,1\n" * 20_000)
        self.assertEqual([str(n).partition(": ")[2] for n in many.notices][5:], ["2 more names end as others do that are read; they are not used"])

    def test_paths_of_two_files_that_end_alike_are_said(self) -> None:
        other = self.path.with_name("more.csv")
        running = Controller(text_program("Y1 := X1 AND X2;"), Profile()).running
        for header, told in (("South.X1,South.X2", "South.X1 ends as North.X1 of {} does, and so do 1 more"), ("South.X1,North.X2", "South.X1 ends as North.X1 of {} does"),
                             ("North.X1,North.X2", ""), ("X1,X2", ""), ("X1,South.X2", "South.X2 ends as North.X2 of {} does")):
            self.path.write_text("time,North.X1,North.X2\n0,0,0\n1,1,0\n")
            other.write_text(f"time,{header}\n2,0,0\n3,1,0\n")
            loaded = read_logs([self.path, other], running, Profile())
            self.assertEqual([n.what for n in loaded.notices], [told.format(self.path)] if told else [], header)

    def test_of_tags_that_end_alike_the_input_or_the_program_s_own_is_meant(self) -> None:
        before = "FUNCTION_BLOCK Drive VAR_INPUT X2, K : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := X2 AND K; END_FUNCTION_BLOCK "
        running = Controller(text_program("D1(X2 := X2, K := K); D2(X2 := X2, K := K);", "D1, D2 : Drive; K : BOOL;", before), Profile()).running
        self.path.write_text("time,X2,K,Q\n0,1,1,1\n")
        loaded = read_logs([self.path], running, Profile())
        self.assertEqual([running.tags[t].name for t in loaded.value.tags.tolist()], ["X2", "Main.K"])
        self.assertTrue(any("Q is no tag" in str(n) for n in loaded.notices))  # of two pins nobody knows which

    def test_remarks_amid_a_long_plain_log(self) -> None:
        lines = ["time,tag,value\n"]
        for n in range(30_000):
            lines.append(f"{n / 10:.1f},X1,{n % 2}\n")
            if n % 1000 == 7:
                lines.append("# the recorder is alive\n")
        loaded = self.read("".join(lines))
        self.assertGreater(self.path.stat().st_size, 200_000)
        self.assertEqual((len(loaded.value.times), loaded.value.set_aside, [str(n) for n in loaded.notices]), (30_000, 0, []))
        paths = self.read("".join(lines).replace("X1", "Works.X1").replace("time,", "time [ms],"))
        self.assertEqual((len(paths.value.times), int(paths.value.times[-1])), (30_000, 2_999_900_000))

    def test_the_second_file_has_a_form_of_its_own(self) -> None:
        other = self.path.with_name("more.csv")
        self.path.write_text("time [ms],tag,value\n0,X1,0\n1000,X1,1\n")
        other.write_text("time,tag,value\n2,X2,1\n")
        log = read_logs([self.path, other], self.controller.running, Profile()).value
        self.assertEqual(self.rows(log), [(0.0, "X1", 0), (1.0, "X1", 1), (2.0, "X2", 1)])

    def test_an_element_of_a_table_is_no_unit(self) -> None:
        controller = controller_of(program_of(lambda ladder: None, "X1"))
        self.assertIsNotNone(controller.running.find("X1"))
        table = Controller(text_program("Y1 := List[2] > 1;", "List : ARRAY[0..3] OF INT;"), Profile())
        self.path.write_text("time,Main.List[2],Main.List[1]\n0,5,6\n")
        log = read_logs([self.path], table.running, Profile()).value
        names = [t.name for t in table.running.tags]
        self.assertEqual({names[g]: int(v) for g, v in zip(log.tags, log.values, strict=True)}, {"Main.List[2]": 5, "Main.List[1]": 6})

    def test_the_profile_is_checked(self) -> None:
        for text, words in (("skip = -1", "is no count of lines"), ("skip = true", "is no count"), ('true = "on"', "is no list of words")):
            path = self.path.with_name("profile.toml")
            path.write_text(f"[log]\n{text}\n")
            with self.assertRaises(ProfileError) as caught:
                read_profile(path)
            self.assertIn(words, str(caught.exception))
