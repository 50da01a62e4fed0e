"""What a format of the show file changed, and how a show of the format before becomes one of it.

A step works on the plain members of one kind of record, so that it serves whole shows and the
edits of a journal alike. A new format adds a step here, and a small file of the format before it
to tests/data/.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from isthmus.show.records import FORMAT

Plain = dict[str, Any]


def _output_2(output: Plain) -> None:
    if "way" in output:
        output["delivery"] = output.pop("way")


def _verdict_2(verdict: Plain) -> None:
    if verdict.get("result") == "answers":
        verdict["result"] = "works"


def _round_2(kept: Plain) -> None:
    for verdict in kept.get("verdicts", ()):
        _verdict_2(verdict)


# format → member of the show → what makes a record of the format before one of this
STEPS: Mapping[int, Mapping[str, Callable[[Plain], None]]] = {
    2: {"outputs": _output_2, "verdicts": _verdict_2, "rounds": _round_2},
    3: {},  # versions inside: a program of before would save a file without them
}


def migrate_records(member: str, records: list[Plain], format: int) -> list[Plain]:  # noqa: A002
    """Records of one member of a show, of an older format, changed in place to the present one."""
    for to in range(format + 1, FORMAT + 1):
        step = STEPS[to].get(member)
        for record in records if step else ():
            if isinstance(record, dict) and step:
                step(record)
    return records


def migrate(raw: Plain) -> Plain:
    """The members of a show.json of any format up to the present one, as the present one has them.

    Members no one here knows are left as they are.
    """
    for member, records in raw.items():
        if isinstance(records, list):
            migrate_records(member, records, raw["format"])
    return raw | {"format": FORMAT}
