"""What keeps pictures from being whole: cells that are gone, doubled, without colours or without a
way to the rig; modes that hide cells; layers that show nothing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterator

from msgspec.structs import replace

from isthmus.patch import edits
from isthmus.patch.numbers import write_numbers
from isthmus.pixels.colours import table_of
from isthmus.pixels.grids import propose, put_grid
from isthmus.pixels.layer_edits import remove_layer
from isthmus.pixels.media import longest_for, too_small
from isthmus.plural import many
from isthmus.profiles import chart, light_program
from isthmus.show.records import GridCell, PixelGrid, Show
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, NOTE, Fix, Snag

PAGE = "Pixels"


def _name(grid: PixelGrid) -> str:
    return f"Grid {grid.name or grid.number}"


def _without(grid: PixelGrid, gone: Collection[GridCell]) -> Callable[[Show], Show]:
    """The grid without these cells."""
    ids = {id(cell) for cell in gone}

    def edit(show: Show) -> Show:
        left = tuple(cell for cell in grid.cells if id(cell) not in ids)
        return put_grid(show, replace(grid, cells=left))[0]

    return edit


def lost_cells(at: Context) -> Iterator[Snag]:
    """Cells of units that are gone, or that give no light of their own."""
    for grid in at.show.grids:
        gone, dull = [], []
        for cell in grid.cells:
            unit = at.index.by_id.get(cell.unit)
            mode = at.profiles.mode_of(unit) if unit else None
            if unit is None or (mode and not 0 <= cell.cell <= chart(*mode).cells):
                gone.append(cell)
            elif mode and table_of(light_program(*mode), cell.cell) is None:
                dull.append(cell)
        for rule, cells, words in (
            ("grid-cell-gone", gone, "is not there any more"),
            ("grid-cell-dull", dull, "has neither colours nor a dimmer"),
        ):
            if cells:
                words = (
                    words
                    if len(cells) == 1
                    else words.replace("is ", "are ").replace("has ", "have ")
                )
                fix = Fix("Remove from the grid", _without(grid, cells))
                units = tuple(dict.fromkeys(c.unit for c in cells if c.unit in at.index.by_id))
                text = f"{_name(grid)}: {many(len(cells), 'cell')} {words}."
                yield Snag(rule, ATTENTION, text, PAGE, units, "", fix)


def doubled_cells(at: Context) -> Iterator[Snag]:
    """Two at one place, or one cell at two."""
    for grid in at.show.grids:
        places = Counter((c.x, c.y) for c in grid.cells if c.at is None)
        twice = [c for c in grid.cells if c.at is None and places[c.x, c.y] > 1]
        cells = Counter((c.unit, c.cell) for c in grid.cells)
        again = [c for c in grid.cells if cells[c.unit, c.cell] > 1]
        if twice or again:
            told = f"{many(len(twice), 'cell')} at a place of another" if twice else ""
            told += ", " if twice and again else ""
            told += f"{many(len(again), 'cell')} more than once" if again else ""
            units = tuple(dict.fromkeys(c.unit for c in (*twice, *again)))

            def anew(show: Show, grid: PixelGrid = grid) -> Show:
                found = propose(show, list(dict.fromkeys(c.unit for c in grid.cells))).grid
                size = {"width": found.width, "height": found.height}
                return put_grid(show, replace(grid, cells=found.cells, **size))[0]

            fix = Fix("Propose the grid again", anew)
            yield Snag("grid-doubled", ATTENTION, f"{_name(grid)}: {told}.", PAGE, units, "", fix)


def holes(at: Context) -> Iterator[Snag]:
    """Few places that nothing is at: a cell that was forgotten."""
    for grid in at.show.grids:
        if any(cell.at for cell in grid.cells):
            continue
        missing = grid.width * grid.height - len({(c.x, c.y) for c in grid.cells})
        if 0 < missing <= grid.width * grid.height // 10:
            where = "place is" if missing == 1 else "places are"
            yield Snag("grid-holes", NOTE, f"{_name(grid)}: {missing} {where} empty.", PAGE)


def unreached_cells(at: Context) -> Iterator[Snag]:
    """Units of a grid that nothing is sent to."""
    for grid in at.show.grids:
        units = [at.index.by_id.get(u) for u in dict.fromkeys(c.unit for c in grid.cells)]
        lost = [
            u for u in units if u is not None and not any(p.universe in at.lead for p in u.patch)
        ]
        if lost:
            numbers = write_numbers([u.number for u in lost])
            what = (
                "has no address, or its universe"
                if len(lost) == 1
                else "have no address, or their universes"
            )
            text = f"{_name(grid)}: {numbers} {what} no output."
            yield Snag("grid-no-route", ATTENTION, text, "Routes", tuple(u.id for u in lost))


def hidden_cells(at: Context) -> Iterator[Snag]:
    """Units of a grid as one cell, whose profile has a mode with more."""
    for grid in at.show.grids:
        kinds: dict[tuple[str, str], list[str]] = {}
        for cell in grid.cells:
            unit = at.index.by_id.get(cell.unit)
            if unit is not None and cell.cell == 0:
                kinds.setdefault((unit.profile, unit.mode), []).append(unit.id)
        for (name, mode), ids in kinds.items():
            profile = at.profiles.profiles.get(name)
            if profile is None:
                continue
            more = [(chart(profile, m).cells, m.name) for m in profile.modes if m.name != mode]
            cells, best = max(more, default=(0, ""))
            if cells > 1:
                numbers = write_numbers([at.index.by_id[i].number for i in ids])
                text = f"{_name(grid)}: mode {best} of {numbers} has {cells} cells, {mode} none."
                fix = Fix(
                    f"Change to {best}", lambda s, i=tuple(ids), m=best: edits.set_mode(s, i, m)
                )
                yield Snag("grid-hidden-cells", NOTE, text, PAGE, tuple(ids), "", fix)


def empty_layers(at: Context) -> Iterator[Snag]:
    """Sets whose grid is gone, and layers whose picture is not kept."""
    grids, media = {grid.id for grid in at.show.grids}, {one.id for one in at.show.media}
    for one in at.show.layer_sets:
        name = f"Layer set {one.number} {one.name}".rstrip()
        if one.grid not in grids:
            yield Snag("layers-no-grid", ATTENTION, f"{name}: its grid is gone.", PAGE)
        for layer in one.layers:
            if layer.source == "media" and layer.media not in media:

                def drop(show: Show, one=one, layer=layer) -> Show:
                    kept = remove_layer(one, layer.id)
                    sets = tuple(kept if s.id == kept.id else s for s in show.layer_sets)
                    return replace(show, layer_sets=sets)

                text = f"{name}: the picture of {layer.name or 'a layer'} is not in the show."
                fix = Fix("Remove the layer", drop)
                yield Snag("layer-no-media", ATTENTION, text, PAGE, (), "", fix)


def coarse_media(at: Context) -> Iterator[Snag]:
    """Pictures kept for a smaller grid than they are shown on by now."""
    grids = {grid.id: grid for grid in at.show.grids}
    kept = {one.id: one for one in at.show.media}
    for one in at.show.layer_sets:
        grid = grids.get(one.grid)
        for name in dict.fromkeys(layer.media for layer in one.layers if layer.on):
            media = kept.get(name)
            if grid and media and too_small(media, longest_for(grid.width, grid.height)):
                text = f"{media.name} is kept coarser than {_name(grid)} shows: fit it again."
                yield Snag("layer-coarse", NOTE, text, PAGE)


PIXEL_RULES = (
    coarse_media,
    lost_cells,
    doubled_cells,
    holes,
    unreached_cells,
    hidden_cells,
    empty_layers,
)
