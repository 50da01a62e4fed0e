"""What we send, universe by universe, beside what another program or person expects on the wire."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from msgspec.structs import replace

from isthmus.compare.lists import Beside
from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.routes.ports import WORDS, write_number
from isthmus.show.records import UNIVERSES, Output, Show

PROTOCOLS = {"art-net": "artnet", "artnet": "artnet", "sacn": "sacn"}
HIGHEST = {"artnet": 32767, "sacn": UNIVERSES}
Expected = Mapping[int, tuple[str, int]]  # our universe → protocol and number there


@dataclass(frozen=True)
class Meeting:
    """A universe of ours: what of it goes out by their protocol, and which number they expect."""

    universe: int
    protocol: str
    expected: int
    outputs: tuple[Output, ...]

    @property
    def off(self) -> int | None:
        """How much higher they expect it; None where nothing goes out by that protocol."""
        return self.expected - self.outputs[0].number if self.outputs else None

    @property
    def right(self) -> bool:
        return bool(self.outputs) and all(o.number == self.expected for o in self.outputs)


def read_expected(text: str) -> dict[int, tuple[str, int]]:
    """`1 = artnet 0, 2-4 = sacn 11`: our universe, and what they listen to; of several in a row the
    numbers go on. Raises EntryFault.
    """
    found: dict[int, tuple[str, int]] = {}
    for part in re.split(r"[,;\n]", text):
        if not part.strip():
            continue
        match = re.fullmatch(r"\s*(\d+)(?:\s*-\s*(\d+))?\s*=\s*([a-z-]+)\s*(\d+)\s*", part.lower())
        protocol = PROTOCOLS.get(match[3]) if match else None
        if match is None or protocol is None:
            raise EntryFault(
                f"“{part.strip()[:40]}” is not understood.", do="Write 1=artnet 0, or 1-4=sacn 11."
            )
        first, last, number = int(match[1]), int(match[2] or match[1]), int(match[4])
        if not 1 <= first <= last <= min(UNIVERSES, first + 4096):
            raise EntryFault(f"Universes go from 1 to {UNIVERSES}.")
        for at in range(last - first + 1):
            found[first + at] = protocol, _checked(protocol, number + at)
    return found


def expected_by(found: Beside, protocol: str, artnet_from: int = 1) -> dict[int, tuple[str, int]]:
    """By another's list: the universe our units have there is the number they listen to; lists
    count from 1, `artnet_from` says which of theirs is Art-Net 0.
    """
    there: dict[int, Counter[int]] = {}
    for pair in found.pairs:
        if pair.ours.universe and pair.theirs.universe:
            there.setdefault(pair.ours.universe, Counter())[pair.theirs.universe] += 1
    made = {}
    for universe, seen in sorted(there.items()):
        number = seen.most_common(1)[0][0] - (artnet_from if protocol == "artnet" else 0)
        if number >= (0 if protocol == "artnet" else 1):
            made[universe] = protocol, _checked(protocol, number)
    return made


def _checked(protocol: str, number: int) -> int:
    low = 0 if protocol == "artnet" else 1
    if not low <= number <= HIGHEST[protocol]:
        raise EntryFault(
            f"{WORDS[protocol]} has no {number}.", do=f"It goes from {low} to {HIGHEST[protocol]}."
        )
    return number


def meetings(show: Show, expected: Expected) -> list[Meeting]:
    """Universe by universe."""
    return [
        Meeting(
            universe,
            protocol,
            number,
            tuple(o for o in show.outputs if o.universe == universe and o.protocol == protocol),
        )
        for universe, (protocol, number) in sorted(expected.items())
    ]


def sentences(found: list[Meeting]) -> list[str]:
    """One shift in one sentence; else what is other, one by one."""
    right = sum(one.right for one in found)
    go = "goes" if right == 1 else "go"
    told = [f"{right} of {many(len(found), 'universe')} {go} out as expected."]
    wrong = [one for one in found if not one.right and one.outputs]
    offs = {one.off for one in wrong}
    if len(wrong) > 1 and len(offs) == 1 and (off := offs.pop()):
        way = "higher" if off > 0 else "lower"
        count = many(len(wrong), "universe")
        told.append(f"{count} are expected {abs(off)} {way} than we send them.")
    else:
        told += [
            f"Universe {one.universe} is expected as {write_number(one.protocol, one.expected)}, "
            f"and goes out as {', '.join(write_number(o.protocol, o.number) for o in one.outputs)}."
            for one in wrong
        ]
    told += [
        f"Universe {one.universe} does not go out by {WORDS[one.protocol]}."
        for one in found
        if not one.outputs
    ]
    return told


def with_routes(show: Show, expected: Expected) -> Show:
    """Outputs under the numbers that are expected; an output by another protocol stays."""

    def put(output: Output) -> Output:
        protocol, number = expected.get(output.universe, ("", 0))
        if output.protocol != protocol or output.number == number:
            return output
        if protocol == "artnet":
            return replace(output, port_address=number)
        return replace(output, sacn=number)

    outputs = tuple(put(output) for output in show.outputs)
    return show if outputs == show.outputs else replace(show, outputs=outputs)
