"""A whole roll call against a running simulator, over the network, with the automatic observer
at its side.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import numpy as np

from isthmus.check import rollcall
from isthmus.check.codes import LightCode, Spelt
from isthmus.check.findings.model import Model
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import Slots
from isthmus.check.verdicts import mark
from isthmus.output import Live
from isthmus.show.records import Show
from isthmus.standin.client import RigClient
from isthmus.standin.eyes import NOTICED, Said, say, sights_of

PACKETS = 2  # of every live port, until what was sent has surely come out
TWICE = 2
PATIENCE = 2.0  # seconds
FIRST, ALL = 10.0, 0.15  # until the first packet comes, and then all ports have theirs
GONE = 3.0  # since a port last had anything: no one waits for it any more
State = dict[str, Any]
Progress = Callable[[int, int, str], object]


class Caller:
    """`send` puts the live levels on the network, now."""

    def __init__(self, show: Show, client: RigClient, send: Callable[[Live], object]) -> None:
        self.show, self.client, self._send = show, client, send
        self.live = Live(show)

    def warm_up(self) -> None:
        """Wait until what is sent comes out somewhere: before that every unit is dark, whatever is
        asked.
        """
        end = time.monotonic() + FIRST
        while time.monotonic() < end:
            self._send(self.live)
            if any(p["packets"] >= PACKETS for p in self.client.ask("ports")["ports"]):
                break
            time.sleep(0.02)
        time.sleep(ALL)

    def look(self) -> dict[str, State]:
        """What every unit does, by label, once what is asked now has come out."""
        self._send(self.live)
        before: dict[tuple[str, int], int] = {}
        for _ in range(
            2
        ):  # what had come before waits in the rig's sockets: two rounds of it, and that is read
            before = {
                (p["node"], p["port"]): p["packets"] for p in self.client.ask("ports")["ports"]
            }
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            self._send(self.live)  # the engine goes quiet when no one speaks to it for a while
            live = [
                p
                for p in self.client.ask("ports")["ports"]
                if p["age"] is not None and p["age"] < GONE
            ]
            if all(p["packets"] >= before[(p["node"], p["port"])] + PACKETS for p in live):
                break
            time.sleep(0.008)
        return {str(u["label"]): u for u in self.client.ask("state")["units"]}

    def round(
        self,
        manner: rollcall.Manner,
        only: Sequence[str] | None = None,
        progress: Progress = lambda at, all_, words: None,
    ) -> Show:
        """Call every unit, and keep what the observer says of it; who does not answer is looked at
        twice.

        Levels are given back. Raises EntryFault when no one can be called.
        """
        show = self.show
        model = Model(show, manner.level)
        call = rollcall.begin(show, self.live, manner, only=only)
        try:
            for at, stop in enumerate(call.calls):
                progress(at, len(call.calls), stop.title)
                said = Said("silent")
                for _ in range(TWICE):
                    call = rollcall.jump(call, show, self.live, stop.units[0])
                    said, call = self._one(model, call)
                    if said.result == "works":
                        break
                kinds = tuple(manner.kinds)
                others = said.others
                show = mark(
                    show,
                    stop.units[0],
                    said.result,
                    what=said.what,
                    others=others,
                    acts=kinds,
                    by="automatic observer",
                )
                self.show = show
        finally:
            rollcall.end(call, self.live)
            self._send(self.live)
        return show

    def _one(self, model: Model, call: rollcall.RollCall) -> tuple[Said, rollcall.RollCall]:
        """One unit goes through its acts, and is looked at in each phase."""
        show = self.show
        unit = model.units[call.stop.units[0]]
        by_label = {str(u.number): u.id for u in show.units}
        acts = rollcall.acts_now(call, show)[0][2]
        states: list[State | None] = []
        others: set[str] = set()
        for phase in range(sum(len(act.phases) for act in acts)):
            seen = self.look()
            states.append(seen.get(str(unit.number)))
            if phase == 0:
                lit = (n for n, s in seen.items() if s["level"] > NOTICED and n != str(unit.number))
                others = {by_label[n] for n in lit if n in by_label}
            call, _ = rollcall.step_phase(call, show, self.live)
        return self._said(
            model, unit.id, [a.kind for a in acts for _ in a.phases], states, sorted(others)
        ), call

    @staticmethod
    def _said(
        model: Model, unit: str, kinds: list[str], states: list[State | None], others: list[str]
    ) -> Said:
        whole = [s for s in states if s is not None]
        if len(whole) < len(states):  # nothing hangs there
            return Said("wrong", ("other",), tuple(others)) if others else Said("silent")
        _, wished, all_kinds = model.own(unit)
        return say(
            wished.at([i for i, k in enumerate(all_kinds) if k in kinds]),
            sights_of(whole),
            kinds,
            others,
        )

    @contextmanager
    def _nothing_else(self) -> Iterator[None]:
        """Only what is laid over is lit; levels are given back."""
        before, over = self.live.snapshot(), dict(self.live.over)
        self.live.restore({})
        self.look()  # whatever was on before is gone then
        yield
        self.live.lay_over(over)
        self.live.restore(before)
        self._send(self.live)

    def _brightest(self, slots: Slots) -> dict[str, float]:
        """The level of each unit's brightest cell, by label, while these slots are lit."""
        self.live.lay_over(slots)
        return {
            label: float(np.max(state["cells"], initial=0.0))
            for label, state in self.look().items()
        }

    def hunt(self, hunt: Hunt) -> int:
        """Hunt a unit with the observer's eyes; returns the looks taken."""
        with self._nothing_else():
            while (look := hunt.look()) is not None and hunt.used < hunt.most + 4:
                number = str(hunt.unit.number)
                levels = [self._brightest(frame).get(number, 0.0) for frame in look.frames]
                hunt.answer(look, hunt.measured(levels))
        return hunt.used

    def spell(self, code: LightCode) -> dict[str, Spelt]:
        """Show every picture of a light code; returns what each unit spelt, by id."""
        seen: dict[str, list[bool | None]] = {c.unit.id: [] for c in code.units}
        with self._nothing_else():
            for picture in range(len(code.pictures)):
                levels = self._brightest(code.slots(picture))
                for coded in code.units:
                    seen[coded.unit.id].append(
                        coded.lights(levels.get(str(coded.unit.number), 0.0))
                    )
        return {unit: code.read(unit, noted) for unit, noted in seen.items()}
