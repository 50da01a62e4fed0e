"""What stands on the stage and changes seldom: sent to the render process once."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import Show, Structure
from isthmus.stage import bodies
from isthmus.stage.rig import Rig


@dataclass(frozen=True)
class Scene:
    """Structures; a mesh for each of the rig's bodies, (n, 3, 3); a picture for each of its gobos;
    set pieces by file.
    """

    structures: tuple[Structure, ...]
    bodies: tuple[NDArray[np.float32], ...] = ()
    gobos: tuple[NDArray[np.uint8], ...] = ()
    pieces: dict[str, NDArray[np.float32]] = field(default_factory=dict)


def scene_of(show: Show, rig: Rig, triangles: int = bodies.BODY) -> Scene:
    """The scene of a rig; the show gives the profiles' files and the kept meshes. A body has so
    many triangles at most, 0: as many as its file has.
    """
    wanted = {s.mesh for s in rig.structures if s.kind == "mesh"}
    pieces = {
        f.name: found
        for f in show.files
        if f.name in wanted and (found := bodies.set_piece(f.data, f.name)) is not None
    }
    return Scene(
        rig.structures, bodies.bodies(show, rig, triangles), bodies.gobos(show, rig), pieces
    )
