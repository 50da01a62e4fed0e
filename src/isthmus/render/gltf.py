"""The rig for a viewer: structures and the bodies of units as glTF 2.0 (binary), metres, y up."""

from __future__ import annotations

from typing import Any

import numpy as np

from isthmus.output import Live
from isthmus.output.view import RigView
from isthmus.render.meshes import structure_mesh, unit_box, unit_drum
from isthmus.show.records import Show
from isthmus.stage.bodies import bodies, set_piece
from isthmus.stage.drawing import FINE

UP = np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1.0]])  # z up becomes y up
GREY = (43, 45, 48, 255)


def rig_gltf(show: Show) -> bytes:
    """One node for each structure and each part of a body, named as they are; a mesh that is used
    again is there once. Units are in their home position.
    """
    import trimesh
    from trimesh.visual import ColorVisuals

    live = Live(show)
    view = RigView(show, live.compiled)
    scene: Any = trimesh.Scene()
    files = {one.name: one.data for one in show.files}
    for structure in show.structures:
        own = (
            set_piece(files[structure.mesh], structure.mesh) if files.get(structure.mesh) else None
        )
        rows = structure_mesh(structure, own)
        colours = np.concatenate([rows[:, 6:9], np.ones((len(rows), 1))], axis=1) ** (1 / 2.2)
        mesh = trimesh.Trimesh(
            rows[:, :3],
            np.arange(len(rows)).reshape(-1, 3),
            vertex_colors=(255 * colours).astype(np.uint8),
            process=False,
        )
        name = f"{structure.name or structure.kind} {structure.id}"
        scene.add_geometry(mesh, node_name=name, geom_name=name, transform=UP)
    _, parts = view.pose(live.frame, FINE.drawn())
    meshes = [unit_box()[:, :3], unit_drum()[:, :3], *bodies(show, view.rig)]
    shapes: dict[int, str] = {}
    for at, (matrix, shape, unit) in enumerate(
        zip(parts.matrix, parts.shape.tolist(), parts.unit.tolist(), strict=True)
    ):
        if shape not in shapes:
            shapes[shape] = f"body {shape}"
            corners = np.asarray(meshes[shape], np.float64).reshape(-1, 3)
            mesh = trimesh.Trimesh(corners, np.arange(len(corners)).reshape(-1, 3), process=False)
            mesh.visual = ColorVisuals(mesh, face_colors=GREY)
            scene.geometry[shapes[shape]] = mesh
        scene.graph.update(
            frame_to=f"{view.rig.numbers[unit]} part {at}",
            matrix=UP @ matrix,
            geometry=shapes[shape],
        )
    return bytes(scene.export(file_type="glb"))
