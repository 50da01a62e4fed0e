"""Drawing the stage by moderngl in a private EGL context, in a process of its own. No Qt.

The process's own modules are imported only there, so that an application without OpenGL still
starts.
"""

from isthmus.render.client import Picture, RenderClient, Request
from isthmus.render.look import Look, look_of
from isthmus.render.scene import Scene, scene_of

__all__ = ["Look", "Picture", "RenderClient", "Request", "Scene", "look_of", "scene_of"]
