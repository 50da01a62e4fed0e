"""Meshes from outside: glb, obj and 3ds as triangles, bounded, simplified when heavy.
Metres, z up.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import FileFault

Triangles = NDArray[np.float32]  # (n, 3, 3)
MAX_FILE = 48 * 1024 * 1024
MAX_TRIANGLES = 2_000_000
HEAVY = 6_000  # triangles a body is drawn with at most
_FARTHEST = 1e5


def read_mesh(data: bytes, where: str) -> Triangles:
    """Read a mesh by what its bytes are. Raises FileFault for what is not a mesh, has no size, or
    is too large.
    """
    if len(data) > MAX_FILE:
        raise FileFault(
            f"it is larger than {MAX_FILE // 2**20} MB.", where=where, do="Export it simpler."
        )
    if data[:4] == b"glTF":
        found = _by_library(data, "glb", where)
        found = found[:, :, [0, 2, 1]] * np.array([1, -1, 1], np.float32)  # glTF has y up
    elif data[:2] == b"MM":
        found = _read_3ds(data, where)
    elif _is_obj(data):
        found = _by_library(data, "obj", where)
    else:
        raise FileFault("this is not a glb, 3ds or obj mesh.", where=where, do="Export it as glb.")
    if not len(found):
        raise FileFault("the mesh has no faces.", where=where, do="Export it again.")
    if not np.isfinite(found).all() or np.abs(found).max() > _FARTHEST:
        raise FileFault(
            "the mesh has corners that are not places.", where=where, do="Export it again."
        )
    if float(np.ptp(found.reshape(-1, 3), axis=0).max()) < 1e-6:
        raise FileFault("the mesh has no size.", where=where, do="Export it again.")
    return found


def _is_obj(data: bytes) -> bool:
    head = data[:20000].decode("latin-1")
    return any(line.startswith("v ") for line in head.splitlines())


def _by_library(data: bytes, kind: str, where: str) -> Triangles:
    import trimesh  # a third of a second, and only for shows that have meshes

    try:
        scene = trimesh.load_scene(
            io.BytesIO(data), file_type=kind, resolver={}, skip_materials=True
        )  # other files it names: there are none
        mesh = scene.to_mesh()
        faces = np.asarray(mesh.triangles, np.float32).reshape(-1, 3, 3)
    except FileFault:
        raise
    except Exception as error:  # the library raises whatever a broken file leads to
        raise FileFault(
            f"the mesh cannot be read: {str(error)[:120]}.", where=where, do="Export it again."
        ) from error
    if len(faces) > MAX_TRIANGLES:
        raise FileFault(
            f"it has {len(faces)} triangles.",
            where=where,
            do=f"Export it with at most {MAX_TRIANGLES}.",
        )
    return faces


_CONTAINERS = (0x4D4D, 0x3D3D, 0x4100)
_OBJECT, _CORNERS, _FACES = 0x4000, 0x4110, 0x4120


def _chunks(data: bytes, start: int, end: int) -> Iterator[tuple[int, int, int]]:
    while start + 6 <= end:
        kind, size = struct.unpack_from("<HI", data, start)
        if size < 6 or start + size > end:
            return
        yield kind, start + 6, start + size
        start += size


def _read_3ds(data: bytes, where: str) -> Triangles:
    """Corners and faces of all objects; the format's usual millimetres are told by their size."""
    parts: list[Triangles] = []
    corners: NDArray[np.float32] = np.zeros((0, 3), np.float32)
    stack = [(0, len(data))]
    total = 0
    while stack:
        start, end = stack.pop()
        for kind, first, last in reversed(list(_chunks(data, start, end))):
            if kind == _OBJECT:
                name_end = data.find(b"\0", first, last)
                if name_end >= 0:
                    stack.append((name_end + 1, last))
            elif kind in _CONTAINERS:
                stack.append((first, last))
        for kind, first, last in _chunks(data, start, end):
            if kind == _CORNERS and last - first >= 2:
                count = min(struct.unpack_from("<H", data, first)[0], (last - first - 2) // 12)
                corners = (
                    np.frombuffer(data, "<f4", count * 3, first + 2)
                    .reshape(-1, 3)
                    .astype(np.float32)
                )
            elif kind == _FACES and last - first >= 2:
                count = min(struct.unpack_from("<H", data, first)[0], (last - first - 2) // 8)
                faces = np.frombuffer(data, "<u2", count * 4, first + 2).reshape(-1, 4)[:, :3]
                faces = faces[(faces < len(corners)).all(axis=1)]
                parts.append(corners[faces])
                total += len(faces)
                if total > MAX_TRIANGLES:
                    raise FileFault(
                        f"it has more than {MAX_TRIANGLES} triangles.",
                        where=where,
                        do="Export it simpler.",
                    )
    found = np.concatenate(parts) if parts else np.zeros((0, 3, 3), np.float32)
    return found / np.float32(1000.0) if len(found) and float(np.abs(found).max()) > 20.0 else found


def simplified(triangles: Triangles, most: int = HEAVY) -> Triangles:
    """At most about so many triangles: corners are drawn together on a grid that is coarsened until
    it is enough.
    """
    if len(triangles) <= most:
        return triangles
    flat = triangles.reshape(-1, 3)
    low, size = flat.min(axis=0), float(np.ptp(flat, axis=0).max())
    cells = 256
    found = triangles
    while cells >= 4:
        grid = np.floor((flat - low) / (size / cells)).astype(np.int64)
        key = (grid[:, 0] * 1024 + grid[:, 1]) * 1024 + grid[:, 2]
        _, which, count = np.unique(key, return_inverse=True, return_counts=True)
        middles = np.zeros((len(count), 3))
        np.add.at(middles, which, flat)
        middles /= count[:, None]
        faces = which.reshape(-1, 3)
        faces = faces[
            (faces[:, 0] != faces[:, 1])
            & (faces[:, 1] != faces[:, 2])
            & (faces[:, 0] != faces[:, 2])
        ]
        faces = faces[np.unique(np.sort(faces, axis=1), axis=0, return_index=True)[1]]
        found = middles[faces].astype(np.float32)
        if len(found) <= most:
            return found
        cells = int(cells / 1.4)
    return found[:most]


def fitted(triangles: Triangles, size: tuple[float, float, float]) -> Triangles:
    """A body brought to the measures its model states, about its own origin; measures of 0
    leave it as it is.
    """
    span = np.ptp(triangles.reshape(-1, 3), axis=0)
    wanted = np.array(size, np.float32)
    factor = np.where((wanted > 1e-4) & (span > 1e-6), wanted / np.maximum(span, 1e-6), 1.0)
    return (triangles * factor).astype(np.float32)


def standing(triangles: Triangles, size: tuple[float, float, float]) -> NDArray[np.float64]:
    """A set piece brought to its size, standing on the middle of its base, (n, 3, 3)."""
    flat = triangles.reshape(-1, 3).astype(np.float64)
    low, high = flat.min(axis=0), flat.max(axis=0)
    span = np.maximum(high - low, 1e-6)
    whole = (flat - (low + high) / 2) / span * np.array(size) + np.array([0, 0, size[2] / 2])
    return whole.reshape(-1, 3, 3)
