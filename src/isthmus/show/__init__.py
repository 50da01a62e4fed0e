"""The show as a value: its records, its history, its container file, and how addresses are written.

The lowest layer: it knows nothing of profiles, networks or pictures.
"""

from isthmus.show.address import read_address, write_address
from isthmus.show.container import open_show, save_show
from isthmus.show.history import History
from isthmus.show.records import Show, Unit

__all__ = ["History", "Show", "Unit", "open_show", "read_address", "save_show", "write_address"]
