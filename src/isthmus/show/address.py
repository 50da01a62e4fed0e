"""How universes and addresses are written: `2.101` (the open MVR notation), and what is taken as
input.
"""

from __future__ import annotations

import re

from isthmus.errors import EntryFault
from isthmus.show.records import SLOTS, UNIVERSES

_PAIR = re.compile(r"^\s*(\d{1,6})\s*[./: ]\s*(\d{1,4})\s*$")
_ONE = re.compile(r"^\s*(\d{1,9})\s*$")


def write_address(universe: int, address: int) -> str:
    return f"{universe}.{address:03d}"


def read_address(text: str) -> tuple[int, int] | None:
    """Read `2.101`, `2/101`, `2:101`, `2 101` or an absolute address (513 is 2.001); None when it
    is empty.

    Raises EntryFault when it is not an address or lies outside the universes.
    """
    if not text.strip() or text.strip().lower() in ("none", "-", "–"):
        return None
    if pair := _PAIR.match(text):
        universe, address = int(pair[1]), int(pair[2])
    elif one := _ONE.match(text):
        absolute = int(one[1])
        if absolute < 1:
            raise EntryFault(f"“{text.strip()}” is not an address.", do="Addresses count from 1.")
        universe, address = (absolute - 1) // SLOTS + 1, (absolute - 1) % SLOTS + 1
    else:
        raise EntryFault(
            f"“{text.strip()[:40]}” is not an address.",
            do="Write universe.address, for example 2.101.",
        )
    if not 1 <= address <= SLOTS:
        raise EntryFault(
            f"{text.strip()} has address {address}.", do=f"A universe has addresses 1 to {SLOTS}."
        )
    if not 1 <= universe <= UNIVERSES:
        raise EntryFault(
            f"{text.strip()} has universe {universe}.", do=f"Universes go from 1 to {UNIVERSES}."
        )
    return universe, address
