"""Work done behind: in order, one piece waiting, mistakes told."""

from __future__ import annotations

import threading
import unittest
from functools import partial

from whorlograph.desk.behind import Behind


class WorkBehind(unittest.TestCase):
    """The thread that writes while another replays."""

    def test_pieces_are_done_in_order_and_all_of_them(self) -> None:
        done: list[int] = []
        with Behind() as behind:
            for n in range(100):
                behind.do(partial(done.append, n))
        self.assertEqual(done, list(range(100)))

    def test_no_more_than_one_piece_waits(self) -> None:
        go, given = threading.Event(), threading.Semaphore(0)

        def hand_over() -> None:
            with Behind() as behind:
                for _ in range(4):
                    behind.do(partial(go.wait, 10))
                    given.release()

        giver = threading.Thread(target=hand_over)
        giver.start()
        self.assertTrue(given.acquire(timeout=10))  # is being done
        self.assertTrue(given.acquire(timeout=10))  # waits
        self.assertFalse(given.acquire(timeout=0.2))
        go.set()
        giver.join(10)
        self.assertFalse(giver.is_alive())

    def test_what_goes_wrong_is_raised_and_ends_the_rest(self) -> None:
        done: list[int] = []

        def fail() -> None:
            raise OSError("no room")

        with self.assertRaisesRegex(OSError, "no room"), Behind() as behind:
            behind.do(fail)
            for n in range(5):
                behind.do(partial(done.append, n))
        self.assertEqual(done, [])
        with self.assertRaisesRegex(OSError, "no room"), Behind() as behind:
            behind.do(fail)  # the last piece too

    def test_a_mistake_in_front_is_not_hidden_by_one_behind(self) -> None:
        def fail() -> None:
            raise OSError("no room")

        with self.assertRaisesRegex(ValueError, "in front"), Behind() as behind:
            behind.do(fail)
            raise ValueError("in front")


if __name__ == "__main__":
    unittest.main()
