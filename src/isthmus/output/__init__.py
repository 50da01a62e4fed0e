"""Levels to slots: the show compiled to index arrays, live levels apart from the show, and the routes for the engine."""

from isthmus.output.compile import Compiled, compile_show
from isthmus.output.live import Live
from isthmus.output.routing import engine_routes
from isthmus.output.view import RigView

__all__ = ["Compiled", "Live", "RigView", "compile_show", "engine_routes"]
