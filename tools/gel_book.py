"""Make the shipped swatch book: invented gels whose transmission curves come from plain formulas.

    python tools/gel_book.py        writes src/isthmus/gels/shipped/Tidewater.csv
"""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from isthmus.gels.spectrum import NM, planck

OUT = Path(__file__).parent.parent / "src/isthmus/gels/shipped/Tidewater.csv"


def rise(at: float, width: float) -> np.ndarray:
    return 1 / (1 + np.exp((at - NM) / width))


def fall(at: float, width: float) -> np.ndarray:
    return 1 - rise(at, width)


def hump(at: float, width: float) -> np.ndarray:
    return np.exp(-(((NM - at) / width) ** 2))


def families() -> list[tuple[int, list[str], list[np.ndarray]]]:
    """(first code, names, curves) of each family."""
    straws = [0.88 - (0.88 - floor) * fall(at, 22) for at, floor in zip(np.linspace(430, 520, 14), np.linspace(0.72, 0.12, 14), strict=True)]
    ambers = [0.02 + 0.88 * rise(at, 14) for at in np.linspace(505, 580, 14)]
    reds = [0.005 + 0.86 * rise(at, 10) for at in np.linspace(585, 635, 10)]
    pinks = [np.clip(0.90 - deep * hump(535, 55) - lean * hump(450, 40), 0.01, 1) for deep, lean in zip(np.linspace(0.18, 0.86, 14), np.linspace(0.02, 0.30, 14), strict=True)]
    lavenders = [np.clip(0.86 - deep * hump(565, 52), 0.01, 1) * (1 - 0.15 * rise(640, 20)) for deep in np.linspace(0.20, 0.84, 12)]
    pale_blues = [0.30 + (0.58 - 0.02 * i) * fall(590 - 7 * i, 45) - 0.012 * i for i in range(12)]
    deep_blues = [np.clip(0.72 * hump(455 - i, 44 - 1.6 * i) + 0.05 * rise(690, 8), 0.002, 1) for i in range(12)]
    sea = [np.clip(0.80 * hump(490 + 2 * i, 70 - 2 * i) + 0.03, 0.004, 1) for i in range(12)]
    greens = [np.clip(0.76 * hump(528 + 2.5 * i, 46 - 1.5 * i) + 0.02 + 0.10 * rise(680, 12), 0.004, 1) for i in range(12)]
    warm = [planck(k) / planck(6500) for k in (6000, 5400, 4900, 4400, 4000, 3600, 3200, 2900)]
    cool = [planck(k) / planck(3200) for k in (3500, 3800, 4100, 4400, 4800, 5200, 5600, 6500)]
    grey = [np.full(len(NM), t) for t in (0.84, 0.71, 0.5, 0.354, 0.25, 0.177, 0.125, 0.0625)]
    return [
        (101, ["Whey", "Primrose", "Thistledown", "Cowslip", "Barley", "Straw rope", "Reed bed", "Oatcake", "Gorse", "Broom", "Kelp light", "Honeycomb", "Haystack", "Lamp wick"], straws),
        (201, ["Cider", "Harvest", "Marigold", "Amber shoal", "Ferry lamp", "Tansy", "Peat fire", "Apricot", "Brick kiln", "Rowan", "Copper keel", "Ember", "Forge", "Fox"], ambers),
        (301, ["Rosehip", "Boathouse door", "Pennant", "Haw", "Port light", "Sealing wax", "Garnet", "Ox blood", "Beacon", "Last coal"], reds),
        (401, ["Shell", "Blush tide", "Dog rose", "Thrift", "Campion", "Sea pink", "Foxglove", "Heather bell", "Clover", "Peony", "Fuchsia hedge", "Willowherb", "Beet", "Madder"], pinks),
        (501, ["Mist", "Lilac quay", "Lavender row", "Scabious", "Vetch", "Harebell", "Dusk sail", "Mallow", "Periwinkle", "Iris bank", "Elderberry", "Night plum"], lavenders),
        (601, ["Frost", "Ice pane", "Rain", "Pale morning", "Skylight", "Glass float", "Cool quay", "Estuary", "Winter sun", "Larkspur", "Ferry blue", "Slate roof"], pale_blues),
        (701, ["Evening", "Harbour", "Deep quay", "Moonrise", "Bluebell", "Lock gate", "Channel", "Midwater", "Nightfall", "Trench", "Ink", "Undertow"], deep_blues),
        (801, ["Lagoon", "Shoal", "Sea glass", "Turquoise net", "Verdigris", "Bottle", "Weed bed", "Cormorant", "Grotto", "Kingfisher", "Tide pool", "Sluice"], sea),
        (901, ["Young leaf", "Lime walk", "Meadow", "Fern", "Sedge", "Willow", "Nettle", "Moss", "Hedge", "Bracken", "Yew", "Bottlebank"], greens),
        (11, ["Warmer by eight steps", "Warmer by seven", "Warmer by six", "Warmer by five", "Warmer by four", "Warmer by three", "Warmer by two", "Warmer by one"][::-1], warm),
        (21, [f"Cooler by {word}" for word in ["one", "two", "three", "four", "five", "six", "seven", "eight"]], cool),
        (31, [f"Grey {n}" for n in (1, 2, 4, 6, 8, 10, 12, 16)], grey),
    ]


def main() -> None:
    OUT.parent.mkdir(parents=True, exist_ok=True)
    with OUT.open("w", newline="", encoding="utf-8") as stream:
        writer = csv.writer(stream, lineterminator="\n")
        writer.writerow(["Code", "Name", *(f"{nm:.0f}" for nm in NM)])
        for first, names, curves in families():
            for index, (name, curve) in enumerate(zip(names, curves, strict=True)):
                top = 0.9 if curve.max() > 0.9 else curve.max()
                through = np.clip(curve / curve.max() * top, 0, 1)
                writer.writerow([f"T{first + index:03}", name, *(f"{value:.3f}" for value in through)])


if __name__ == "__main__":
    main()
