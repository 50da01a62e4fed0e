"""The looks and cues of Lantern Tide: an evening to walk through with Go."""

from __future__ import annotations

from isthmus.looks import cue_edits, look_edits
from isthmus.looks.lines import named
from isthmus.looks.starters import with_starters
from isthmus.patch.groups import make_group
from isthmus.show.records import Cue, CueList, Look, LookLine, Show, Wish

Line = tuple[str, str, float | None]  # who by purpose, palettes by name, level
# name, lines, up, down, delay, follow, note
EVENING: tuple[tuple[str, tuple[Line, ...], float, float, float, float | None, str], ...] = (
    (
        "House open",
        (("House", "", 0.5), ("Wall wash", "colour 5", 0.3), ("Water edge", "colour 9", 0.4)),
        *(5, 5, 0, None, "Doors open, the water glows"),
    ),
    ("House out", (("Water edge", "colour 9", 0.25),), 8, 8, 0, 2.0, "With the harbour bell"),
    (
        "Dusk",
        (("Water edge", "colour 9", 0.6), ("Top wash", "colour 10", 0.35)),
        *(10, 6, 0, None, ""),
    ),
    (
        "First dancer",
        (
            ("Key, moving", "Deck centre, colour 1, Narrow", 0.8),
            ("Water edge", "colour 9", 0.3),
            ("Top wash", "colour 10", 0.2),
        ),
        *(4, 4, 0.5, None, "She steps off the boat"),
    ),
    (
        "Procession",
        (
            ("Key, moving", "Downstage left, colour 2, Open", 0.7),
            ("Side, moving", "Deck centre, colour 2", 0.6),
            ("Front wash", "colour 2", 0.4),
        ),
        *(6, 6, 0, None, "Lanterns from port"),
    ),
    (
        "Red tide",
        (
            ("Top wash", "colour 4", 0.9),
            ("Front wash", "colour 4", 0.4),
            ("Side, moving", "Upstage left, Buoy red", 0.8),
            ("Water edge", "colour 4", 0.7),
        ),
        *(2, 4, 0, None, "On the drum"),
    ),
    (
        "Nets",
        (
            ("Key, moving", "Deck centre, colour 8, Net", 0.7),
            ("Beams over the water", "Audience, Wide", 0.3),
            ("Water edge", "colour 8", 0.4),
        ),
        *(3, 5, 0, None, ""),
    ),
    (
        "Storm",
        (
            ("Key, moving", "Upstage right, colour 3, Strobe slow", 1.0),
            ("Top wash", "colour 3", 1.0),
            ("Low front", "colour 3", 0.8),
        ),
        *(0.5, 1, 0, None, "Whistle"),
    ),
    (
        "After the storm",
        (("Top wash", "colour 9", 0.3), ("Water edge", "colour 9", 0.5), ("Back light", "", 0.4)),
        *(8, 3, 0, None, ""),
    ),
    (
        "Duet",
        (
            ("Key, moving", "Downstage right, colour 1, Narrow", 0.9),
            ("Back light", "", 0.6),
            ("Down light", "", 0.5),
        ),
        *(5, 5, 0, None, ""),
    ),
    (
        "Finale",
        (
            ("Key, moving", "Audience, colour 2, Open", 1.0),
            ("Side, moving", "Deck centre, Sodium", 1.0),
            ("Front wash", "colour 5", 0.8),
            ("Top wash", "colour 5", 1.0),
            ("Wall wash", "colour 5", 0.9),
            ("Water edge", "colour 5", 1.0),
            ("Back light", "", 0.9),
        ),
        *(4, 4, 0, None, "Bows"),
    ),
    ("House in", (("House", "", 0.6), ("Wall wash", "colour 5", 0.3)), *(6, 10, 0, None, "")),
)
WATER = ("colour 8", "colour 9", "colour 10")  # the chase along the waterline


def with_evening(show: Show) -> Show:
    """The show with the starter set, a group for each purpose, twelve looks and their cues, and a
    chase.
    """
    show, _, _ = with_starters(show)
    wanted = {who for _, lines, *_ in EVENING for who, _, _ in lines}
    for purpose in sorted(wanted):
        show = make_group(show, purpose, rule=f"purpose:{purpose}")
    group = {g.name: g.id for g in show.groups}
    show, list_id = cue_edits.put_list(show, CueList(id="", number=0, name="Evening"))
    for name, lines, up, down, delay, follow, note in EVENING:
        made = tuple(
            LookLine(
                groups=(group[who],),
                palettes=tuple(named(show, p).id for p in palettes.split(", ") if p),
                wish=Wish(intensity=level),
            )
            for who, palettes, level in lines
        )
        show, look = look_edits.put(show, Look(id="", number=0, name=name, lines=made))
        cue = Cue(
            id="", number=0, name=name, look=look, up=up, down=down, delay=delay, note=note,
            follow=follow,
        )  # fmt: skip
        show, _ = cue_edits.put_cue(show, list_id, cue)
    return _with_water(show, group["Water edge"])


def _with_water(show: Show, group: str) -> Show:
    chase = CueList(
        id="", number=0, name="Water", round=True, rate=40, crossfade=1.0, direction="to and fro"
    )
    show, list_id = cue_edits.put_list(show, chase)
    for at, colour in enumerate(WATER, 1):
        line = LookLine(
            groups=(group,), palettes=(named(show, colour).id,), wish=Wish(intensity=0.5)
        )
        look = Look(id="", number=0, name=f"Water {at}", lines=(line,))
        show, found = look_edits.put(show, look)
        show, _ = cue_edits.put_cue(show, list_id, Cue(id="", number=0, look=found))
    return show
