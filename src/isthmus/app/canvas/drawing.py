"""Painting a sheet: what stands still in one layer, what changes with every moment over it."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPixmap, QPolygonF, QRegion

from isthmus.app.canvas.symbols import symbol
from isthmus.app.canvas.viewport import Viewport
from isthmus.app.kit import paint
from isthmus.app.kit.painted import painter_on
from isthmus.app.kit.pictures import picture_from
from isthmus.app.kit.theme import advance, font, pen, theme
from isthmus.gels import colour_of
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.colour import encode_srgb
from isthmus.sheets.labels import Labels, Wish
from isthmus.sheets.outlines import Path, outline
from isthmus.sheets.pictures import LONGEST
from isthmus.sheets.sheets import AXES, measure_of, points_of
from isthmus.sheets.symbols import kind_of
from isthmus.sheets.together import label_for, label_of, together
from isthmus.show.moved import only_moved
from isthmus.show.records import Sheet, Show, Structure, Unit
from isthmus.stage.landing import Surface
from isthmus.stage.mount import mount_of

SMALLEST = 13.0  # px a symbol takes at least where there is room
TINY = 4.0  # below this many px between units they are dots
ON_ONE_SPOT = 4.0  # px between units that carry one label
REACH = 60  # px a symbol reaches at most from its middle
FEW = 200  # units an edit changed that are laid again one by one
LABELLED = 1400  # so many units in view carry words at most


class Drawn(NamedTuple):
    """A unit on a sheet, ready to be drawn: its symbol, the measures of its body (metres), turn,
    gel and words.
    """

    unit: Unit
    kind: str
    long: float
    wide: float
    turn: float
    gel: str
    words: str


class Fresh:
    """Makes what is drawn of units, looking up once what many of them share."""

    def __init__(self, show: Show, one: Sheet) -> None:
        self.show, self.sheet = show, one
        self._profiles = profiles_of(show)
        self._kinds: dict[tuple[str, str], str] = {}
        self._gels: dict[str, str] = {}

    def drawn(self, unit: Unit, before: Drawn | None = None) -> Drawn:
        """A unit ready to be drawn; `before` is what was made of it last for this sheet."""
        if before is not None and before.unit is unit:
            return before
        if before is not None and self._only_elsewhere(before.unit, unit):
            return before._replace(unit=unit)
        size, kind = measure_of(unit, self._profiles), self._kind(unit)
        head = kind.endswith("head")
        long, wide = size.length, size.width
        if self.sheet.kind in ("front", "side") and not head:
            wide = size.height
        if head:
            long = wide = max(long, wide)
        turn = mount_of(unit.rotation).turn if self.sheet.kind == "plan" else 0.0
        words = label_of(unit, self.sheet.labels)
        return Drawn(unit, kind, long, wide, turn, self._gel(unit.gel), words)

    def _only_elsewhere(self, old: Unit, new: Unit) -> bool:
        """Whether it is drawn as it was, turned and with the same words, at another place."""
        turned, high = old.rotation is not new.rotation, "height" in self.sheet.labels
        return not turned and not high and only_moved(old, new)

    def _kind(self, unit: Unit) -> str:
        key = unit.profile, unit.mode
        if key not in self._kinds:
            found = self._profiles.mode_of(unit)
            self._kinds[key] = kind_of(found, light_program(*found) if found else None)
        return self._kinds[key]

    def _gel(self, gel: str) -> str:
        """Its colour as a name, or "" for none and for an unknown one."""
        if gel and gel not in self._gels:
            rgb = colour_of(self.show.gels, gel)
            shown = [] if rgb is None else [float(v) for v in encode_srgb(rgb)]
            self._gels[gel] = QColor.fromRgbF(*shown).name() if shown else ""
        return self._gels.get(gel, "")


def _outlines(show: Show, one: Sheet) -> list[tuple[Structure, list[Path]]]:
    """Structures from below to above; a free sheet has none."""
    if one.kind == "free":
        return []
    ordered = sorted(show.structures, key=lambda s: (s.kind not in ("hull", "deck"), s.position[2]))
    return [(s, outline(s, one.kind)) for s in ordered]


def _as_high(old: Unit, new: Unit) -> bool:
    """Whether a unit is drawn over the same others as before, or still not at all."""
    if old.position is None or new.position is None:
        return old.id == new.id and old.position is new.position
    return old.id == new.id and old.position[2] == new.position[2]


class Laid:
    """Everything of one sheet of one show that does not depend on where one looks from. Made once
    for each of them.
    """

    def __init__(self, show: Show, one: Sheet, before: Laid | None = None) -> None:
        self.show, self.sheet = show, one
        fresh = Fresh(show, one)
        self.drawn: list[Drawn] = []
        self.points: NDArray[np.float64] = np.zeros((0, 2))
        self.row: dict[str, int] = {}
        before = before if before and before._like(show, one) else None
        if before is None or not self._go_on(before, fresh):
            self._make(before, fresh)
        if before and before.show.structures is show.structures:
            self.outlines = before.outlines
        else:
            self.outlines = _outlines(show, one)

    def _make(self, before: Laid | None, fresh: Fresh) -> None:
        places = points_of(self.show, self.sheet)
        units = [u for u in self.show.units if u.id in places]
        if self.sheet.kind != "free":
            units.sort(key=lambda u: u.position[2] if u.position else 0.0)
        kept = {d.unit.id: d for d in before.drawn} if before else {}
        self.drawn = [fresh.drawn(unit, kept.get(unit.id)) for unit in units]
        self.points = np.array([places[u.id] for u in units], np.float64).reshape(-1, 2)
        self.row = {u.id: i for i, u in enumerate(units)}

    def _go_on(self, before: Laid, fresh: Fresh) -> bool:
        """Take over what was laid but for a few units; not where who is drawn, or over whom,
        changed.
        """
        old, new, sheet = before.show.units, self.show.units, self.sheet
        if sheet.kind == "free" or len(old) != len(new):
            return False
        changed = [(a, b) for a, b in zip(old, new, strict=True) if a is not b]
        if len(changed) > FEW or not all(_as_high(a, b) for a, b in changed):
            return False
        right, up = AXES[sheet.kind]
        self.row, self.drawn, self.points = before.row, before.drawn.copy(), before.points.copy()
        for _, unit in changed:
            if unit.position is not None:
                row = self.row[unit.id]
                self.drawn[row] = fresh.drawn(unit, self.drawn[row])
                self.points[row] = unit.position[right], unit.position[up]
        return True

    def _like(self, show: Show, one: Sheet) -> bool:
        """Whether what was made of units for this sheet would be made the same again."""
        mine, sheet = self.show, self.sheet
        same = mine.profiles is show.profiles and mine.gels is show.gels
        return same and (sheet.kind, sheet.labels) == (one.kind, one.labels)

    def holds(self, show: Show, one: Sheet) -> bool:
        """Whether it is this sheet of this show still: what it draws from has not changed."""
        mine = self.show
        same = (
            mine.units is show.units
            and mine.structures is show.structures
            and mine.profiles is show.profiles
        )
        return same and mine.gels is show.gels and self.sheet is one

    def extent(
        self, ids: Collection[str] | None = None
    ) -> tuple[tuple[float, float], tuple[float, float]]:
        """The box of everything, or of some units, metres."""
        if ids is not None:
            points = self.points[[self.row[i] for i in ids if i in self.row]]
        else:
            rims = [np.array(path.points) for _, paths in self.outlines for path in paths]
            notes = [np.array([(n.x, n.y)]) for n in self.sheet.notes]
            points = np.concatenate([self.points, *rims, *notes])
        if not len(points):
            return (-6.0, -4.0), (6.0, 4.0)
        low, high = points.min(axis=0), points.max(axis=0)
        return (float(low[0]), float(low[1])), (float(high[0]), float(high[1]))

    def px(self, port: Viewport) -> NDArray[np.float64]:
        """Where units are in the window, (n, 2)."""
        return (self.points - np.array(port.centre)) * np.array(
            [port.scale, -port.scale]
        ) + np.array([port.wide / 2, port.high / 2])


def size_px(drawn: Drawn, scale: float) -> tuple[float, float]:
    """To the size of the body, and never too small to see or hit."""
    long, wide = drawn.long * scale, drawn.wide * scale
    least = min(SMALLEST, max(5.0, scale * 0.9))
    factor = max(1.0, least / max(min(long, wide) if drawn.kind != "strip" else long * 0.5, 1e-6))
    return long * factor, max(wide * factor, 3.0)


@dataclass(frozen=True)
class Lux:
    """False colours over a surface that lies level, and the lux of the brightest."""

    picture: QImage
    surface: Surface
    top: float


@dataclass(frozen=True)
class Stillness:
    """What stands still on a sheet as it is seen: `faded` units are left out, `names` of structures
    are written, `background` is the drawing below.
    """

    laid: Laid
    port: Viewport
    ratio: float  # pixels of the device for one of the window
    faded: Collection[str] = frozenset()
    names: bool = True
    background: QImage | None = None
    lux: Lux | None = None


def still(what: Stillness) -> QPixmap:
    """Ground, grid, underlay, structures, false colours, units at rest and their words, as one
    picture.
    """
    port, ratio = what.port, what.ratio
    made = QPixmap(round(port.wide * ratio), round(port.high * ratio))
    made.setDevicePixelRatio(ratio)
    with painter_on(made) as p:
        _still(p, what)
    return made


def mended(picture: QPixmap, what: Stillness, within: Sequence[QRectF]) -> None:
    """Only a few boxes of a picture drawn again, where the rest of it is right."""
    with painter_on(picture) as p:
        region = QRegion()
        for box in within:
            region += box.toAlignedRect()
        p.setClipRegion(region)
        _still(p, what, within)


def speaks(laid: Laid, port: Viewport) -> bool:
    """Whether units carry their words: then one that moves moves the words of others."""
    return port.scale >= 12 and len(_in_view(laid.px(port), port)) <= LABELLED


def _in_view(px: NDArray[np.float64], port: Viewport) -> NDArray[np.int64]:
    edge = np.array([port.wide + 60, port.high + 60])
    return np.flatnonzero(((px > -60) & (px < edge)).all(axis=1))


def _still(p: QPainter, what: Stillness, within: Sequence[QRectF] = ()) -> None:
    laid, port = what.laid, what.port
    p.fillRect(QRectF(0, 0, port.wide, port.high), theme.color("water2"))
    if laid.sheet.underlay is None:
        _grid(p, port)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    labels = Labels((0.0, 0.0, float(port.wide), float(port.high)))
    _structures(p, laid, port)
    if what.background is not None and laid.sheet.underlay is not None:
        _underlay(p, laid, port, what.background)
        _grid(p, port)
    if what.lux is not None:
        _false_colours(p, port, what.lux)
    _units(p, what, labels, within)
    if what.names:
        _names(p, laid, port, labels)
    for note in laid.sheet.notes:
        at = port.to_px(note.x, note.y)
        paint.text(p, at.x(), at.y() - 12, note.text, font("body", 600), "text", height=20)


def _grid(p: QPainter, port: Viewport) -> None:
    step = next((s for s in (0.5, 1, 2, 5, 10, 20, 50, 100) if s * port.scale >= 24), 500)
    x0, y1 = port.to_metres(QPointF(0, 0))
    x1, y0 = port.to_metres(QPointF(port.wide, port.high))
    for i in range(math.floor(x0 / step), math.ceil(x1 / step) + 1):
        x = round(port.to_px(i * step, 0).x())
        p.fillRect(QRectF(x, 0, 1, port.high), theme.color("line" if i == 0 else "graticule"))
    for i in range(math.floor(y0 / step), math.ceil(y1 / step) + 1):
        y = round(port.to_px(0, i * step).y())
        p.fillRect(QRectF(0, y, port.wide, 1), theme.color("line" if i == 0 else "graticule"))


def _false_colours(p: QPainter, port: Viewport, lux: Lux) -> None:
    on = lux.surface
    long, deep = (2 * float(np.hypot(*v[:2])) * port.scale for v in (on.along, on.across))
    p.save()
    p.translate(port.to_px(float(on.centre[0]), float(on.centre[1])))
    p.rotate(-math.degrees(math.atan2(on.along[1], on.along[0])))
    p.setOpacity(0.85)
    p.drawImage(QRectF(-long / 2, -deep / 2, long, deep), lux.picture)
    p.restore()


def lux_legend(p: QPainter, port: Viewport, lux: Lux, colours: QImage) -> None:
    """What the colours mean: a bar from dark to the brightest."""
    wide, x, y = 180.0, port.wide - 200.0, port.high - 22.0
    p.drawImage(QRectF(x, y, wide, 6), colours)
    p.setPen(pen("text2", 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(QRectF(x, y, wide, 6))
    small = font("tick", mono=True)
    for share in (0.0, 0.25, 0.5, 1.0):
        words = f"{share * lux.top:.0f}{' lux' if share == 1 else ''}"
        paint.text(
            p,
            x + share * wide - (advance(small, words) if share == 1 else 0),
            y - 16,
            words,
            small,
            "text2",
            height=14,
        )


def _underlay(p: QPainter, laid: Laid, port: Viewport, picture: QImage) -> None:
    under = laid.sheet.underlay
    assert under is not None
    p.save()
    p.translate(port.to_px(*under.middle))
    p.rotate(-under.turn)
    p.setOpacity(under.light)
    wide, high = under.width * port.scale, under.width * under.aspect * port.scale
    left, top, right, bottom = under.crop
    source = QRectF(
        left * picture.width(),
        top * picture.height(),
        (1 - left - right) * picture.width(),
        (1 - top - bottom) * picture.height(),
    )
    target = QRectF(
        -wide / 2 + left * wide,
        -high / 2 + top * high,
        (1 - left - right) * wide,
        (1 - top - bottom) * high,
    )
    p.drawImage(target, picture, source)
    p.restore()


def underlay_image(show: Show, one: Sheet) -> QImage | None:
    """The kept picture beneath a sheet; None when there is none, or it cannot be read: this is
    asked in the middle of painting.
    """
    if one.underlay is None:
        return None
    data = next((f.data for f in show.files if f.name == one.underlay.file), None)
    if data is None:
        return None
    return picture_from(data, LONGEST)


def _structures(p: QPainter, laid: Laid, port: Viewport) -> None:
    for one, paths in laid.outlines:
        for index, path in enumerate(paths):
            shape = QPolygonF([port.to_px(x, y) for x, y in path.points])
            if not path.closed:
                p.setPen(pen("line", 1))
                p.setBrush(Qt.BrushStyle.NoBrush)
                if port.scale > 9:
                    p.drawPolyline(shape)
                continue
            if one.kind == "hull":
                p.setPen(pen("land_edge", 1.4))
                p.setBrush(theme.color("land"))
            else:
                p.setPen(pen("line_strong", 1 if path.heavy else 0.7))
                p.setBrush(
                    theme.color(
                        "water2"
                        if index and one.kind == "circle"
                        else "foreshore"
                        if one.kind in ("deck", "wall", "truss")
                        else "bank"
                    )
                )
            p.drawPolygon(shape)
            if one.kind in ("mast", "boom") and laid.sheet.kind == "plan":
                middle = shape.boundingRect().center()
                p.drawEllipse(middle, 4, 4)


def _names(p: QPainter, laid: Laid, port: Viewport, labels: Labels) -> None:
    if port.scale <= 14:
        return
    tick = font("tick")
    for one, paths in laid.outlines:
        if not one.name:
            continue
        box = QPolygonF([port.to_px(x, y) for x, y in paths[0].points]).boundingRect()
        wide = advance(tick, one.name) + 4
        inside = one.kind in ("hull", "deck")
        at = Wish(
            min(box.left() + 6, port.wide - wide - 4) + wide / 2,
            box.bottom() - 18 if inside else box.top(),
            2,
            wide,
            14,
        )
        place = labels.place(at)
        if place is not None:
            paint.text(p, place[0], place[1], one.name, tick, "text3", height=14)


def _units(p: QPainter, what: Stillness, labels: Labels, within: Sequence[QRectF] = ()) -> None:
    laid, port, ratio = what.laid, what.port, what.ratio
    px = laid.px(port)
    seen = _in_view(px, port)
    if within:
        at, near = px[seen], np.zeros(len(seen), bool)
        for box in within:
            low, high = (box.left() - REACH, box.top() - REACH), (box.right(), box.bottom())
            near |= ((at > np.array(low)) & (at < np.array(high) + REACH)).all(axis=1)
        seen = seen[near]
    if port.scale < TINY:
        p.setPen(pen("text2", 3))
        p.drawPoints([QPointF(float(px[i, 0]), float(px[i, 1])) for i in seen])
        return
    small = font("tick", 500, mono=True)
    spoken = not within and len(seen) <= LABELLED and port.scale >= 12
    drawn, put = laid.drawn, p.drawPixmap
    wishes: list[tuple[Drawn, Wish]] = []
    alone: list[int] = []  # units at rest that carry words
    for i in seen.tolist():
        d = drawn[i]
        if d.unit.id in what.faded:
            continue
        long, wide = size_px(d, port.scale)
        picture = symbol(d.kind, long, wide, d.turn, d.gel, False, ratio)
        half = picture.width() / ratio / 2
        x, y = float(px[i, 0]), float(px[i, 1])
        put(QPointF(x - half, y - half), picture)
        if spoken and d.words:
            c, s = abs(math.cos(math.radians(d.turn))), abs(math.sin(math.radians(d.turn)))
            right, up = (long * c + wide * s) / 2 + 1, (long * s + wide * c) / 2 + 1
            labels.block((x - right, y - up, x + right, y + up))
            alone.append(i)
            wishes.append((d, Wish(x, y, right + 2, 0, 13, off_up=up + 2)))
    for heap in together([(px[i, 0], px[i, 1]) for i in alone], ON_ONE_SPOT):
        one, wish = wishes[heap[0]]
        words = one.words
        if len(heap) > 1:
            words = label_for([wishes[i][0].unit for i in heap], laid.sheet.labels)
        place = labels.place(replace(wish, wide=advance(small, words) + 2))
        if place is not None:
            paint.text(p, place[0], place[1], words, small, "text2", height=13)


def furniture(p: QPainter, port: Viewport, plan: bool) -> None:
    """Scale bar, and where the audience is."""
    length = next((s for s in (100, 50, 20, 10, 5, 2, 1, 0.5, 0.2) if s * port.scale <= 160), 0.1)
    x, y = 16.0, port.high - 18.0
    p.setPen(Qt.PenStyle.NoPen)
    for i in range(4):
        p.setBrush(theme.color("text2" if i % 2 == 0 else "deep"))
        p.drawRect(QRectF(x + i * length * port.scale / 4, y, length * port.scale / 4, 4))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(pen("text2", 1))
    p.drawRect(QRectF(x, y, length * port.scale, 4))
    paint.text(p, x, y - 17, f"{length:g} m", font("tick", mono=True), "text2", height=14)
    if plan:
        middle = port.wide / 2
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("text3"))
        p.drawPolygon(
            paint.polygon(
                (middle - 6, port.high - 24), (middle + 6, port.high - 24), (middle, port.high - 17)
            )
        )
        paint.text(
            p, middle - 60, port.high - 16, "audience", font("tick"), "text3", paint.CENTER, 120, 14
        )
