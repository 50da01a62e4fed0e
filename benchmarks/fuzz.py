"""Readers of foreign things against 10 000 mangled inputs each: worst time, memory, and
nothing but faults.
"""

from __future__ import annotations

import io
import random
import re
import resource
import time
import zipfile
from collections.abc import Callable, Iterator

from benchmarks.mangled import mangled_show
from isthmus.errors import IsthmusError
from isthmus.library.sources import shipped_folders
from isthmus.profiles.channel_table import channel_table, table
from isthmus.profiles.gdtf import read_archive
from isthmus.profiles.gdtf.rules import check_gdtf
from isthmus.profiles.judge import judge
from isthmus.profiles.manual import read_chart
from isthmus.show.container import Damage, decode_show, encode_show

CASES = 10_000
_VALUES = (
    b"",
    b"-1",
    b"9" * 40,
    b"0/9",
    b"255/1s",
    b"None",
    b"nan",
    b"Base",
    b"Cell",
    b"1,2",
    b"1,1,1,1,1",
    b"{}",
    b"\xc3\xa9",
    b"&#x41;",
    b"<",
    b"0/1",
)
_WORDS = (
    "-",
    "…",
    "255",
    "0-9",
    "%",
    "0x",
    "FFh",
    "\t",
    "  ",
    "|",
    ";",
    "CH",
    "1",
    "16 bit",
    "fine",
    "Kanal",
    "–",
    "\u200b",
    "²",
    "(",
    "1e9",
    "999999",
    ",",
)


def mangled_gdtf(rng: random.Random, good: bytes) -> bytes:
    """A description with values, marks or stretches changed, packed; sometimes the archive itself
    is cut.
    """
    text = bytearray(good)
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(len(text))
        opens = text.find(b'="', at)
        closes = text.find(b'"', opens + 2)
        kind = rng.random()
        if kind < 0.6 and 0 < opens < closes:
            text[opens + 2 : closes] = rng.choice(_VALUES)
        elif kind < 0.8:
            stretch = bytes(text[at : at + rng.randint(1, 200)])
            text[at:at] = stretch * rng.randint(1, 4)
        else:
            text[at : at + rng.randint(0, 20)] = rng.randbytes(rng.randint(0, 6))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("description.xml", bytes(text))
    data = out.getvalue()
    return data[: rng.randrange(len(data))] if rng.random() < 0.05 else data


def mangled_chart(rng: random.Random, good: str) -> str:
    """A chart's text with pieces swapped, doubled, dropped or strewn with what manuals hold."""
    text = good
    for _ in range(rng.randint(1, 10)):
        at = rng.randrange(len(text) + 1)
        kind = rng.random()
        if kind < 0.4:
            text = text[:at] + rng.choice(_WORDS) + text[at:]
        elif kind < 0.6:
            text = text[:at] + text[at + rng.randint(1, 30) :]
        elif kind < 0.8:
            other = rng.randrange(len(text) + 1)
            text = text[:at] + text[other : other + rng.randint(1, 200)] + text[at:]
        else:
            text = re.sub(
                re.escape(rng.choice("\t -0123456789\n")),
                rng.choice(_WORDS),
                text,
                count=rng.randint(1, 40),
            )
    return text[:200_000]


def all_of(run: Callable[[], None], cases: int) -> tuple[float, int]:
    """Run as often; the longest single run in seconds and how many ended in a fault. Anything else
    is raised.
    """
    worst, faults = 0.0, 0
    for _ in range(cases):
        started = time.perf_counter()
        try:
            run()
        except IsthmusError:
            faults += 1
        worst = max(worst, time.perf_counter() - started)
    return worst, faults


def run(cases: int = CASES) -> Iterator[tuple[str, float, float, str, str]]:
    rng = random.Random(4)
    paths = [path for folder in shipped_folders() for path in sorted(folder.glob("*.gdtf"))]
    sources = [zipfile.ZipFile(path).read("description.xml") for path in paths]

    def one_gdtf() -> None:
        check_gdtf(read_archive(mangled_gdtf(rng, rng.choice(sources)), "fuzz.gdtf"))

    charts = []
    for path in paths[:20]:
        profile = read_archive(path.read_bytes(), path.name).profile
        rows = table(channel_table(profile, profile.modes[0]))
        charts += ["\n".join(mark.join(row) for row in rows) for mark in ("\t", "   ", " | ")]

    def one_chart() -> None:
        for found in read_chart(mangled_chart(rng, rng.choice(charts))):
            judge(found.sheet())

    seeds = iter(range(10**9))

    def one_show() -> None:
        damage = Damage()
        show = decode_show(mangled_show(next(seeds)), "fuzz", damage)
        again = Damage()
        if decode_show(encode_show(show), "fuzz", again) != show:
            raise AssertionError("a show that opened is another when it is saved and opened again")

    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for name, one in (("GDTF", one_gdtf), ("chart", one_chart), ("show", one_show)):
        worst, faults = all_of(one, cases)
        yield (
            f"{cases} mangled {name}s: longest, share refused",
            worst * 1e3,
            100 * faults / cases,
            "ms",
            "under 2000",
        )
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    yield "memory grown by all", grown, 0, "MB", "under 200"
