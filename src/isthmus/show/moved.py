"""Whether an edit of a unit left everything about it as it was but its place."""

from __future__ import annotations

from operator import attrgetter, is_

from isthmus.show.records import Unit

PLACE = ("position", "rotation", "structure")
_all_but_place = attrgetter(*(name for name in Unit.__struct_fields__ if name not in PLACE))


def only_moved(old: Unit | None, new: Unit) -> bool:
    """Told by identity, so that it costs little; False where it is not known."""
    return old is not None and all(map(is_, _all_but_place(old), _all_but_place(new)))
