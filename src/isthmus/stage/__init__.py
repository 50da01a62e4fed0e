"""The rig in space: transforms, the camera, placing, and where every beam and body is. NumPy only, no drawing."""

from isthmus.stage.camera import VIEWS, Camera
from isthmus.stage.place import hang_by_name, move_units, put_unit, set_out
from isthmus.stage.pose import pose
from isthmus.stage.rig import Beams, Bodies, Drawn, Rig, build_rig

__all__ = ["VIEWS", "Beams", "Bodies", "Camera", "Drawn", "Rig", "build_rig", "hang_by_name", "move_units", "pose", "put_unit", "set_out"]
