"""The pages, in the order of the work. Each is a view on the workbench; what can be computed lives
in the core.

A new page is one line here and a folder beside.
"""

from isthmus.app.kit import paint
from isthmus.app.pages.base import Entry
from isthmus.plural import many

_HERE = "isthmus.app.pages"
PAGES = (
    Entry("Readiness", f"{_HERE}.readiness.page:ReadinessPage", paint.star, lights=False),
    Entry(
        "Profiles",
        f"{_HERE}.profiles.page:ProfilesPage",
        paint.sheet,
        "profile",
        inspector=False,
        hand=False,
        lights=False,
    ),
    Entry("Patch", f"{_HERE}.patch.page:PatchPage", paint.ruler, "address"),
    Entry(
        "Routes",
        f"{_HERE}.routes.page:RoutesPage",
        paint.branches,
        "route",
        inspector=False,
        lights=False,
    ),
    Entry("Plan", f"{_HERE}.plan.page:PlanPage", paint.barge, "place"),
    Entry("Stage", f"{_HERE}.stage.page:StagePage", paint.box, "place"),
    Entry(
        "Looks",
        f"{_HERE}.looks.page:LooksPage",
        paint.two_lights,
        lights=False,
        told=lambda show: many(len(show.looks), "look") if show.looks else "none yet",
    ),
    Entry(
        "Pixels",
        f"{_HERE}.pixels.page:PixelsPage",
        paint.cells,
        hand=False,
        lights=False,
        told=lambda show: many(len(show.grids), "grid") if show.grids else "none yet",
    ),
    Entry(
        "Roll call",
        f"{_HERE}.roll_call.page:RollCallPage",
        paint.calls,
        "answered",
        hand=False,
        lights=False,
    ),
    Entry(
        "Handover",
        f"{_HERE}.handover.page:HandoverPage",
        paint.handed,
        inspector=False,
        hand=False,
        lights=False,
        told=lambda show: "papers",
        course=False,
    ),
    Entry(
        "Versions",
        f"{_HERE}.versions.page:VersionsPage",
        paint.sheets,
        inspector=False,
        hand=False,
        lights=False,
        told=lambda show: many(len(show.versions), "version") if show.versions else "none yet",
        course=False,
    ),
)
