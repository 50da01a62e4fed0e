"""MVR-xchange (MVR 1.6): stations of a group offer MVR files to each other and fetch them.

Nothing that comes is taken automatically: a file is fetched when a person asks, and read by `mvr`.
"""

from isthmus.xchange.desk import DEFAULT_GROUP, Exchange, Shown
from isthmus.xchange.messages import Commit
from isthmus.xchange.received import keep_received
from isthmus.xchange.station import Me, Station

__all__ = ["DEFAULT_GROUP", "Commit", "Exchange", "Me", "Shown", "Station", "keep_received"]
