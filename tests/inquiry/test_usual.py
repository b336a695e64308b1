"""How usual a drop-out is: by its way, and in words that hold where one root has several ways."""

from __future__ import annotations

import unittest

from tests.texts import text_session
from whorlograph.desk.asking import ask
from whorlograph.desk.session import Session
from whorlograph.desk.unusual import add_usual
from whorlograph.model.question import Symptom

BODY = "Low := X1 AND N1 = 1;\nHigh := X1 AND N1 = 2;\nOther := X2;\nY1 := NOT Low AND NOT High AND NOT Other;"


def session(stops: str) -> Session:
    """Drop-outs one after the other: a and b by X1 in two ways, c by X2."""
    rows: list[tuple[int, str, object]] = [(0, "X1", 0), (0, "X2", 0), (0, "N1", 1)]
    for n, stop in enumerate(stops, start=1):
        name = "X2" if stop == "c" else "X1"
        rows += [(n * 1000 - 500, "N1", 2 if stop == "b" else 1), (n * 1000, name, 1), (n * 1000 + 200, name, 0)]
    return text_session(BODY, [*rows, (len(stops) * 1000 + 900, "X3", 1)], "Low, High, Other : BOOL;")


class InWords(unittest.TestCase):
    """The last drop-out is asked about."""

    def test_words(self) -> None:
        for stops, text in (("a", "the only drop-out in this log"), ("aaaa", "4 of 4 times so"), ("aaac", "only this time; 3 of 4 times X1 stops it"),
                            ("cccca", "only this time; 4 of 5 times X2 stops it"), ("aaab", "only this time in this way; 4 of 4 times X1 stops it"),
                            ("acaaab", "only this time in this way; 5 of 6 times X1 stops it"), ("abaab", "2 of 5 times in this way; 5 of 5 times X1 stops it"),
                            ("acbc", "2 of 4 times so")):
            one = session(stops)
            answer = ask(one, "Y1", symptom=Symptom.DROPPED_OUT)
            add_usual(one, answer)
            assert answer.usual is not None
            self.assertEqual(answer.usual.text, text, stops)
            self.assertEqual(answer.usual.of, len(stops))


if __name__ == "__main__":
    unittest.main()
