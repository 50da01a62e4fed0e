"""Nothing of a file is lost when it is written anew: what our records do not hold is taken over from the file itself.

Three trees are walked side by side: the file as it came, what we know of it (the file written by us straight after
reading), and what is to be written. An attribute, an element or a text of the first that is not in the second is not
ours to drop: it goes into the third, at the element it stood in. Elements are paired by tag and name, channels by
geometry and first attribute, the rest by their place among their like.
"""

from __future__ import annotations

import copy
from collections import defaultdict
from xml.etree.ElementTree import Element

SAID_OTHERWISE = {("Relation", "slave"): "follower"}  # GDTF 1.0's word for what later versions name otherwise
READ_BESIDE = {("DMXChannel", "default"), ("GeometryReference", "geometry"), ("DMXChannel", "initialfunction")}


def graft(came: Element, known: Element, made: Element) -> None:
    """Take over into `made` whatever of `came` is not in `known`. The three are the same element."""
    have = {name.lower() for name in known.attrib}
    for name, value in came.attrib.items():
        low = name.rpartition("}")[2].lower()
        if low in have or (came.tag, low) in READ_BESIDE or SAID_OTHERWISE.get((came.tag, low)) in have or "XMLSchema" in name:
            continue
        if name not in made.attrib:
            made.set(name, value)
    if came.text and came.text.strip() and not (known.text or "").strip() and not (made.text or "").strip():
        made.text = came.text
    theirs, ours, new = _keyed(came), _keyed(known), _keyed(made)
    for key, child in theirs.items():
        if key not in ours:
            if key not in new:
                made.append(copy.deepcopy(child))
        elif key in new:
            graft(child, ours[key], new[key])


def _keyed(element: Element) -> dict[tuple[str, str, int], Element]:
    """Children by tag and what they are called, and the how manieth of those they are."""
    counts: dict[tuple[str, str], int] = defaultdict(int)
    found = {}
    for child in element:
        if not isinstance(child.tag, str):
            continue  # a comment
        name = child.get("Name") or child.get("name") or ""
        if child.tag == "DMXChannel":
            logical = child.find("LogicalChannel")
            name = f"{child.get('Geometry')} {logical.get('Attribute') if logical is not None else ''}"
        elif child.tag == "LogicalChannel":
            name = child.get("Attribute") or ""
        elif child.tag in ("ChannelFunction", "ChannelSet"):
            name = f"{name} {child.get('DMXFrom', '')}" if name else child.get("DMXFrom", "")
        key = child.tag, name
        found[(*key, counts[key])] = child
        counts[key] += 1
    return found


def later_version(came: str, ours: str) -> str:
    """The later of two DataVersions: a file of a newer standard is never said to be of an older one."""

    def parts(text: str) -> tuple[int, ...]:
        try:
            return tuple(int(part) for part in text.split("."))
        except ValueError:
            return ()

    return came if parts(came) > parts(ours) else ours
