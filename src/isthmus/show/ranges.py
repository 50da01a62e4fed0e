"""What figures, choices and words of a show may be. A record of a file with another one is left
out when it is opened (see `show/checked`); wider than what can be entered, so that nothing that
was made here is ever refused.
"""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

SLOTS = 512
UNIVERSES = 63999  # the highest universe sACN can name (ANSI E1.31-2018, 6.2.7)
FAR = 1e5  # metres: no stage is as wide

Metres = Annotated[float, Meta(ge=-FAR, le=FAR)]
Length = Annotated[float, Meta(ge=0, le=1e4)]  # metres of something that stands on a stage
Degrees = Annotated[float, Meta(ge=-1e5, le=1e5)]
Share = Annotated[float, Meta(ge=0, le=1)]
Seconds = Annotated[float, Meta(ge=0, le=1e6)]
Rate = Annotated[float, Meta(gt=0, le=1e4)]  # of a second or a minute
Load = Annotated[float, Meta(ge=0, le=1e6)]  # kilograms, watts
Light = Annotated[float, Meta(ge=-2, le=20)]  # a linear share of white; a strong colour is beyond
Turned = Annotated[float, Meta(ge=-2, le=2)]  # a part of a quaternion
Figure = Annotated[float, Meta(ge=-1e9, le=1e9)]
Count = Annotated[int, Meta(ge=0, le=10**7)]
Number = Annotated[int, Meta(ge=0, le=10**6)]  # that a person calls a thing by
OnPaper = Annotated[int, Meta(ge=-(10**9), le=10**9)]  # as somebody wrote it
Universe = Annotated[int, Meta(ge=1, le=UNIVERSES)]
UniverseOrNone = Annotated[int, Meta(ge=0, le=UNIVERSES)]
Slot = Annotated[int, Meta(ge=1, le=SLOTS)]
Room = Annotated[int, Meta(ge=0, le=64 * SLOTS)]
PortAddress = Annotated[int, Meta(ge=0, le=0x7FFF)]
Priority = Annotated[int, Meta(ge=0, le=200)]
Pixels = Annotated[int, Meta(ge=1, le=10**5)]
Cell = Annotated[int, Meta(ge=-(10**5), le=10**5)]

Words = Annotated[str, Meta(max_length=4000)]
Text = Annotated[str, Meta(max_length=200_000)]
Name = Annotated[str, Meta(max_length=400)]
Colour = Annotated[str, Meta(pattern="^#[0-9a-fA-F]{6}$")]
ColourOrNone = Annotated[str, Meta(pattern="^(#[0-9a-fA-F]{6})?$")]
_BYTE = "(25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])"
Ip = Annotated[str, Meta(pattern=rf"^({_BYTE}(\.{_BYTE}){{3}})?$")]
Device = Annotated[str, Meta(pattern=r"^[^\x00\n]{0,140}$")]
Identity = Annotated[str, Meta(pattern="^([0-9a-fA-F]{32})?$")]

Curve = Annotated[str, Meta(pattern="^(linear|square|s|points)$")]
StructureKind = Annotated[
    str,
    Meta(
        pattern="^(truss|circle|corner|pipe|rail|mast|boom|tower|deck|hull|wall|drape|screen|mesh)$"
    ),
]
Protocol = Annotated[str, Meta(pattern="^(artnet|sacn|dmx)$")]
Delivery = Annotated[str, Meta(pattern="^(unicast|asked|broadcast|multicast|serial)$")]
Role = Annotated[str, Meta(pattern="^(|mirror|spare)$")]
Result = Annotated[str, Meta(pattern="^(works|wrong|silent|skipped)$")]
Direction = Annotated[str, Meta(pattern="^(forth|back|to and fro)$")]
Way = Annotated[str, Meta(pattern="^(forth|back|to and fro|once)$")]
Fit = Annotated[str, Meta(pattern="^(fill|whole|stretch)$")]
Blend = Annotated[str, Meta(pattern="^(over|add|lighten|multiply|subtract|mask)$")]
Kept = Annotated[str, Meta(pattern="^(thing|layer|aux)$")]
