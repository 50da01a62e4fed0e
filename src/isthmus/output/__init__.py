"""Levels to slots: the show compiled to index arrays, live levels apart from the show, and the
routes for the engine.
"""

from typing import TYPE_CHECKING

from isthmus.lazy import on_demand

if TYPE_CHECKING:
    from isthmus.output.compile import Compiled, compile_show
    from isthmus.output.live import Live
    from isthmus.output.masters import Masters
    from isthmus.output.routing import Composer, engine_routes, identity
    from isthmus.output.view import RigView
else:  # the player reads what renders, and nothing of where it came from
    __getattr__ = on_demand(
        __name__,
        {"Live": "live", "Masters": "masters", "RigView": "view"}
        | dict.fromkeys(("Compiled", "compile_show"), "compile")
        | dict.fromkeys(("Composer", "engine_routes", "identity"), "routing"),
    )

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
