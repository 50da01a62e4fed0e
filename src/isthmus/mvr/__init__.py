"""MVR, the open standard for whole rigs (DIN SPEC 15801, versions 1.4 to 1.6)."""

from isthmus.mvr.archive import SUFFIX, Mvr, read_mvr, write_mvr
from isthmus.mvr.incoming import Came, as_show, open_mvr
from isthmus.mvr.outgoing import LAYERS, scene_of, write_show

__all__ = [
    "LAYERS",
    "SUFFIX",
    "Came",
    "Mvr",
    "as_show",
    "open_mvr",
    "read_mvr",
    "scene_of",
    "write_mvr",
    "write_show",
]
