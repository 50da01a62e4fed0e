"""The player: a process between the window and the engine that owns time.

The window says what is wanted and when; the player renders it at each tick of the engine, whatever
the window is doing.
"""

from typing import TYPE_CHECKING

from isthmus.lazy import on_demand

if TYPE_CHECKING:
    from isthmus.player.desk import State
    from isthmus.player.link import PlayerLink
    from isthmus.player.telling import Front, Telling
else:  # the process reads its own side only
    __getattr__ = on_demand(
        __name__, {"Front": "telling", "State": "desk", "PlayerLink": "link", "Telling": "telling"}
    )

__all__ = ["Front", "PlayerLink", "State", "Telling"]
