"""One channel of a profile made here: from an attribute, a size and named ranges to the standard's
functions and sets.

Ranges of one attribute that follow each other become sets of one function, except where each needs
a physical value of its own (a shutter is open or closed). What lies between ranges becomes a set
without a name.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from isthmus.profiles import records as r
from isthmus.profiles.attributes import ACTIVATION_GROUPS, activation_of, feature_of, plain, unit_of
from isthmus.profiles.channel_table import Band
from isthmus.profiles.colour import TYPICAL_EMITTERS

_SNAP = re.compile(
    r"(Shutter|Gobo\d+$|Color\d|Control|ColorMacro|Prism\d+$|Effects\d+$|Media|PlayMode)"
)
_OPEN = re.compile(r"\b(open|full|on|no function|offen)\b", re.IGNORECASE)
_WHEEL = re.compile(r"(Color|Gobo|AnimationWheel)\d+$")
_SPAN = {
    "Pan": (-270.0, 270.0),
    "Tilt": (-135.0, 135.0),
    "Zoom": (8.0, 50.0),
    "Iris": (0.0, 1.0),
    "CTC": (3200.0, 6500.0),
    "CTO": (6500.0, 3200.0),
}
# colours a range's name may speak of (chromaticity, luminance against open = 100)
_NAMED = {
    "red": (0.66, 0.325, 18.0),
    "green": (0.26, 0.62, 38.0),
    "blue": (0.155, 0.09, 9.0),
    "amber": (0.54, 0.42, 52.0),
    "orange": (0.56, 0.41, 40.0),
    "yellow": (0.43, 0.50, 80.0),
    "magenta": (0.38, 0.18, 20.0),
    "pink": (0.40, 0.27, 40.0),
    "cyan": (0.20, 0.32, 45.0),
    "purple": (0.28, 0.14, 14.0),
    "violet": (0.24, 0.11, 10.0),
    "lavender": (0.28, 0.24, 40.0),
    "uv": (0.17, 0.01, 1.0),
    "cto": (0.44, 0.40, 75.0),
    "warm": (0.44, 0.40, 75.0),
    "ctb": (0.26, 0.27, 60.0),
}


@dataclass(frozen=True)
class Channel:
    """What is wanted of a channel. `bands` are in its own resolution; physical ends None take the
    usual ones.
    """

    attribute: str
    size: int = 1
    bands: tuple[Band, ...] = ()
    default: int | None = None
    low: float | None = None
    high: float | None = None
    name: str = ""
    htp: bool = True  # for intensities: follows the grand master, highest takes precedence
    home: int | None = None  # the value that shows the unit (the standard's Highlight)

    @property
    def top(self) -> int:
        return 256**self.size - 1


def usual_span(attribute: str) -> tuple[float, float]:
    """Physical ends taken when no one says any."""
    if attribute.endswith("Strobe"):
        return 0.5, 18.0
    return _SPAN.get(attribute, (0.0, 1.0))


def usual_default(channel: Channel) -> int:
    """Where a channel stands when nothing is asked: middle for movement, open for shutters,
    else 0.
    """
    if channel.attribute in ("Pan", "Tilt", "Zoom") or re.fullmatch(
        r"Focus\d+|Gobo\d+Pos|ShaperRot|Blade\d+Rot", channel.attribute
    ):
        return (channel.top + 1) // 2
    if channel.attribute.startswith("Shutter"):
        band = next((band for band in reversed(channel.bands) if _OPEN.search(band.name)), None)
        return band.end if band else (channel.top if not channel.bands else 0)
    return 0


def functions_of(channel: Channel) -> tuple[r.ChannelFunction, ...]:
    """The functions of a channel with their sets."""
    low, high = usual_span(channel.attribute)
    low = low if channel.low is None else channel.low
    high = high if channel.high is None else channel.high
    default = usual_default(channel) if channel.default is None else channel.default
    emitter = channel.attribute.removeprefix("ColorAdd_")
    emitter = emitter if emitter != channel.attribute else ""
    runs = _runs(channel)
    if not runs:
        name = channel.name or plain(channel.attribute).capitalize()
        return (
            r.ChannelFunction(
                name=_name(name),
                attribute=channel.attribute,
                dmx_to=channel.top,
                default=default,
                physical_from=low,
                physical_to=high,
                emitter=emitter,
            ),
        )
    made: list[r.ChannelFunction] = []
    slot = 0  # slots of a wheel are counted on over all of its runs
    for index, run in enumerate(runs):
        attribute = run[0].attribute or channel.attribute
        own = attribute == channel.attribute
        start = 0 if index == 0 else run[0].start
        end = (runs[index + 1][0].start if index + 1 < len(runs) else channel.top + 1) - 1
        wheel = plain(attribute).capitalize() if own and _WHEEL.fullmatch(attribute) else ""
        first, last = _ends(attribute, run, low if own else None, high if own else None)
        made.append(
            r.ChannelFunction(
                name=_free_name(run, attribute, {function.name for function in made}),
                attribute=attribute,
                dmx_from=start,
                dmx_to=end,
                default=default if not made else min(max(default, start), end),
                physical_from=first,
                physical_to=last,
                wheel=wheel,
                emitter=emitter,
                sets=tuple(_sets(run, start, end, slot if wheel else None)),
            )
        )
        slot += len(run) if wheel else 0
    return tuple(made)


def _runs(channel: Channel) -> list[list[Band]]:
    """The bands a channel really has, those of one attribute together; each band of a shutter
    is a function of its own, for it opens, closes or strobes.
    """
    runs: list[list[Band]] = []
    before = ""
    for band in sorted(channel.bands, key=lambda band: band.start):
        if band.start > channel.top:
            continue
        attribute = band.attribute or channel.attribute
        if attribute == before and not attribute.startswith("Shutter"):
            runs[-1].append(band)
        else:
            runs.append([band])
        before = attribute
    return runs


def _sets(run: Sequence[Band], start: int, end: int, slot: int | None) -> list[r.ChannelSet]:
    """The sets of a function from start to end; what lies between bands gets a set without a
    name. `slot`: slots of the wheel before this run, None where there is none.
    """
    sets = [r.ChannelSet(name="", dmx_from=0)] if start < run[0].start else []
    for at, band in enumerate(run):
        sets.append(
            r.ChannelSet(
                name=_name(band.name),
                dmx_from=band.start,
                physical_from=band.low,
                physical_to=band.high,
                wheel_slot=0 if slot is None else slot + at + 1,
            )
        )
        following = run[at + 1].start if at + 1 < len(run) else end + 1
        if band.end + 1 < following:
            sets.append(r.ChannelSet(name="", dmx_from=band.end + 1))
    return sets


def _free_name(run: Sequence[Band], attribute: str, taken: set[str]) -> str:
    """A band alone lends its name, others have their attribute's; counted where it is taken."""
    alone = run[0].name if len(run) == 1 else ""
    base = _name(alone or plain(attribute).capitalize())
    counted = (f"{base} {n}" for n in range(2, len(taken) + 3))
    return next(text for text in (base, *counted) if text not in taken)


def _ends(
    attribute: str, run: Sequence[Band], low: float | None, high: float | None
) -> tuple[float, float]:
    if len(run) == 1 and run[0].low is not None and run[0].high is not None:
        return run[0].low, run[0].high
    if re.fullmatch(r"Shutter\d+", attribute):
        value = 1.0 if _OPEN.search(run[0].name) else 0.0
        return value, value
    usual = usual_span(attribute)
    return (usual[0] if low is None else low), (usual[1] if high is None else high)


def _name(text: str) -> str:
    """A text as a name of the standard allows it: the point and a few signs separate parts of a
    path.
    """
    return re.sub(r"[.$\\;\x00-\x1f]", " ", text).strip()[:120]


def channel_of(
    channel: Channel, offsets: tuple[int, ...], geometry: str, block: int = 1
) -> r.DmxChannel:
    """The DMX channel of the standard. The default's function is the initial one."""
    functions = functions_of(channel)
    default = usual_default(channel) if channel.default is None else channel.default
    initial = next((f for f in functions if f.dmx_from <= default <= f.dmx_to), functions[0])
    functions = tuple(replace(f, default=default) if f is initial else f for f in functions)
    lit = channel.attribute == "Dimmer" or channel.attribute.startswith("ColorAdd_")
    highlight = (
        channel.home
        if channel.home is not None
        else channel.top
        if lit
        else default
        if channel.attribute.startswith("Shutter")
        else None
    )
    logical = r.LogicalChannel(
        attribute=channel.attribute,
        snap="Yes" if _SNAP.match(channel.attribute) else "No",
        master="Grand" if channel.attribute == "Dimmer" and channel.htp else "None",
        functions=functions,
    )
    return r.DmxChannel(
        geometry=geometry,
        offsets=offsets,
        block=block,
        highlight=highlight,
        initial=initial.name,
        logical=(logical,),
    )


def wheel_of(functions: Iterable[r.ChannelFunction]) -> r.Wheel | None:
    """The wheel the functions of a channel speak of, its slots named and coloured after their
    ranges.
    """
    turned = [function for function in functions if function.wheel]
    if not turned:
        return None
    colour = turned[0].attribute.startswith("Color")
    slots = [item for function in turned for item in function.sets if item.wheel_slot]
    made = (
        r.WheelSlot(
            name=item.name or f"Slot {item.wheel_slot}",
            color=_colour(item.name) if colour else r.WHITE,
        )
        for item in slots
    )
    return r.Wheel(name=turned[0].wheel, slots=tuple(made))


def _colour(name: str) -> r.XyY:
    words = re.findall(r"[a-z]+", name.lower())
    return next((_NAMED[word] for word in words if word in _NAMED), r.WHITE)


def with_definitions(profile: r.Profile) -> r.Profile:
    """The profile with every attribute, feature, activation group, wheel and emitter its modes use
    defined; what was defined stays.
    """
    parts = [p for mode in profile.modes for channel in mode.channels for p in channel.logical]
    used = [name for p in parts for name in (p.attribute, *(f.attribute for f in p.functions))]
    have = {attribute.name: attribute for attribute in profile.attributes}
    for name in used:
        if name and name not in have:
            have[name] = r.Attribute(
                name=name,
                pretty=plain(name).capitalize(),
                feature=feature_of(name),
                unit=unit_of(name),
                activation=activation_of(name),
            )
    return replace(
        profile,
        attributes=tuple(have.values()),
        features=_features(profile.features, have.values()),
        activations=_activations(profile.activations, have.values()),
        wheels=_wheels(profile.wheels, parts),
        emitters=_emitters(profile.emitters, parts),
    )


def _emitters(
    defined: Iterable[r.Emitter], parts: Iterable[r.LogicalChannel]
) -> tuple[r.Emitter, ...]:
    made = {emitter.name: emitter for emitter in defined}
    for part in parts:
        for name in (function.emitter for function in part.functions):
            if name and name not in made:
                made[name] = r.Emitter(name=name, color=TYPICAL_EMITTERS.get(name, r.WHITE))
    return tuple(made.values())


def _wheels(defined: Iterable[r.Wheel], parts: Iterable[r.LogicalChannel]) -> tuple[r.Wheel, ...]:
    """One by each name: the one with the most slots."""
    made = {wheel.name: wheel for wheel in defined}
    for part in parts:
        wheel = wheel_of(part.functions)
        if wheel and (wheel.name not in made or len(made[wheel.name].slots) < len(wheel.slots)):
            made[wheel.name] = wheel
    return tuple(made.values())


def _features(
    defined: Iterable[r.FeatureGroup], attributes: Iterable[r.Attribute]
) -> tuple[r.FeatureGroup, ...]:
    groups = {group.name: group for group in defined}
    for attribute in attributes:
        group, _, feature = attribute.feature.partition(".")
        if not group:
            continue
        old = groups.get(group) or r.FeatureGroup(name=group, pretty=group)
        if all(item.name != feature for item in old.features):
            old = replace(old, features=(*old.features, r.Feature(name=feature)))
        groups[group] = old
    return tuple(groups.values())


def _activations(
    defined: tuple[r.ActivationGroup, ...], attributes: Iterable[r.Attribute]
) -> tuple[r.ActivationGroup, ...]:
    have, used = {group.name for group in defined}, {a.activation for a in attributes}
    new = (name for name in ACTIVATION_GROUPS if name in used and name not in have)
    return (*defined, *(r.ActivationGroup(name=name) for name in new))
