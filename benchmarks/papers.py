"""Papers of 5 000 units: as tables, as PDF, all of them; and a rig of 2 000 fixtures as MVR."""

from __future__ import annotations

import io
import time
import zipfile
from collections.abc import Callable, Iterator
from xml.etree import ElementTree as ET

from msgspec.structs import replace

from benchmarks.gestures import hung_show
from isthmus.mvr import as_show, read_mvr, write_show
from isthmus.papers.all_papers import RIG
from isthmus.papers.drawn import as_csv, as_pdf
from isthmus.papers.whole import whole_set
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.plausible import plausible_profiles
from isthmus.profiles.store import stored_of
from isthmus.show.records import Patched, Show

UNITS, FIXTURES, TYPES = 5_000, 2_000, 40


def taken(run: Callable[[], object], times: int = 3) -> float:
    """The best, in seconds."""
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        run()
        found.append(time.perf_counter() - begun)
    return min(found)


def rented(count: int = FIXTURES, types: int = TYPES) -> Show:
    """A rig of many types, all hung somewhere."""
    profiles = [next(plausible_profiles(1, seed)) for seed in range(types)]
    stored = [stored_of(profile, write_gdtf(profile)) for profile in profiles]
    show = hung_show(count)
    units = tuple(
        replace(
            unit,
            profile=stored[at % types].key,
            mode=profiles[at % types].modes[0].name,
            patch=(Patched(universe=1 + at // 8, address=1 + 60 * (at % 8)),),
        )
        for at, unit in enumerate(show.units)
    )
    return replace(show, profiles=tuple(stored), units=units)


def run() -> Iterator[tuple[str, float, float, str, str]]:
    show = hung_show(UNITS)
    yield from _papers(show)
    yield from _mvr(rented())


def _papers(show: Show) -> Iterator[tuple[str, float, float, str, str]]:
    one = taken(lambda: list(RIG["number"][1](show, None).groups))
    tables = {name: taken(lambda make=make: make(show, None)) for name, (_, make) in RIG.items()}
    slowest = max(tables, key=lambda name: tables[name])
    yield (
        f"the slowest table of {UNITS} units ({slowest}) / by number",
        tables[slowest],
        one,
        "s",
        "0.15",
    )
    papers = {name: make(show, None) for name, (_, make) in RIG.items()}
    plain = taken(lambda: "".join(map(as_csv, papers.values())))
    drawn = {name: taken(lambda paper=paper: as_pdf(paper), 1) for name, paper in papers.items()}
    slowest = max(drawn, key=lambda name: drawn[name])
    yield f"the slowest of them as PDF ({slowest}) / all as CSV", drawn[slowest], plain, "s", "3"
    whole = taken(lambda: whole_set(show, "A4"), 1)
    yield "all of them in one PDF / all as CSV", whole, plain, "s", "15"


def _mvr(show: Show) -> Iterator[tuple[str, float, float, str, str]]:
    data = write_show(show)
    archive = zipfile.ZipFile(io.BytesIO(data))
    held = {name: archive.read(name) for name in archive.namelist()}

    def bare_write() -> None:
        root = ET.fromstring(held["GeneralSceneDescription.xml"])
        with zipfile.ZipFile(io.BytesIO(), "w", zipfile.ZIP_DEFLATED) as out:
            for name, content in held.items():
                out.writestr(name, ET.tostring(root) if name.endswith(".xml") else content)

    def bare_read() -> None:
        with zipfile.ZipFile(io.BytesIO(data)) as found:
            ET.fromstring(found.read("GeneralSceneDescription.xml"))
            for name in found.namelist():
                member = found.read(name)
                if name.endswith(".gdtf"):  # a zip with an XML too, and read whole by us
                    with zipfile.ZipFile(io.BytesIO(member)) as inside:
                        ET.fromstring(inside.read("description.xml"))

    yield (
        f"MVR of {FIXTURES} fixtures of {TYPES} types written / bare zip and XML",
        taken(lambda: write_show(show)),
        taken(bare_write),
        "s",
        "3, 6 times",
    )
    yield (
        "…read as a show / bare zip and XML",
        taken(lambda: as_show(read_mvr(data, "bench"))),
        taken(bare_read),
        "s",
        "3, 6 times",
    )
