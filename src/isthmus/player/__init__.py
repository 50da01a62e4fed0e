"""The player: a process between the window and the engine that owns time.

The window says what is wanted and when; the player renders it at each tick of the engine, whatever
the window is doing.
"""

from isthmus.player.desk import State
from isthmus.player.link import PlayerLink
from isthmus.player.telling import Telling

__all__ = ["PlayerLink", "State", "Telling"]
