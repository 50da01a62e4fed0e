"""IPv4 arithmetic, said in plain words: same network or not, why, and the nearest change that would
fix it.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from isthmus.errors import EntryFault


def number(address: str) -> int:
    return int(ipaddress.IPv4Address(address))


def write(value: int) -> str:
    return str(ipaddress.IPv4Address(value & 0xFFFFFFFF))


def prefix(mask: str) -> int:
    """How many leading bits of a mask are set. Raises EntryFault for a mask with holes."""
    try:
        bits = f"{number(mask):032b}"
    except ValueError:
        raise EntryFault(
            f"“{mask[:30]}” is not a mask.", do="Write one such as 255.255.255.0."
        ) from None
    count = len(bits.rstrip("0"))
    if "0" in bits[:count]:
        raise EntryFault(
            f"{mask} is not a mask: it has a gap.", do="Write one such as 255.255.255.0."
        )
    return count


def mask_of(bits: int) -> str:
    return write(0xFFFFFFFF << (32 - bits) if bits else 0)


def network(address: str, mask: str) -> int:
    return number(address) & number(mask)


def broadcast(address: str, mask: str) -> str:
    return write(number(address) | ~number(mask))


def same(address: str, mask: str, other: str) -> bool:
    return network(address, mask) == network(other, mask)


def usual_mask(address: str) -> str:
    """What lighting networks commonly have: 255.0.0.0 for 2.x and 10.x (Art-Net 4, "Network
    Topology"), else by the class.
    """
    first = int(address.split(".")[0])
    return "255.0.0.0" if first < 128 else "255.255.0.0" if first < 192 else "255.255.255.0"


def common_bits(a: str, b: str) -> int:
    """How many leading bits two addresses share."""
    return 32 - (number(a) ^ number(b)).bit_length()


def explain(name: str, address: str, mask: str, other_name: str, other: str) -> str:
    """Why two addresses meet or do not, as one would calculate it on paper."""
    mine, theirs = write(network(address, mask)), write(network(other, mask))
    bits = prefix(mask)
    if bits % 8 == 0:
        count = bits // 8
        numbers = f"the first {'number' if count == 1 else f'{count} numbers'}"
        a, b = ".".join(address.split(".")[:count]), ".".join(other.split(".")[:count])
        rule = f"The mask {mask} compares {numbers}: {name} begins {a}, {other_name} begins {b}."
    else:
        rule = (
            f"With the mask {mask}, {name} {address} lies in {mine} and {other_name} {other} in "
            f"{theirs}."
        )
    apart = "Not the same network: packets do not get there."
    return f"{rule} {'The same network.' if mine == theirs else apart}"


@dataclass(frozen=True)
class Change:
    """One way to bring two devices into the same network: at which end, to what; `bits` says how
    much would change.
    """

    end: str  # here, node
    address: str
    mask: str
    bits: int
    words: str
    commands: tuple[str, ...] = ()


def ways_to_meet(
    adapter: str,
    address: str,
    mask: str,
    node: str,
    other: str,
    other_mask: str = "",
    taken: frozenset[str] = frozenset(),
) -> list[Change]:
    """Changes that would let an adapter and a node meet, nearest first.

    An adapter may take a second address, so nothing it reaches now is lost; a shorter mask is
    offered only while it stays within one lighting range.
    """
    found = []
    theirs = other_mask or (mask if same(address, mask, other) else usual_mask(other))
    spot = _free_near(other, theirs, taken | {other})
    if spot:
        command = f"ip address add {spot}/{prefix(theirs)} dev {adapter}"
        found.append(
            Change(
                "here",
                spot,
                theirs,
                33,
                f"On this computer give {adapter} {spot} as well, mask {theirs}.",
                (command,),
            )
        )
    keep = (number(other) & ~number(mask)) | network(address, mask)
    spot = write(keep)
    if spot in taken | {address} or keep in (
        network(address, mask),
        number(broadcast(address, mask)),
    ):
        spot = _free_near(address, mask, taken | {address})
    if spot:
        changed = (number(spot) ^ number(other)).bit_count()
        found.append(
            Change(
                "node",
                spot,
                mask,
                changed,
                f"At {node} set the address {spot} and the mask {mask}.",
                (),
            )
        )
    bits = common_bits(address, other)
    if 8 <= bits < prefix(mask):
        wide = mask_of(bits // 8 * 8)
        commands = (
            f"ip address add {address}/{prefix(wide)} dev {adapter}",
            f"ip address del {address}/{prefix(mask)} dev {adapter}",
        )
        words = (
            f"On this computer widen the mask of {adapter} to {wide}; {node} must have that mask "
            "too."
        )
        found.append(Change("here", address, wide, prefix(mask) - prefix(wide), words, commands))
    return sorted(found, key=lambda change: change.bits)


def _free_near(address: str, mask: str, taken: frozenset[str]) -> str:
    """A host address of the same network that no unit has; "" when there is none nearby."""
    base, first, last = number(address), network(address, mask), number(broadcast(address, mask))
    for step in range(1, 255):
        for candidate in (base + step, base - step):
            if first < candidate < last and write(candidate) not in taken:
                return write(candidate)
    return ""
