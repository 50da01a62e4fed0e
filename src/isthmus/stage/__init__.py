"""The rig in space: transforms, the camera, and where every beam and body is. NumPy only, no
drawing.
"""

from isthmus.stage.camera import VIEWS, Camera
from isthmus.stage.pose import pose
from isthmus.stage.rig import Beams, Bodies, Drawn, Rig, build_rig

__all__ = ["VIEWS", "Beams", "Bodies", "Camera", "Drawn", "Rig", "build_rig", "pose"]
