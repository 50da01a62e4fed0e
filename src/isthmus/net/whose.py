"""Whose a source of levels is: our own, or another unit's, and its name."""

from __future__ import annotations

from isthmus.net.hub import View
from isthmus.watch import Source


def is_own(source: Source, view: View, cid: str) -> bool:
    """Whether this show itself is what was heard."""
    if source.protocol == "sacn":
        return source.cid == cid
    return source.ip == "127.0.0.1" or any(a.ip == source.ip for a in view.adapters)


def source_name(source: Source, view: View) -> str:
    """What a sender calls itself: sACN tells it, an Art-Net one may answer polls."""
    if source.name:
        return source.name
    return next(
        (node.name for node in view.nodes if node.ip == source.ip and node.name),
        "a sender without a name",
    )
