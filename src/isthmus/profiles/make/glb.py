"""Meshes for profiles made here, as binary glTF 2.0: boxes, drums and yokes in the measures of
their models.
"""

from __future__ import annotations

import itertools
import json
import math
import struct

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.records import Model, Profile

Triangles = NDArray[np.float32]  # (n, 3, 3): three corners each, counter-clockwise from outside


def box(low: tuple[float, float, float], high: tuple[float, float, float]) -> Triangles:
    corners = np.array(list(itertools.product(*zip(low, high, strict=True))), np.float32)
    faces = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))
    return np.array(
        [
            [corners[a], corners[b], corners[c]]
            for f in faces
            for a, b, c in ((f[0], f[1], f[2]), (f[0], f[2], f[3]))
        ],
        np.float32,
    )


def drum(
    width: float, depth: float, profile: tuple[tuple[float, float], ...], sides: int = 20
) -> Triangles:
    """A turned body: rings of (share of the radius, z), closed at both ends."""
    angles = np.linspace(0, 2 * math.pi, sides + 1)
    ring = np.stack([np.cos(angles) * width / 2, np.sin(angles) * depth / 2], axis=1)
    rows = []
    for (r0, z0), (r1, z1) in itertools.pairwise(
        ((0.0, profile[0][1]), *profile, (0.0, profile[-1][1]))
    ):
        for a, b in itertools.pairwise(ring):
            p, q, s, t = (*(a * r0), z0), (*(b * r0), z0), (*(b * r1), z1), (*(a * r1), z1)
            rows += [(p, t, s), (p, s, q)]
    return np.array(rows, np.float32)


def mesh_of(model: Model) -> Triangles:
    """The mesh of a model, hanging from the middle of its top, in metres."""
    w, d, h = model.length, model.width, model.height
    if model.primitive == "Yoke":
        arm = 0.14 * w
        return np.concatenate(
            [
                box((-w / 2, -d / 2, -0.14 * h), (w / 2, d / 2, 0.0)),
                box((-w / 2, -d / 2, -h), (-w / 2 + arm, d / 2, 0.0)),
                box((w / 2 - arm, -d / 2, -h), (w / 2, d / 2, 0.0)),
            ]
        )
    if model.primitive in ("Head", "Cylinder", "Conventional"):
        nose = ((0.62, 0.0), (0.98, -0.16 * h), (1.0, -0.6 * h), (0.84, -0.92 * h), (0.9, -h))
        return drum(
            w,
            d,
            nose if model.primitive != "Cylinder" else ((0.9, 0.0), (1.0, -0.08 * h), (1.0, -h)),
        )
    if model.primitive == "Base":
        return np.concatenate(
            [
                box((-w / 2, -d / 2, -0.8 * h), (w / 2, d / 2, 0.0)),
                drum(0.5 * min(w, d), 0.5 * min(w, d), ((1.0, -0.8 * h), (1.0, -h))),
            ]
        )
    return box((-w / 2, -d / 2, -h), (w / 2, d / 2, 0.0))


def glb(triangles: Triangles) -> bytes:
    """A file with one mesh. glTF's up is +y, GDTF's is +z: (x, y, z) is written as (x, z, −y)."""
    points = triangles.reshape(-1, 3)[:, [0, 2, 1]] * np.array([1, 1, -1], np.float32)
    edges = points.reshape(-1, 3, 3)
    normals = np.cross(edges[:, 1] - edges[:, 0], edges[:, 2] - edges[:, 0])
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = np.repeat(normals / np.where(length > 0, length, 1), 3, axis=0).astype(np.float32)
    body = points.astype("<f4").tobytes() + normals.astype("<f4").tobytes()
    half = len(body) // 2
    low, high = (
        (points.min(axis=0), points.max(axis=0)) if len(points) else (np.zeros(3), np.zeros(3))
    )
    head = {
        "asset": {"version": "2.0", "generator": "isthmus"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "NORMAL": 1}}]}],
        "buffers": [{"byteLength": len(body)}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": half},
            {"buffer": 0, "byteOffset": half, "byteLength": half},
        ],
        "accessors": [
            {
                "bufferView": 0,
                "componentType": 5126,
                "count": len(points),
                "type": "VEC3",
                "min": low.tolist(),
                "max": high.tolist(),
            },
            {"bufferView": 1, "componentType": 5126, "count": len(points), "type": "VEC3"},
        ],
    }
    text = json.dumps(head, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = (
        struct.pack("<I4s", len(text), b"JSON")
        + text
        + struct.pack("<I4s", len(body), b"BIN\0")
        + body
    )
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def mesh_files(profile: Profile) -> dict[str, bytes]:
    """The members a profile's models speak of."""
    return {
        f"models/gltf/{model.file}.glb": glb(mesh_of(model))
        for model in profile.models
        if model.file
    }
