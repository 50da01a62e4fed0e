"""Any number of plausible profiles, for measuring and testing the library; never shipped as files.

The same seed gives the same profiles. Makers and models are made of syllables.
"""

from __future__ import annotations

import random
from collections.abc import Iterator

from isthmus.profiles import records as r
from isthmus.profiles.channel_table import Band
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.make.compose import ModePlan, body_for, compose

_HEADS = [
    "Bar",
    "Cor",
    "Dun",
    "El",
    "Fen",
    "Gar",
    "Hol",
    "Ir",
    "Jun",
    "Kel",
    "Lor",
    "Mar",
    "Nor",
    "Or",
    "Pel",
    "Quay",
    "Ros",
    "Sal",
    "Tar",
    "Ul",
    "Ven",
    "Wes",
    "Yar",
    "Zan",
]
_MIDS = ["a", "e", "i", "o", "u", "an", "er", "in", "ol", "ur", "ath", "eck", "ing", "oss", "und"]
_TAILS = [
    "by",
    "den",
    "don",
    "fell",
    "ford",
    "ham",
    "holm",
    "ley",
    "mere",
    "ness",
    "port",
    "stead",
    "ster",
    "tide",
    "ton",
    "wick",
    "worth",
]
_KINDS = ("spot", "wash", "beam", "bar", "can", "strobe", "panel")
_COLOURS = (
    ("R", "G", "B"),
    ("R", "G", "B", "W"),
    ("R", "G", "B", "RY"),
    ("R", "G", "B", "W", "RY"),
    ("R", "G", "B", "W", "RY", "UV"),
)


def _word(rng: random.Random) -> str:
    return rng.choice(_HEADS) + rng.choice(_MIDS) * rng.randint(0, 1) + rng.choice(_TAILS)


def _bands(rng: random.Random, count: int, words: str) -> tuple[Band, ...]:
    edges = sorted(rng.sample(range(4, 252), count - 1))
    starts, ends = [0, *edges], [edge - 1 for edge in edges] + [255]
    return tuple(
        Band(a, b, f"{words} {i}" if i else "Open")
        for i, (a, b) in enumerate(zip(starts, ends, strict=True))
    )


def _shutter(rng: random.Random) -> Channel:
    a, b = rng.randint(4, 30), rng.randint(200, 250)
    return Channel(
        "Shutter1",
        1,
        (
            Band(0, a, "Closed", "Shutter1"),
            Band(a + 1, b, "Strobe", "Shutter1Strobe"),
            Band(b + 1, 255, "Open", "Shutter1"),
        ),
    )


def _channels(rng: random.Random, kind: str, rich: bool) -> list[Channel]:
    fine = 2 if rich else 1
    colours = [
        Channel(f"ColorAdd_{letter}", fine if rng.random() < 0.4 else 1)
        for letter in rng.choice(_COLOURS)
    ]
    light = [Channel("Dimmer", fine), _shutter(rng)]
    if rng.random() < 0.5:
        light.reverse()
    extra = [Channel("Control1", 1, _bands(rng, rng.randint(3, 8), "Setting"))]
    if kind in ("spot", "wash", "beam"):
        made = [
            Channel("Pan", 2 if rich or rng.random() < 0.6 else 1),
            Channel("Tilt", 2 if rich or rng.random() < 0.6 else 1),
        ]
        if rng.random() < 0.4:
            made.append(Channel("PositionMSpeed"))
        body = (
            [Channel(f"ColorSub_{c}") for c in "CMY"]
            if kind == "spot"
            else colours
            if kind == "wash"
            else []
        )
        if kind != "wash":
            body += [
                Channel("Color1", 1, _bands(rng, rng.randint(6, 14), "Colour")),
                Channel("Gobo1", 1, _bands(rng, rng.randint(5, 12), "Gobo")),
            ]
            body += [Channel("Gobo1Pos", fine)] * (rng.random() < 0.7) + [
                Channel("Prism1", 1, _bands(rng, 3, "Prism"))
            ] * (rng.random() < 0.7)
        body += (
            [Channel("Iris")] * (kind == "spot")
            + [Channel("Zoom", fine)]
            + [Channel("Focus1", fine)] * (kind != "wash")
        )
        return [*made, *(light + body if rng.random() < 0.6 else body + light), *extra]
    if kind == "strobe":
        return [*light, Channel("StrobeDuration"), *(colours if rich else []), *extra]
    return [
        *(light if rich else light[:1]),
        *colours,
        *([Channel("ColorMacro1", 1, _bands(rng, 6, "Macro"))] if rich else []),
    ]


def plausible_profiles(count: int, seed: int = 1) -> Iterator[r.Profile]:
    """`count` profiles of 1 to 6 modes, three on average."""
    rng = random.Random(seed)
    makers = [
        f"{_word(rng)} {rng.choice(('Lamps', 'Light', 'Stage', 'Works', 'Optics'))}"
        for _ in range(max(4, count // 90))
    ]
    lines = {maker: [_word(rng) for _ in range(rng.randint(2, 6))] for maker in makers}
    for _ in range(count):
        maker = rng.choice(makers)
        kind = rng.choice(_KINDS)
        size = rng.choice((100, 150, 200, 300, 400, 600, 900, 1200)) + rng.randint(0, 40)
        name = f"{rng.choice(lines[maker])} {size}{rng.choice(('', ' HP', ' S', ' X', ' II'))}"
        plans = []
        for index in range(rng.choice((1, 2, 2, 3, 3, 3, 4, 6))):
            channels = _channels(rng, kind, rich=index > 0)
            cells = rng.choice((4, 8, 12, 16)) if kind in ("bar", "panel") and index == 1 else 0
            cell = (
                tuple(c for c in channels if c.attribute.startswith("ColorAdd_")) if cells else ()
            )
            own = tuple(c for c in channels if c not in cell)
            plans.append(
                ModePlan(
                    rng.choice(("Basic", "Standard", "Extended", "Full", "Mode")) + f" {index + 1}",
                    own,
                    cells,
                    cell,
                )
            )
        attributes = {c.attribute for plan in plans for c in (*plan.channels, *plan.cell)}
        body = (
            body_for(attributes, max(plan.cells for plan in plans))
            if rng.random() < 0.8
            else Body("can")
        )
        yield compose(maker, name, body, plans)
