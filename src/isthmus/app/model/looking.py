"""A version looked at: it stands in the place of what is now, in every page, until it is left. What
is sent stays as it is.
"""

from __future__ import annotations

from msgspec.structs import replace

from isthmus.output import Live, RigView
from isthmus.output.live import Asked
from isthmus.show import Show
from isthmus.show.records import Version
from isthmus.show.versions import shown, time_of


class Looked:
    """`view` is its rig, lit as far as it has the units that are lit now. Raises FileFault for a
    version that is damaged.
    """

    def __init__(self, show: Show, version: Version, asked: Asked) -> None:
        self.version = version
        was = shown(show, version)
        self.show = replace(was, versions=show.versions, kept=show.kept)
        self.live = Live(self.show)
        self.live.restore(asked)
        self.view = RigView(self.show, self.live.compiled)

    @property
    def words(self) -> str:
        return f"You look at {called(self.version)}: nothing can be changed."


def called(version: Version) -> str:
    """`version 3, “as hung”, of 1 December, 10:32`."""
    moment = time_of(version)
    when = f", of {moment.day} {moment:%B, %H:%M}" if moment else ""
    if version.letter:
        to = f", to {version.to}" if version.to else ""
        return f"revision {version.letter}{to}{when}"
    name = f", “{version.note}”" if version.note else f", {version.why}" if version.why else ""
    return f"version {version.number}{name}{when}"
