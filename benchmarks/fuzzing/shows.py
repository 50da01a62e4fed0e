"""Shows as a broken disk, a careless script or somebody unkind makes them: the demo with some of
what it says changed.
"""

from __future__ import annotations

import copy
import io
import json
import random
import zipfile
from functools import cache
from typing import Any

from isthmus.demo import lantern_tide
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.show.container import encode_show

FIGURES = (0, -1, 1, 2, 1e-12, -1e-12, 1e9, -1e9, 1e308, float("inf"), float("nan"), 10**25, 0.5)
WORDS = (
    "", " ", "\x00", "x" * 5000, "<img src='/dev/zero'>", "../../etc/passwd", "\u202e", "🜨" * 9,
    "u101", "a\nb", "%s%n", "{}", "\ud7ff", "none", "/dev/null",
)  # fmt: skip
OTHERS: tuple[Any, ...] = (None, True, [], {}, [[]], "7", 7, {"id": "u101"})
Plain = dict[str, Any]


@cache
def _members() -> dict[str, bytes]:
    data = encode_show(with_wall(with_evening(lantern_tide())))
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


@cache
def _raw() -> Plain:
    return json.loads(_members()["show.json"])


def mangled_show(seed: int) -> bytes:
    """Always the same for a seed: one to twelve things are other than they were."""
    rng = random.Random(seed)
    raw = copy.deepcopy(_raw())
    places = list(_places(raw))
    for _ in range(rng.randint(1, 12)):
        holder, key = rng.choice(places)
        _spoil(rng, holder, key, raw)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        text = json.dumps(raw).replace("Infinity", "1e999")
        archive.writestr("show.json", text.encode("utf-8", "surrogatepass"))
        for name, data in _members().items():
            if name == "show.json" or rng.random() < 0.02:
                continue
            if rng.random() < 0.03:
                at = rng.randrange(len(data))
                data = data[:at] + rng.randbytes(rng.randint(0, 9)) + data[at + 4 :]
            archive.writestr(name, data)
    return out.getvalue()


def _places(value: Any) -> Any:
    """Every holder and key in it, those deeper as likely as those above."""
    rows = value.items() if isinstance(value, dict) else enumerate(value)
    for key, inner in rows:
        yield value, key
        if isinstance(inner, (dict, list)):
            yield from _places(inner)


def _spoil(rng: random.Random, holder: Any, key: Any, raw: Plain) -> None:
    try:
        old = holder[key]
    except (KeyError, IndexError):
        return  # what was done before took it away
    kind = rng.random()
    if kind < 0.15:
        del holder[key]
    elif kind < 0.3 and isinstance(holder, list):
        holder.insert(key, copy.deepcopy(holder[rng.randrange(len(holder))]))
    elif kind < 0.4:
        holder[key] = rng.choice(OTHERS)
    elif kind < 0.5:
        member = raw[rng.choice(list(raw))]
        some = member[rng.randrange(len(member))] if isinstance(member, list) and member else member
        holder[key] = copy.deepcopy(some)
    elif isinstance(old, str):
        holder[key] = rng.choice((*WORDS, *_ids(raw)))
    elif isinstance(old, (int, float)):
        holder[key] = rng.choice((*FIGURES, old * rng.uniform(-3, 3)))
    else:
        holder[key] = rng.choice((*FIGURES, *WORDS))


def _ids(raw: Plain) -> list[str]:
    """Names of things, so that what leads somewhere leads to something else."""
    rows = [row for member in raw.values() if isinstance(member, list) for row in member]
    return [str(row["id"]) for row in rows if isinstance(row, dict) and "id" in row][:200]
