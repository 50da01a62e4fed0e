"""Levels to slots: the show compiled to index arrays, live levels apart from the show, and the
routes for the engine.
"""

from isthmus.output.compile import Compiled, compile_show
from isthmus.output.live import Live
from isthmus.output.masters import Masters
from isthmus.output.routing import Composer, engine_routes, identity
from isthmus.output.view import RigView

__all__ = [
    "Compiled",
    "Composer",
    "Live",
    "Masters",
    "RigView",
    "compile_show",
    "engine_routes",
    "identity",
]
