"""Many shifts: what was put in comes out, known logs are not replayed again, dying workers and damaged logs lose nothing."""

from __future__ import annotations

import json
import os
import unittest
from collections import Counter
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory
from time import sleep

import psutil

from tests.building import program_of
from tests.cli.test_commands import run
from whorlograph.desk.history import spread
from whorlograph.desk.history.look import Looked, Stop, Work, look
from whorlograph.desk.history.run import Step, history, logs_in
from whorlograph.desk.history.spread import here, on_cluster
from whorlograph.desk.history.store import Store, key_of
from whorlograph.desk.history.told import history_json, history_lines, together
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import UsageError
from whorlograph.model.parts import Ladder, coil, either, no

DEVICES = {"X1": ("S-2", 30), "X2": ("Q-1", 12), "X3": ("LS-4", 4)}  # that stop the pump, how often one does beside another


def shifts(folder: Path, count: int, seed: int = 1, worse: str = "") -> tuple[Path, Path, Counter[str], dict[str, float]]:
    """A program, a point list, and logs of a pump that devices stop: how often each does, and for how long (s). Args: worse: one that comes
    more often from shift to shift."""
    def draw(ladder: Ladder) -> None:
        ladder.rung(either(no("X0"), no("Y0")), no("X1"), no("X2"), no("X3"), coil("Y0"))

    (folder / "logs").mkdir()
    (folder / "pump.xml").write_bytes(write_xml(program_of(draw, "X0 X1 X2 X3 Y0")))
    points = "".join(f"{tag},,{device},hall,1,NC,stop,\n" for tag, (device, _) in DEVICES.items())
    (folder / "points.csv").write_text(f"tag,address,device,location,terminal,wiring,description,drawing\n{points}")
    random, put, off = Random(seed), Counter[str](), dict.fromkeys(DEVICES, 0.0)
    for n in range(count):
        rows = [(0.0, tag, 1) for tag in DEVICES] + [(0.0, "X0", 0)]
        at = 5.0
        rows += [(at, "X0", 1), (at + 0.5, "X0", 0)]
        for _ in range(random.randint(0, 5) if not worse else 1 + n // 4):
            tag = worse or random.choices(list(DEVICES), [w for _, w in DEVICES.values()])[0]
            at += random.randint(20, 200)
            away = random.randint(2, 9)
            rows += [(at, tag, 0), (at + 1, tag, 1), (at + away, "X0", 1), (at + away + 0.5, "X0", 0)]
            put[tag] += 1
            off[tag] += away
            at += away
        rows.append((at + 60, "X0", 0))
        text = "".join(f"2031-03-{1 + n // 3:02d}T{6 + 8 * (n % 3):02d}:{int(t) // 60 % 60:02d}:{t % 60:06.3f},{tag},{value}\n" for t, tag, value in sorted(rows))
        (folder / "logs" / f"shift{n:03}.csv").write_text("time,tag,value\n" + text)
    return folder / "pump.xml", folder / "points.csv", put, off


class Shifts(unittest.TestCase):
    """Sixty of them."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def asked(self, work: Work, store: Store, **how: object) -> tuple[list[tuple[str, Looked]], list[Step]]:
        """What all logs give, and the steps on the way."""
        steps: list[Step] = []
        for one in history(work, logs_in(self.folder / "logs"), store, **how):  # type: ignore[arg-type]
            if not isinstance(one, Step):
                return one, steps
            steps.append(one)
        raise AssertionError

    def test_the_ranking_is_what_was_put_in_and_what_is_known_is_not_replayed_again(self) -> None:
        program, points, put, off = shifts(self.folder, 60)
        work = Work(str(program), str(points), tags=("Y0",))
        store = Store(self.folder / "kept.sqlite")
        self.addCleanup(store.close)
        found, steps = self.asked(work, store)
        told = together(found)
        self.assertEqual({c.tag: len(c.stops) for c in told.causes}, dict(put))
        self.assertEqual([c.tag for c in told.causes], [t for t, _ in put.most_common()])
        for cause in told.causes:
            self.assertAlmostEqual(cause.seconds, off[cause.tag], delta=0.02 * len(cause.stops) + 0.01)
            self.assertEqual(cause.device, DEVICES[cause.tag][0])
        self.assertEqual((steps[0].done, steps[-1].done, len(told.unread)), (0, 60, 0))
        again, steps = self.asked(work, store)
        self.assertEqual((again, [s.done for s in steps]), (found, [60]))
        (self.folder / "logs" / "shift060.csv").write_text((self.folder / "logs" / "shift059.csv").read_text().replace("2031-03-20", "2031-03-21"))
        (self.folder / "logs" / "shift000.csv").touch()
        _, steps = self.asked(work, store)
        self.assertEqual([s.known for s in steps], [60, 60], "only the new one is looked at; one that was merely touched is the same")
        _, steps = self.asked(Work(str(program), str(points), tags=()), store, processes=2)
        self.assertEqual(steps[0].known, 0, "another question is asked anew")
        self.assertIn("X1 (S-2)", "\n".join(history_lines(told)))
        self.assertEqual({r["tag"]: r["count"] for r in history_json(told)["roots"]}, dict(put))

    def test_stopped_half_way_the_next_run_goes_on(self) -> None:
        program, _, put, _ = shifts(self.folder, 12)
        work, store = Work(str(program), tags=("Y0",)), Store(self.folder / "kept.sqlite")
        for one in history(work, logs_in(self.folder / "logs"), store, processes=1):
            if isinstance(one, Step) and one.done == 5:
                break
        store.close()
        store = Store(self.folder / "kept.sqlite")
        self.addCleanup(store.close)
        found, steps = self.asked(work, store, processes=1)
        self.assertEqual(steps[0].known, 5)
        self.assertEqual(sum(len(c.stops) for c in together(found).causes), sum(put.values()))

    def test_a_damaged_log_is_one_line_and_the_others_count(self) -> None:
        program, _, put, _ = shifts(self.folder, 6)
        (self.folder / "logs" / "broken.csv").write_bytes(b"\x00\x01 no log at all\n\x02")
        (self.folder / "logs" / "packed.csv.gz").write_bytes(b"no archive")
        store = Store(self.folder / "kept.sqlite")
        self.addCleanup(store.close)
        told = together(self.asked(Work(str(program), tags=("Y0",)), store)[0])
        self.assertEqual([Path(f).name for f, _ in told.unread], ["broken.csv", "packed.csv.gz"])
        self.assertTrue(all("\n" not in why and why for _, why in told.unread))
        self.assertEqual(sum(len(c.stops) for c in told.causes), sum(put.values()))

    def test_worse_is_said_where_a_rank_test_says_so(self) -> None:
        program, _, _, _ = shifts(self.folder, 24, worse="X2")
        work = Work(str(program), tags=("Y0",))
        told = together([(str(p), look(work, str(p))) for p in logs_in(self.folder / "logs")])
        self.assertEqual([(c.tag, c.worse) for c in told.causes], [("X2", "more and more often")])
        even = [(str(n), Looked((Stop("Y0", "field-input", "X1", "", n, 5),), n, 10)) for n in range(20)]
        self.assertEqual(together(even).causes[0].worse, "")

    def test_workers_that_die_lose_nothing(self) -> None:
        program, _, put, _ = shifts(self.folder, 16)
        work, logs = Work(str(program), tags=("Y0",)), [str(p) for p in logs_in(self.folder / "logs")]
        found: dict[str, Looked] = {}
        killed = 0
        for log, one in here(work, logs, 2):
            found[log] = one
            if len(found) in (2, 6):
                for child in psutil.Process().children(recursive=True):
                    if "resource_tracker" not in " ".join(child.cmdline()):
                        child.kill()
                        killed += 1
        self.assertGreater(killed, 1)
        self.assertEqual(set(found), set(logs))
        self.assertEqual({one.why for one in found.values()}, {""})
        self.assertEqual(sum(len(one.stops) for one in found.values()), sum(put.values()))

    def test_a_cluster_gives_the_same_also_where_a_worker_dies(self) -> None:
        from distributed import Client, LocalCluster

        program, _, put, _ = shifts(self.folder, 16)
        work, logs = Work(str(program), tags=("Y0",)), [str(p) for p in logs_in(self.folder / "logs")]
        alone = dict(here(work, logs, 1))
        # In the midst of the work one, and all when everything is done but not yet fetched: what a worker holds is lost with it.
        for after, at_rest in ((3, False), (1, True)):
            with self.subTest(after=after), LocalCluster(
                    n_workers=2, threads_per_worker=1, dashboard_address=None, scheduler_port=0, silence_logs=50) as cluster:
                found: dict[str, Looked] = {}
                for log, one in on_cluster(work, logs, cluster.scheduler_address):
                    found[log] = one
                    if len(found) == after:
                        with Client(cluster.scheduler_address) as client:
                            while at_rest and any(client.processing().values()):
                                sleep(0.05)
                            workers = client.run(os.getpid)
                            for process in list(workers.values())[:None if at_rest else 1]:
                                psutil.Process(process).kill()
                            while at_rest and set(workers) & set(client.scheduler_info()["workers"]):
                                sleep(0.01)
                        sleep(0.1 if at_rest else 0)  # until the other client has heard of it too; new workers take longer to come
                self.assertEqual(set(found), set(logs))
                self.assertEqual({one.why for one in found.values()}, {""})
                self.assertEqual(sum(len(one.stops) for one in found.values()), sum(put.values()))
                self.assertEqual(found, alone)

    def test_a_cluster_that_is_not_there_is_said(self) -> None:
        before, spread.PATIENCE = spread.PATIENCE, 1
        self.addCleanup(setattr, spread, "PATIENCE", before)
        with self.assertRaises(UsageError) as caught:
            list(on_cluster(Work("p.xml"), ["log.csv"], "tcp://127.0.0.1:9"))
        self.assertIn("cannot be reached", caught.exception.what)

    def test_a_store_of_another_kind_is_refused(self) -> None:
        (self.folder / "text.sqlite").write_text("no database, but long enough to look like a file of some kind" * 20)
        with self.assertRaises(UsageError):
            Store(self.folder / "text.sqlite")
        self.assertEqual(key_of(Work(str(self.folder / "gone.xml")), self.folder / "gone.csv"), "")

    def test_the_command(self) -> None:
        program, points, put, _ = shifts(self.folder, 9)
        store = ("--store", self.folder / "kept.sqlite")
        done = run("history", program, self.folder / "logs", "--io-list", points, "--tag", "Y0", *store, "--json", "--out", self.folder / "bars.svg")
        # On a slow machine it tells how far it is.
        self.assertEqual((done.returncode, [line for line in done.stderr.splitlines() if "Ctrl+C stops" not in line]), (0, []))
        said = json.loads(done.stdout)
        self.assertEqual({r["tag"]: r["count"] for r in said["roots"]}, dict(put))
        self.assertEqual(set(said["roots"][0]) >= {"tag", "device", "count", "seconds", "since", "logs"}, True)
        self.assertIn("<svg", (self.folder / "bars.svg").read_text())
        words = run("history", program, self.folder / "logs", "--io-list", points, "--tag", "Y0", *store)
        self.assertIn("9 logs", words.stdout)
        for wrong in (("history", program, self.folder / "nowhere"), ("history", program, self.folder / "logs", "--tag", "No_Tag"),
                      ("history", program, self.folder / "logs", *store, "--cluster", "nonsense")):
            refused = run(*wrong)
            self.assertEqual((refused.returncode, refused.stderr.count("\n"), refused.stdout), (2, 1, ""), refused.stderr)


if __name__ == "__main__":
    unittest.main()
