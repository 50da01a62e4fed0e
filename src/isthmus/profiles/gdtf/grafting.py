"""Nothing of a file is lost when it is written again: what our records do not hold is taken over
from the file itself.

Three trees are walked side by side: the file as it came, what we know of it (the file written by us
straight after reading), and what is to be written. An attribute, an element or a text of the first
that is not in the second is not ours to drop: it goes into the third, at the element it stood in.
Elements are paired by tag and name, channels by geometry and first attribute, the rest by their
place among their like.
"""

from __future__ import annotations

import copy
from collections import Counter, defaultdict
from xml.etree.ElementTree import Element

SAID_OTHERWISE = {
    ("Relation", "slave"): "follower"
}  # GDTF 1.0's word for what later versions name otherwise
READ_BESIDE = {
    ("DMXChannel", "default"),
    ("GeometryReference", "geometry"),
    ("DMXChannel", "initialfunction"),
}


def graft(came: Element, known: Element, made: Element) -> None:
    """Take over into `made` whatever of `came` is not in `known`. The three are the same
    element.
    """
    have = {name.lower() for name in known.attrib}
    for name, value in came.attrib.items():
        low = name.rpartition("}")[2].lower()
        if (
            low in have
            or (came.tag, low) in READ_BESIDE
            or SAID_OTHERWISE.get((came.tag, low)) in have
            or "XMLSchema" in name
        ):
            continue
        if name not in made.attrib:
            made.set(name, value)
    if (
        came.text
        and came.text.strip()
        and not (known.text or "").strip()
        and not (made.text or "").strip()
    ):
        made.text = came.text
    theirs, ours, new = _children(came), _children(known), _children(made)
    known_as = _paired(theirs, ours, always=True)
    made_as = _paired(ours, new, always=False)
    for at, (_, child) in enumerate(theirs):
        if at not in known_as:
            made.append(copy.deepcopy(child))
        elif known_as[at] in made_as:
            graft(child, ours[known_as[at]][1], new[made_as[known_as[at]]][1])


Children = list[tuple[tuple[str, str], Element]]


def _children(element: Element) -> Children:
    """Children with tag and what they are called."""
    found: Children = []
    for child in element:
        if not isinstance(child.tag, str):
            continue  # a comment
        name = "" if child.tag == "FixtureType" else child.get("Name") or child.get("name") or ""
        if child.tag == "DMXChannel":
            logical = child.find("LogicalChannel")
            name = (
                f"{child.get('Geometry')} {logical.get('Attribute') if logical is not None else ''}"
            )
        elif child.tag == "LogicalChannel":
            name = child.get("Attribute") or ""
        found.append(((child.tag, name), child))
    return found


def _paired(one: Children, other: Children, always: bool) -> dict[int, int]:
    """Which child of the second stands for which of the first: the same name, and those left over
    by their order.

    Those left over are paired `always`, for names may have been made where there were none; else
    only where there are as many of their kind in both, so that something was renamed and nothing
    came or went.
    """
    free: dict[tuple[str, str], list[int]] = defaultdict(list)
    for at, (key, _) in enumerate(other):
        free[key].append(at)
    found = {at: free[key].pop(0) for at, (key, _) in enumerate(one) if free[key]}
    taken = set(found.values())
    counts = Counter(tag for (tag, _), _ in one), Counter(tag for (tag, _), _ in other)
    left: dict[str, list[int]] = defaultdict(list)
    for at, ((tag, _), _) in enumerate(other):
        if at not in taken and (always or counts[0][tag] == counts[1][tag]):
            left[tag].append(at)
    for at, ((tag, _), _) in enumerate(one):
        if at not in found and left[tag]:
            found[at] = left[tag].pop(0)
    return found


def later_version(came: str, ours: str) -> str:
    """The later of two DataVersions: a file of a newer standard is never said to be of an older
    one.
    """

    def parts(text: str) -> tuple[int, ...]:
        try:
            return tuple(int(part) for part in text.split("."))
        except ValueError:
            return ()

    return came if parts(came) > parts(ours) else ours
