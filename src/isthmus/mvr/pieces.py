"""Meshes of what stands in a scene: its files and symbols as triangles in the thing's own frame."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

import numpy as np

from isthmus.errors import IsthmusError
from isthmus.mvr import records as r
from isthmus.mvr.archive import Mvr
from isthmus.mvr.space import transform
from isthmus.stage.meshes_in import Triangles, read_mesh
from isthmus.stage.transforms import Array

MAX_RING = 16  # symbols inside each other
MOST_PIECES = 2_000  # of one thing
MOST = 400_000  # triangles of one thing


class Tell(Protocol):
    """Of a place, in a sentence; what goes by the same `once` is told once."""

    def __call__(self, place: str, text: str, once: str = "") -> None: ...


class Meshes:
    """Reads each file once."""

    def __init__(self, mvr: Mvr, tell: Tell) -> None:
        self.mvr, self.tell = mvr, tell
        self.used: set[str] = set()
        self._symbols = {symbol.uuid.lower(): symbol for symbol in mvr.scene.symbols}
        self._files: dict[str, Triangles | None] = {}

    def of(self, thing: r.Thing) -> Triangles | None:
        """(n, 3, 3) in metres, all pieces together; None where there is none that can be read."""
        place = f"{thing.kind} “{thing.name[:60]}”"
        parts: list[Triangles] = []
        self._count = self._room = 0
        self._collect(thing.pieces, np.eye(4), parts, place, ())
        return np.concatenate(parts) if parts else None

    def _collect(
        self,
        pieces: Iterable[r.Piece],
        at: Array,
        parts: list[Triangles],
        place: str,
        inside: tuple[str, ...],
    ) -> None:
        for piece in pieces:
            self._count += 1
            if self._count > MOST_PIECES or self._room > MOST:
                self.tell(
                    place,
                    "It has more pieces than are read; the rest is left out.",
                    f"much {place}",
                )
                return
            here = at @ transform(piece.matrix)
            if piece.kind == "Symbol":
                key = piece.symbol.lower()
                symbol = self._symbols.get(key)
                if symbol is None:
                    self.tell(place, f"There is no symbol “{piece.symbol[:40]}”.", f"symbol {key}")
                elif key in inside or len(inside) >= MAX_RING:
                    self.tell(
                        place,
                        f"Symbol “{symbol.name[:40]}” stands in itself; it is left out.",
                        f"ring {key}",
                    )
                else:
                    self._collect(symbol.pieces, here, parts, place, (*inside, key))
                continue
            found = self._file(piece.file, place)
            if found is not None:
                turned = found.astype(np.float64) @ here[:3, :3].T + here[:3, 3] / 1000.0
                parts.append(turned.astype(np.float32))
                self._room += len(found)

    def _file(self, name: str, place: str) -> Triangles | None:
        member = self.mvr.named(name, ".glb") or self.mvr.named(name, ".3ds")
        if not member:
            self.tell(place, f"Its mesh “{name[:60]}” is not in the file.", f"mesh {name}")
            return None
        self.used.add(member)
        if member not in self._files:
            data = self.mvr.member(member)
            try:
                self._files[member] = read_mesh(data, member) if data is not None else None
            except IsthmusError as error:
                self.tell(
                    place, f"Its mesh “{name[:60]}” is not read: {error.what}", f"mesh {name}"
                )
                self._files[member] = None
        return self._files[member]
