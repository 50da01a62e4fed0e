"""Laying the rig out: placing, structures and their handles, lines, grids, snapping, fanning. Pure
edits and points.
"""

from isthmus.layout.place import hang_by_name, move_units, put_unit, set_out

__all__ = ["hang_by_name", "move_units", "put_unit", "set_out"]
