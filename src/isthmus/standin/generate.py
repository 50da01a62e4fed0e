"""Made-up rigs with faults, for measuring findings: a show as it should be, and a scenario as it
really hangs.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from isthmus.profiles import chart
from isthmus.profiles.records import Profile
from isthmus.profiles.store import read_stored
from isthmus.show.records import Handling, Limit, Node, Output, Patched, Show, StoredProfile, Unit
from isthmus.standin.scenario import Loaded, Scenario, SimNode, SimUnit

PLACES = (
    "Bow rail",
    "Port mast",
    "Starboard mast",
    "Mast bridge",
    "Boathouse eave",
    "Foredeck",
    "Waterline",
    "Boathouse boom",
)
SIZE = (3, 8)  # units at a position
SHARED = 0.2  # of the ports carry the universe of the port before
KINDS = (
    *(
        "dead",
        "lamp",
        "address",
        "double",
        "exchanged",
        "mode",
        "run",
        "shifted",
        "swapped",
        "pan inverted",
        "tilt inverted",
    ),
    *("show", "port dark", "node dark", "port number", "ports exchanged", "sender", "output off"),
)


@dataclass(frozen=True)
class Fault:
    """One thing that is wrong, as findings should name it; `units` are those it concerns."""

    kind: str
    about: tuple[object, ...]
    units: tuple[str, ...]


@dataclass(frozen=True)
class MadeRig:
    """`dark` are ports nothing comes out of (node name, port from 0); `numbers` what each port
    really listens to; `senders` the universes another program sends to; `rdm` whether its units
    answer RDM.
    """

    show: Show
    loaded: Loaded
    faults: tuple[Fault, ...]
    off: frozenset[str]  # nodes without power
    dark: frozenset[tuple[str, int]]
    senders: frozenset[int]
    rdm: bool


class _Maker:
    def __init__(self, seed: int, stored: Sequence[StoredProfile]) -> None:
        self.rng = random.Random(seed)
        self.stored = list(stored)
        read = [(s.key, read_stored(s)) for s in stored]
        self.kinds = [
            (k, p, m)
            for k, p in read
            if isinstance(p, Profile)
            for m in p.modes
            if len(chart(p, m).footprints) == 1 and _gives_light(p)
        ]
        self.profiles = {k: p for k, p in read if isinstance(p, Profile)}
        self.units: list[Unit] = []
        self.sims: dict[str, SimUnit] = {}
        self.faults: list[Fault] = []
        self.used: set[str] = set()
        self.universe_used: set[int] = set()
        self.dark: set[tuple[str, int]] = set()
        self.off: set[str] = set()
        self.senders: set[int] = set()
        self.closed: set[int] = set()
        self.numbers: dict[tuple[str, int], int] = {}
        self.behind: dict[str, str] = {}  # unit → the output it hangs behind

    # ------------------------------------------------------------ as it should be

    def hang(self) -> None:
        count = self.rng.choice((1, 2, 2, 3))
        sizes = [self.rng.choice((1, 2, 2, 4)) for _ in range(count)]
        self.nodes = [
            Node(
                id=f"n{i}",
                name=f"Ferry {'ABC'[i]}",
                ip=f"127.0.0.{i + 2}",
                ports=tuple(16 * i + p for p in range(size)),
            )
            for i, size in enumerate(sizes)
        ]
        self.outputs, universe = [], 0
        for node in self.nodes:
            for number in node.ports:
                universe += (
                    not universe or self.rng.random() >= SHARED
                )  # else another port of the universe before
                self.outputs.append(
                    Output(id=f"o{number}", universe=universe, host=node.ip, port_address=number)
                )
        for at in range(universe):
            mine = [o for o in self.outputs if o.universe == at + 1]
            address = self.rng.choice((1, 1, 1, 11, 101))
            places = self.rng.sample(PLACES, max(len(mine), self.rng.choice((1, 2, 2))))
            for i, place in enumerate(places):
                output = mine[i % len(mine)]
                key, profile, mode = self.rng.choice(self.kinds)
                width = chart(profile, mode).footprint
                step = width if self.rng.random() < 0.7 else -(-width // 10) * 10
                for spot in range(self.rng.randint(*SIZE)):
                    if address + width - 1 <= 500:
                        self.add(key, mode.name, output, place, address, spot, at)
                        address += step
                address += self.rng.choice((0, 0, 5, 20))

    def add(
        self, key: str, mode: str, output: Output, place: str, address: int, i: int, at: int
    ) -> None:
        number = (
            100 * (at + 1) + sum(u.patch[0].universe == output.universe for u in self.units) + 1
        )
        uid = f"u{number}"
        patch = (Patched(universe=output.universe, address=address),)
        spot = (float(i), float(at), 4.0)
        made = Unit(
            id=uid,
            number=number,
            name=place,
            profile=key,
            mode=mode,
            patch=patch,
            hangs_on=place,
            position=spot,
        )
        self.units.append(made)
        self.behind[uid] = output.id
        node = next(n for n in self.nodes if n.ip == output.host)
        port = node.ports.index(output.port_address)
        self.sims[uid] = SimUnit(f"S{number}", str(number), key, mode, node.name, port, address)

    # ------------------------------------------------------------ as it hangs

    def spoil(self, count: int, kinds: Sequence[str]) -> None:
        for _ in range(200):
            if len(self.faults) >= count:
                return
            kind = self.rng.choice(list(kinds))
            getattr(self, f"_{kind.replace(' ', '_')}", self._inside)(kind)

    def _free(self, want: Any = lambda unit: True) -> Unit | None:
        found = [
            u
            for u in self.units
            if u.id not in self.used and u.patch[0].universe not in self.universe_used and want(u)
        ]
        return self.rng.choice(found) if found else None

    def _line(self, universe: int) -> list[Unit]:
        return [u for u in self.units if u.patch[0].universe == universe]

    def _take(
        self, kind: str, about: tuple[object, ...], units: Sequence[str], whole: Sequence[int] = ()
    ) -> None:
        self.faults.append(Fault(kind, about, tuple(units)))
        self.used.update(units)
        self.universe_used.update(whole)

    def _set(self, uid: str, **changes: Any) -> None:
        self.sims[uid] = replace(self.sims[uid], **changes)

    def _has(self, unit: Unit, *attributes: str) -> bool:
        profile = self.profiles[unit.profile]
        mode = profile.mode(unit.mode)
        return mode is not None and set(attributes) <= {
            c.attribute for c in chart(profile, mode).channels
        }

    def _width(self, unit: Unit, mode: str) -> int:
        profile = self.profiles[unit.profile]
        found = profile.mode(mode)
        return chart(profile, found).footprint if found else 0

    def _inside(self, kind: str) -> None:
        wants = {
            "lamp": ("Pan",),
            "swapped": ("Pan", "Tilt"),
            "pan inverted": ("Pan",),
            "tilt inverted": ("Tilt",),
        }.get(kind, ())
        unit = self._free(lambda u: self._has(u, *wants))
        if unit:
            self._set(unit.id, faults=(kind,))
            self._take(kind, (unit.id,), [unit.id])

    def _show(self, kind: str) -> None:
        unit = self._free(lambda u: self._has(u, "Dimmer"))
        if unit:
            limit, dimmed = (
                (Limit(attribute="Dimmer", high=0.2),),
                Handling(curve="points", points=((0, 0), (1, 0.3))),
            )
            changed = (
                replace(unit, limits=limit)
                if self.rng.random() < 0.5
                else replace(unit, handling=dimmed)
            )
            self.units[self.units.index(unit)] = changed
            self._take(kind, (unit.id,), [unit.id])

    def _address(self, kind: str) -> None:
        unit = self._free()
        if unit:
            was, width = unit.patch[0].address, self._width(unit, unit.mode)
            turned = int(f"{was:03d}"[::-1])
            steps = (1, -1, width, -width, 10, 100, -100)
            ways = [*(was + step for step in steps), turned, self.rng.randint(1, 490)]
            taken = {u.patch[0].address for u in self._line(unit.patch[0].universe)}
            new = self.rng.choice(ways)
            if 1 <= new <= 512 - width and new != was and new not in taken:
                self._set(unit.id, address=new)
                self._take(kind, (unit.id, new - was), [unit.id])

    def _other(self, unit: Unit | None, same_mode: bool) -> Unit | None:
        """Another unit of the kind on the same universe that nothing is wrong with yet."""
        if unit is None:
            return None
        line = [
            u
            for u in self._line(unit.patch[0].universe)
            if u.id != unit.id and u.id not in self.used and u.profile == unit.profile
        ]
        alike = [u for u in line if u.mode == unit.mode or not same_mode]
        return self.rng.choice(alike) if alike else None

    def _double(self, kind: str) -> None:
        unit = self._free()
        other = self._other(unit, False)
        if unit and other:
            self._set(unit.id, address=other.patch[0].address)
            self._take(kind, (unit.id, other.id), [unit.id])
            self.used.add(other.id)

    def _exchanged(self, kind: str) -> None:
        unit = self._free()
        other = self._other(unit, True)
        if unit and other:
            a, b = self.sims[unit.id].address, self.sims[other.id].address
            self._set(unit.id, address=b)
            self._set(other.id, address=a)
            self._take(kind, tuple(sorted((unit.id, other.id))), [unit.id, other.id])

    def _mode(self, kind: str) -> None:
        unit = self._free(lambda u: len(self.profiles[u.profile].modes) > 1)
        if unit:
            mode = self.rng.choice(
                [m.name for m in self.profiles[unit.profile].modes if m.name != unit.mode]
            )
            self._set(unit.id, mode=mode)
            self._take(kind, (unit.id, mode), [unit.id])

    def _hang_of(self, unit: Unit) -> list[Unit]:
        mine = [u for u in self._line(unit.patch[0].universe) if u.hangs_on == unit.hangs_on]
        return sorted(mine, key=lambda u: u.patch[0].address)

    def _shifted(self, kind: str) -> None:
        unit = self._free()
        mine = self._hang_of(unit) if unit else []
        if unit and len(mine) >= 3 and not self.used.intersection(u.id for u in mine):
            by = self.rng.choice(
                (1, -1, 10, self._width(unit, unit.mode), -self._width(unit, unit.mode), 100)
            )
            if all(1 <= u.patch[0].address + by <= 512 - self._width(u, u.mode) for u in mine):
                for u in mine:
                    self._set(u.id, address=u.patch[0].address + by)
                self._take(kind, (unit.hangs_on, unit.patch[0].universe, by), [u.id for u in mine])

    def _run(self, kind: str) -> None:
        unit = self._free(lambda u: len(self.profiles[u.profile].modes) > 1)
        mine = self._hang_of(unit) if unit else []
        if unit and len(mine) >= 4 and not self.used.intersection(u.id for u in mine):
            at = self.rng.randrange(len(mine) - 2)
            first = mine[at]
            wide = self._width(first, first.mode)
            modes = [
                m.name
                for m in self.profiles[first.profile].modes
                if self._width(first, m.name) != wide
            ]
            if modes:
                mode = self.rng.choice(modes)
                by = self._width(first, mode) - wide
                if all(
                    1 <= u.patch[0].address + by <= 512 - self._width(u, u.mode) for u in mine[at:]
                ):
                    self._set(first.id, mode=mode)
                    for u in mine[at + 1 :]:
                        self._set(u.id, address=u.patch[0].address + by)
                    self._take(kind, (first.id, mode, by), [u.id for u in mine[at:]])

    def _port(self, alone: bool = False) -> tuple[Node, int, Output] | None:
        """A port that nothing is wrong with yet; `alone` when its universe goes to no other."""
        free = [
            o
            for o in self.outputs
            if o.universe not in self.universe_used and len(self._ids(o)) > 1
        ]
        free = [o for o in free if not self.used.intersection(u.id for u in self._line(o.universe))]
        if alone:
            free = [o for o in free if sum(x.universe == o.universe for x in self.outputs) == 1]
        if not free:
            return None
        output = self.rng.choice(free)
        node = next(n for n in self.nodes if n.ip == output.host)
        return node, node.ports.index(output.port_address), output

    def _ids(self, *outputs: Output) -> list[str]:
        """The units behind the ports of these outputs."""
        mine = {o.id for o in outputs}
        return [u.id for u in self.units if self.behind[u.id] in mine]

    def _port_dark(self, kind: str) -> None:
        if found := self._port():
            node, port, output = found
            self.dark.add((node.name, port))
            self._take(
                kind, ((node.id, port + 1), output.universe), self._ids(output), [output.universe]
            )

    def _node_dark(self, kind: str) -> None:
        found = self._port() if len(self.nodes) > 1 else None
        if found:
            node = found[0]
            mine = [o for o in self.outputs if o.host == node.ip]
            universes = [o.universe for o in mine]
            if not self.universe_used.intersection(universes) and not self.used.intersection(
                self._ids(*mine)
            ):
                self.off.add(node.name)
                self._take(kind, (node.id,), self._ids(*mine), universes)

    def _port_number(self, kind: str) -> None:
        if found := self._port():
            node, port, output = found
            number = output.port_address + self.rng.choice((1, -1))
            same = any(
                o.host == node.ip and o.port_address == number and o.universe == output.universe
                for o in self.outputs
            )
            if number >= 0 and not same:
                self.numbers[(node.name, port)] = number
                self._take(
                    kind,
                    ((node.id, port + 1), output.universe, number),
                    self._ids(output),
                    [output.universe],
                )

    def _ports_exchanged(self, kind: str) -> None:
        a, b = self._port(), self._port()
        if a and b and a[2].universe != b[2].universe:
            if (
                a[0] is b[0] and self.rng.random() < 0.5
            ):  # their numbers; two nodes get each only what is sent to them
                for (node, port, _), (_, _, other) in ((a, b), (b, a)):
                    self.numbers[(node.name, port)] = other.port_address
            else:  # their cables
                lines = (self._ids(a[2]), b), (self._ids(b[2]), a)
                for ids, (node, port, _) in lines:
                    for uid in ids:
                        self._set(uid, node=node.name, port=port)
            both = sorted((a[2].universe, b[2].universe))
            self._take(kind, tuple(both), self._ids(a[2], b[2]), both)

    def _sender(self, kind: str) -> None:
        if found := self._port(alone=True):
            universe = found[2].universe
            self.senders.add(universe)
            self._take(kind, (universe,), self._ids(found[2]), [universe])

    def _output_off(self, kind: str) -> None:
        if found := self._port():
            output = found[2]
            self.outputs[self.outputs.index(output)] = replace(output, enabled=False)
            self._take(kind, (output.universe,), self._ids(output), [output.universe])

    # ------------------------------------------------------------

    def made(self, rdm: bool) -> MadeRig:
        show = Show(name="Made-up rig", units=tuple(self.units), profiles=tuple(self.stored))
        show = replace(show, nodes=tuple(self.nodes), outputs=tuple(self.outputs))
        nodes = []
        for node in self.nodes:
            ports = tuple(
                self.numbers.get((node.name, i), number) for i, number in enumerate(node.ports)
            )
            nodes.append(SimNode(node.name, node.ip, ports))
        sims = tuple(self.sims[u.id] for u in self.units)
        used = {
            s.profile: (
                self.profiles[s.profile],
                next(x.data for x in self.stored if x.key == s.profile),
            )
            for s in sims
        }
        modes = tuple(found for s in sims if (found := self.profiles[s.profile].mode(s.mode)))
        loaded = Loaded(Scenario("made", tuple(nodes), sims), used, modes)
        return MadeRig(
            show,
            loaded,
            tuple(self.faults),
            frozenset(self.off),
            frozenset(self.dark),
            frozenset(self.senders),
            rdm,
        )


def _gives_light(profile: Profile) -> bool:
    from isthmus.profiles import light_program

    return bool(light_program(profile, profile.modes[0]).assembly.beams)


def make_rig(
    seed: int,
    stored: Sequence[StoredProfile],
    count: int | None = None,
    kinds: Sequence[str] = KINDS,
) -> MadeRig:
    """A rig with 1 to 4 faults, always the same for a seed. Profiles are taken from `stored`."""
    maker = _Maker(seed, stored)
    maker.hang()
    maker.spoil(count or maker.rng.randint(1, 4), kinds)
    return maker.made(maker.rng.random() < 0.5)
