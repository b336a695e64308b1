"""Files with damage: bytes changed, cut, doubled, and with what an attacker would put in."""

from __future__ import annotations

from random import Random

HOSTILE = (b"\x1b[2J", b"\x00", b"\xff\xfe", b"9" * 5000, b"1e400", b"-1e999", b"T#99999999999d", b"&#x202e;", b"&#0;", b"<", b"]]>", b'"', b"'", b"\n", b",", b";",
           b"=cmd|' /C calc'!A0", b"\xe2\x80\xae", b"\xc2\x9b31m", b"`", b"$(id)", b"%s%n", b"{0}", b"../../x", b"TRUE", b"[" * 200, b"(" * 200, b"-" * 20,
           b"2099-01-01T00:00:00", b"1970-01-01T00:00:00Z", b"LTIME#106751d", b"A + 1", b"Nope.X", b"16#FFFFFFFFFFFFFFFFFFFF")


def mutated(data: bytes, random: Random) -> bytes:
    """One to four changes at random places."""
    for _ in range(random.randint(1, 4)):
        at = random.randrange(len(data) + 1)
        size = min(len(data) - at, random.choice((1, 1, 2, 5, 40, 400)))
        kind = random.randrange(8)
        if kind == 0:
            data = data[:at] + bytes([random.randrange(256)]) + data[at + 1:]
        elif kind == 1:
            data = data[:at] + data[at + size:]
        elif kind == 2:
            data = data[:at + size] + data[at:at + size] * random.choice((1, 2, 30)) + data[at + size:]
        elif kind == 3:
            data = data[:at] + random.choice(HOSTILE) + data[at:]
        elif kind == 4:
            data = data[:at] + random.choice(HOSTILE) + data[at + size:]
        elif kind == 5 and random.random() < 0.2:
            data = data[:at]
        elif kind == 6:
            other = random.randrange(len(data) + 1)
            data = data[:at] + data[other:other + size] + data[at:]
        else:
            # A whole value in quotes or between signs: the file stays well-formed, what it says does not.
            begin = max(data.rfind(sign, 0, at) for sign in (b'"', b">", b","))
            end = min((found for sign in (b'"', b"<", b",", b"\n") if (found := data.find(sign, begin + 1)) >= 0), default=len(data))
            if 0 <= begin < end - 1:
                hostile = random.choice(HOSTILE).replace(b"<", b"&lt;").replace(b'"', b"&quot;").replace(b"\x00", b"").replace(b"\x1b", b"")
                data = data[:begin + 1] + hostile + data[end:]
    return data
