"""Tags at overlapping addresses against a row of bits: whoever writes one, the others read the same memory."""

from __future__ import annotations

import unittest
from random import Random

from whorlograph.engine.feed import spread
from whorlograph.engine.scope.overlap import held, shared_bits
from whorlograph.model.address import parse_address
from whorlograph.model.tags import Tag
from whorlograph.model.types import BOOL, DINT, ELEMENTARY, INT, Elementary

KINDS: tuple[tuple[str, tuple[Elementary, ...], int], ...] = (
    ("X", (BOOL,), 1), ("B", (ELEMENTARY["BYTE"], ELEMENTARY["SINT"], ELEMENTARY["USINT"]), 8),
    ("W", (ELEMENTARY["WORD"], INT, ELEMENTARY["UINT"]), 16), ("D", (ELEMENTARY["DWORD"], DINT, ELEMENTARY["UDINT"]), 32),
)


class Memory:
    """The bits of one area, read and written by hand."""

    def __init__(self) -> None:
        self.bits = [0] * 256

    def write(self, first: int, width: int, value: int) -> None:
        for i in range(width):
            self.bits[first + i] = value >> i & 1

    def read(self, first: int, type_: Elementary) -> int:
        width = max(1, type_.bits)
        return held(sum(self.bits[first + i] << i for i in range(width)), type_)


def random_tags(random: Random, scaled: bool) -> tuple[list[Tag], list[int]]:
    """Tags anywhere in the first bytes of one area, and the first bit of each."""
    tags, firsts = [], []
    for number in range(random.randint(3, 9)):
        letter, types, width = random.choice(KINDS)
        type_ = random.choice(types)
        place = random.randrange(4)
        bit = random.randrange(8)
        address = parse_address(f"%M{letter}{place}.{bit}" if letter == "X" else f"%M{letter}{place}")
        assert address is not None
        tags.append(Tag(number, f"T{number}", type_, address=address))
        firsts.append(place * 8 + bit if letter == "X" else place * (width if scaled else 8))
    return tags, firsts


class Overlap(unittest.TestCase):
    """Random tags, random writes, both ways of counting addresses."""

    def test_every_tag_reads_what_memory_holds(self) -> None:
        changes = 0
        for seed in range(300):
            random = Random(seed)
            addressing = random.choice(("byte", "element"))
            tags, firsts = random_tags(random, scaled=addressing == "element")
            spans = [t.address.span(addressing) for t in tags if t.address is not None]
            self.assertEqual([s[1] for s in spans], firsts, (seed, addressing, [str(t.address) for t in tags]))
            shares = shared_bits(tags, addressing)
            memory, values = Memory(), [0] * len(tags)
            for _ in range(25):
                number = random.randrange(len(tags))
                type_ = tags[number].type
                value = random.randint(int(type_.low), int(type_.high)) if type_ is not BOOL else random.randint(0, 1)
                memory.write(firsts[number], max(1, type_.bits), value)
                values[number] = held(value, type_)
                before = list(values)
                spread(values, number, shares, tags)
                self.assertEqual(values, [memory.read(firsts[t.index], t.type) for t in tags], (seed, addressing))
                changes += values != before
        self.assertGreater(changes, 500)

    def test_sharing_goes_both_ways_and_never_to_itself(self) -> None:
        for seed in range(100):
            tags, _ = random_tags(Random(seed), scaled=False)
            shares = shared_bits(tags, "byte")
            for tag, others in shares.items():
                for share in others:
                    self.assertNotEqual(share.other, tag)
                    self.assertTrue(any(back.other == tag and (back.mine, back.theirs, back.width) == (share.theirs, share.mine, share.width)
                                        for back in shares[share.other]))

    def test_areas_do_not_touch(self) -> None:
        tags = [Tag(i, a, BOOL, address=parse_address(a)) for i, a in enumerate(("%MX0.0", "%QX0.0", "%IX0.0"))]
        self.assertEqual(shared_bits(tags, "byte"), {})

    def test_values_are_held_as_their_type_says(self) -> None:
        for type_ in (BOOL, INT, DINT, ELEMENTARY["SINT"], ELEMENTARY["USINT"], ELEMENTARY["WORD"], ELEMENTARY["LINT"], ELEMENTARY["LWORD"]):
            for value in (0, 1, -1, 127, 128, 255, 1 << 15, (1 << 16) - 1, 1 << 31, (1 << 63) - 1, -(1 << 63)):
                found = held(value, type_)
                width = max(1, type_.bits)
                self.assertEqual(found & ((1 << width) - 1), value & ((1 << width) - 1))
                if width < 64 and type_ is not BOOL:
                    self.assertTrue(type_.low <= found <= type_.high)


if __name__ == "__main__":
    unittest.main()
