"""Meshes and gobo pictures of a rig, read out of its profiles and the show's kept files.
Read once.
"""

from __future__ import annotations

import hashlib
import io
import zipfile
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import FileFault, IsthmusError
from isthmus.pictures import small_picture
from isthmus.profiles.make.glb import mesh_of
from isthmus.profiles.records import Model
from isthmus.show.container import MAX_MEMBER, ZIP_ERRORS, read_member
from isthmus.show.records import Show, StoredProfile
from isthmus.stage.meshes_in import Triangles, fitted, read_mesh, simplified
from isthmus.stage.rig import GoboKey, MeshKey, Rig

GOBO_SIZE = 96
Gobo = NDArray[np.uint8]  # (GOBO_SIZE, GOBO_SIZE), 255 lets light through
_FOLDERS = (
    ("models/gltf", "glb"),
    ("models/gltf_high", "glb"),
    ("models/gltf_low", "glb"),
    ("models/3ds", "3ds"),
    ("models/3ds_high", "3ds"),
)
BODY = 3_000  # triangles of one part of a unit: there may be hundreds of them
MOST = 40_000  # of anything


@lru_cache(maxsize=256)
def _member(data: bytes, names: tuple[str, ...]) -> bytes | None:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            known = {n.lower(): n for n in archive.namelist()}
            for name in names:
                if name.lower() in known:
                    return read_member(
                        archive, archive.getinfo(known[name.lower()]), MAX_MEMBER, name
                    )
    except (*ZIP_ERRORS, FileFault, KeyError, ValueError, OSError):
        return None
    return None


@lru_cache(maxsize=512)
def _body(data: bytes, key: MeshKey, triangles: int) -> Triangles | None:
    found = _member(data, tuple(f"{folder}/{key.file}.{ending}" for folder, ending in _FOLDERS))
    if found is None:
        return None
    try:
        most = min(triangles or MOST, MOST)
        return simplified(fitted(read_mesh(found, key.file), key.size), most)
    except IsthmusError:
        return None  # a stand-in body takes its place


def bodies(show: Show, rig: Rig, triangles: int = BODY) -> tuple[Triangles, ...]:
    """The mesh of each of the rig's bodies, of so many triangles at most (0: all); one made here
    where it is missing or cannot be read.
    """
    profiles = {p.key: p for p in show.profiles}
    found = []
    for key in rig.meshes:
        stored = profiles.get(key.profile)
        read = _body(stored.data, key, triangles) if stored else None
        found.append(read if read is not None else _made(key))
    return tuple(found)


@lru_cache(maxsize=256)
def _made(key: MeshKey) -> Triangles:
    length, width, height = (max(v, 0.02) for v in key.size)
    primitive = "" if key.profile else key.file.removesuffix("1_1")
    return mesh_of(Model(name="", length=length, width=width, height=height, primitive=primitive))


@lru_cache(maxsize=64)
def set_piece(data: bytes, name: str) -> Triangles | None:
    """A kept mesh of a structure."""
    try:
        return simplified(read_mesh(data, name), MOST)
    except IsthmusError:
        return None


def gobos(show: Show, rig: Rig) -> tuple[Gobo, ...]:
    """A picture for each of the rig's gobos: the profile's own, else one made from its name."""
    profiles = {p.key: p for p in show.profiles}
    return tuple(_gobo(profiles.get(key.profile), key) for key in rig.gobos)


def _gobo(profile: StoredProfile | None, key: GoboKey) -> Gobo:
    if profile is not None and key.media:
        found = _member(
            profile.data,
            (f"wheels/{key.media}", f"wheels/{key.media}.png", f"wheels/{key.media}.jpg"),
        )
        picture = _read_gobo(found) if found else None
        if picture is not None:
            return picture
    return made_gobo(key.name)


@lru_cache(maxsize=256)
def _read_gobo(data: bytes) -> Gobo | None:
    """None for one that cannot be read: one made from the name takes its place."""
    from PIL import Image

    try:
        flat = small_picture(data, 4 * GOBO_SIZE).convert("RGBA")
    except FileFault:
        return None
    black = Image.new("RGBA", flat.size, (0, 0, 0, 255))
    grey = Image.alpha_composite(black, flat).convert("L").resize((GOBO_SIZE, GOBO_SIZE))
    return np.asarray(grey, np.uint8).copy()


@lru_cache(maxsize=256)
def made_gobo(name: str) -> Gobo:
    """A pattern of our own for a gobo without a picture, always the same for the same name."""
    seed = int.from_bytes(hashlib.sha256(name.lower().encode()).digest()[:4], "big")
    rng = np.random.default_rng(seed)
    axis = np.linspace(-1, 1, GOBO_SIZE)
    x, y = np.meshgrid(axis, -axis)
    r, a = np.hypot(x, y), np.arctan2(y, x)
    kind, many = seed % 5, int(rng.integers(4, 9))
    if kind == 0:  # a net
        value = np.maximum(np.cos(x * many * 2.2), np.cos(y * many * 2.2)) - 0.35
    elif kind == 1:  # rays
        value = np.cos(a * many) + 0.1
    elif kind == 2:  # ripples
        value = np.cos(r * many * 3.0 + np.sin(a * 3) * 1.5)
    elif kind == 3:  # shingle: discs scattered
        value = np.full_like(r, -1.0)
        for _ in range(many * 4):
            cx, cy, size = (
                rng.uniform(-0.85, 0.85),
                rng.uniform(-0.85, 0.85),
                rng.uniform(0.06, 0.16),
            )
            value = np.maximum(value, size - np.hypot(x - cx, y - cy))
        value *= 8
    else:  # a spiral
        value = np.cos(a * 3 + r * many * 2.0)
    value = np.clip(value * 6 + 0.5, 0, 1) * (r < 0.98)
    return (value * 255).astype(np.uint8)
