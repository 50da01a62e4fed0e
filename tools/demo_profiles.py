"""Make the GDTF files of the demo show. Run from the project's root: `python tools/demo_profiles.py`.

Makers, models and figures are invented. Only the open GDTF standard's own names are used for attributes.
"""

from __future__ import annotations

import uuid
import zipfile
from dataclasses import dataclass, field
from pathlib import Path
from xml.sax.saxutils import quoteattr

OUT = Path(__file__).parent.parent / "src/isthmus/demo/profiles"
SPACE = uuid.UUID("5a1d0c6e-6a77-4f0a-9d6c-27c3b1f0e001")
IDENTITY = "{1,0,0,0}{0,1,0,0}{0,0,1,0}{0,0,0,1}"

FEATURES = {
    "Dimmer": "Dimmer.Dimmer", "Pan": "Position.PanTilt", "Tilt": "Position.PanTilt", "Zoom": "Focus.Focus", "Focus1": "Focus.Focus",
    "Iris": "Beam.Beam", "Shutter1": "Beam.Beam", "Shutter1Strobe": "Beam.Beam", "Gobo1": "Gobo.Gobo", "Gobo1Pos": "Gobo.Gobo",
    "Prism1": "Beam.Beam", "Color1": "Color.Color", "Haze1": "Control.Control", "Fan1": "Control.Control", "Control1": "Control.Control",
}  # fmt: skip
PRETTY = {
    "ColorAdd_R": "Red", "ColorAdd_G": "Green", "ColorAdd_B": "Blue", "ColorAdd_W": "White", "ColorAdd_RY": "Amber", "ColorSub_C": "Cyan",
    "ColorSub_M": "Magenta", "ColorSub_Y": "Yellow", "Shutter1": "Shutter", "Shutter1Strobe": "Strobe", "Color1": "Colour wheel", "Gobo1": "Gobo",
    "Gobo1Pos": "Gobo turn", "Focus1": "Focus", "Prism1": "Prism", "Haze1": "Haze", "Fan1": "Fan", "Control1": "Control",
}  # fmt: skip
EMITTERS = {"R": "0.6920,0.3070,21", "G": "0.1710,0.7210,52", "B": "0.1420,0.0480,7", "W": "0.3250,0.3400,68", "RY": "0.5680,0.4250,33"}


def tag(name: str, body: str = "", /, **attributes: object) -> str:
    text = "".join(f" {key.rstrip('_')}={quoteattr(str(value))}" for key, value in attributes.items())
    return f"<{name}{text}>{body}</{name}>" if body else f"<{name}{text}/>"


def move(x: float = 0, y: float = 0, z: float = 0) -> str:
    return f"{{1,0,0,{x}}}{{0,1,0,{y}}}{{0,0,1,{z}}}{{0,0,0,1}}"


@dataclass
class Ch:
    """One channel: its functions as (name, attribute, from, physical from, to, sets, wheel)."""

    attribute: str
    offsets: tuple[int, ...]
    geometry: str = "Head"
    default: str = "0/1"
    highlight: str = "None"
    functions: list[tuple] = field(default_factory=list)
    block: object = 1

    def xml(self) -> str:
        emitter = self.attribute[9:] if self.attribute.startswith("ColorAdd_") else ""
        made = []
        for name, attribute, start, low, high, sets, wheel in self.functions or [(PRETTY.get(self.attribute, self.attribute), self.attribute, "0/1", 0, 1, [], "")]:
            inner = "".join(tag("ChannelSet", Name=s[0], DMXFrom=s[1], WheelSlotIndex=s[2] if len(s) > 2 else 0) for s in sets)
            extra = {"Wheel": wheel} if wheel else {}
            if emitter in EMITTERS:
                extra["Emitter"] = emitter
            made.append(tag("ChannelFunction", inner, Name=name, Attribute=attribute, OriginalAttribute="", DMXFrom=start, Default=self.default, PhysicalFrom=low, PhysicalTo=high, RealFade=0, **extra))
        logical = tag("LogicalChannel", "".join(made), Attribute=self.attribute, Snap="Yes" if self.attribute in ("Shutter1", "Color1", "Gobo1") else "No", Master="Grand" if self.attribute == "Dimmer" else "None")
        first = self.functions[0][0] if self.functions else PRETTY.get(self.attribute, self.attribute)
        return tag("DMXChannel", logical, DMXBreak=self.block, Offset=",".join(map(str, self.offsets)), Highlight=self.highlight, InitialFunction=f"{self.geometry}_{self.attribute}.{self.attribute}.{first}", Geometry=self.geometry)


def one(attribute: str, offsets: tuple[int, ...], low: float, high: float, **more) -> Ch:
    return Ch(attribute, offsets, functions=[(PRETTY.get(attribute, attribute), attribute, "0/1", low, high, [], "")], **more)


def pan(*o: int, span: float = 540) -> Ch:
    return one("Pan", o, -span / 2, span / 2, geometry="Yoke", default="128/1s" if len(o) == 1 else "32768/2")


def tilt(*o: int, span: float = 270) -> Ch:
    return one("Tilt", o, -span / 2, span / 2, geometry="Head", default="128/1s" if len(o) == 1 else "32768/2")


def dimmer(*o: int, geometry: str = "Lens", block: object = 1) -> Ch:
    return one("Dimmer", o, 0, 1, geometry=geometry, highlight=f"{256 ** len(o) - 1}/{len(o)}", block=block)


def add(letter: str, *o: int, geometry: str = "Lens", block: object = 1) -> Ch:
    return one(f"ColorAdd_{letter}", o, 0, 1, geometry=geometry, highlight=f"{256 ** len(o) - 1}/{len(o)}", block=block)


def shutter(o: int, geometry: str = "Lens") -> Ch:
    return Ch("Shutter1", (o,), geometry, default="255/1", highlight="255/1", functions=[
        ("Closed", "Shutter1", "0/1", 0, 0, [("Closed", "0/1")], ""), ("Strobe", "Shutter1Strobe", "20/1", 0.5, 18, [("Slow", "20/1"), ("Fast", "230/1")], ""),
        ("Open", "Shutter1", "240/1", 1, 1, [("Open", "240/1")], "")])  # fmt: skip


def zoom(wide: float, narrow: float, *o: int) -> Ch:
    return one("Zoom", o, wide, narrow, geometry="Lens", default="128/1")


WHEEL = [("Open", "0.3127,0.3290,100"), ("Buoy red", "0.6600,0.3250,18"), ("Kelp", "0.2600,0.6200,38"), ("Harbour blue", "0.1550,0.0900,9"), ("Sodium", "0.5400,0.4200,52"), ("Heather", "0.3000,0.1500,16"), ("Shoal", "0.2100,0.3300,44")]


def wheel(o: int) -> Ch:
    sets = [(name, f"{i * 16}/1", i + 1) for i, (name, _) in enumerate(WHEEL)]
    return Ch("Color1", (o,), "Lens", functions=[("Colours", "Color1", "0/1", 0, 1, sets, "Colours")])


def gobo(o: int) -> Ch:
    names = ["Open", "Net", "Ripples", "Shingle", "Gull wings"]
    return Ch("Gobo1", (o,), "Lens", functions=[("Gobos", "Gobo1", "0/1", 0, 1, [(n, f"{i * 24}/1", i + 1) for i, n in enumerate(names)], "Gobos")])


def control(o: int) -> Ch:
    return Ch("Control1", (o,), "Base", functions=[("Control", "Control1", "0/1", 0, 1, [("Nothing", "0/1"), ("Lamp on", "50/1"), ("Lamp off", "100/1"), ("Reset", "200/1")], "")])


def beam(name: str = "Lens", angle: float = 20, field_angle: float | None = None, flux: float = 9000, kelvin: float = 6500, radius: float = 0.06, kind: str = "Wash", z: float = -0.2, **at: float) -> str:
    return tag("Beam", Name=name, Model="", Position=move(z=z, **at), BeamAngle=angle, FieldAngle=field_angle or angle * 1.25, LuminousFlux=flux, ColorTemperature=kelvin, BeamRadius=radius, BeamType=kind, LampType="LED", PowerConsumption=300)


def mover(**light) -> str:
    head = tag("Axis", beam(**light), Name="Head", Model="Head", Position=move(z=-0.34))
    return tag("Geometry", tag("Axis", head, Name="Yoke", Model="Yoke", Position=move(z=-0.12)), Name="Base", Model="Base", Position=IDENTITY)


def models(*rows: tuple) -> str:
    return "".join(tag("Model", Name=n, Length=length, Width=w, Height=h, PrimitiveType=p, File="") for n, length, w, h, p in rows)


MOVER_MODELS = models(("Base", 0.34, 0.26, 0.12, "Base"), ("Yoke", 0.40, 0.16, 0.30, "Yoke"), ("Head", 0.28, 0.26, 0.38, "Head"))
SMALL_MOVER = models(("Base", 0.26, 0.22, 0.09, "Base"), ("Yoke", 0.30, 0.12, 0.26, "Yoke"), ("Head", 0.20, 0.20, 0.30, "Head"))


def lantern(name: str = "Body", **light) -> str:
    return tag("Geometry", tag("Geometry", beam(z=-0.24, **light), Name="Head", Model="Body", Position=move(z=-0.22)), Name="Base", Model="Clamp", Position=IDENTITY)


LANTERN_MODELS = models(("Clamp", 0.10, 0.06, 0.14, "Cube"), ("Body", 0.28, 0.28, 0.42, "Conventional"))
PAR_MODELS = models(("Clamp", 0.22, 0.04, 0.10, "Cube"), ("Body", 0.24, 0.24, 0.26, "Cylinder"))


def strip(cells: int, pitch: float, offset: int, stride: int) -> str:
    return "".join(tag("GeometryReference", tag("Break", DMXBreak=1, DMXOffset=offset + i * stride), Name=f"Cell {i + 1}", Geometry="Cell", Model="", Position=move(x=(i - (cells - 1) / 2) * pitch)) for i in range(cells))


def profile(name: str, maker: str, text: str, model_xml: str, geometry_xml: str, modes: dict[str, tuple[str, list[Ch]]]) -> tuple[str, str]:
    used = sorted({f[1] for _, channels in modes.values() for c in channels for f in (c.functions or [(0, c.attribute)])} | {c.attribute for _, channels in modes.values() for c in channels})
    attributes = "".join(tag("Attribute", Name=a, Pretty=PRETTY.get(a, a), Feature=FEATURES.get(a, "Color.RGB" if a.startswith("ColorAdd") else "Color.CMY"), PhysicalUnit="Angle" if a in ("Pan", "Tilt", "Zoom") else "None") for a in used)
    groups = sorted({FEATURES.get(a, "Color.RGB").split(".")[0] for a in used})
    features = "".join(tag("FeatureGroup", "".join(tag("Feature", Name=n) for n in sorted({FEATURES.get(a, "Color.RGB" if a.startswith("ColorAdd") else "Color.CMY").split(".")[1] for a in used if FEATURES.get(a, "Color.RGB").split(".")[0] == g})), Name=g, Pretty=g) for g in groups)
    letters = sorted({a[9:] for a in used if a.startswith("ColorAdd_")})
    emitters = "".join(tag("Emitter", Name=e, Color=EMITTERS[e]) for e in letters)
    wheels = tag("Wheel", "".join(tag("Slot", Name=n, Color=c) for n, c in WHEEL), Name="Colours") if "Color1" in used else ""
    wheels += tag("Wheel", "".join(tag("Slot", Name=n, MediaFileName="") for n in ("Open", "Net", "Ripples", "Shingle", "Gull wings")), Name="Gobos") if "Gobo1" in used else ""
    mode_xml = "".join(tag("DMXMode", tag("DMXChannels", "".join(c.xml() for c in channels)) + tag("Relations") + tag("FTMacros"), Name=mode, Description="", Geometry=top) for mode, (top, channels) in modes.items())
    body = (
        tag("AttributeDefinitions", tag("ActivationGroups") + tag("FeatureGroups", features) + tag("Attributes", attributes))
        + tag("Wheels", wheels)
        + tag("PhysicalDescriptions", tag("Emitters", emitters) if emitters else "")
        + tag("Models", model_xml)
        + tag("Geometries", geometry_xml)
        + tag("DMXModes", mode_xml)
        + tag("Revisions", tag("Revision", Text="First measured", Date="2026-03-02T10:00:00", UserID=0))
    )
    kind = tag("FixtureType", body, Name=name, ShortName=name.split()[0], LongName=f"{maker} {name}", Manufacturer=maker, Description=text, FixtureTypeID=str(uuid.uuid5(SPACE, name)).upper(), Thumbnail="", RefFT="")
    return f"{maker}@{name}.gdtf", '<?xml version="1.0" encoding="UTF-8"?>\n' + tag("GDTF", kind, DataVersion="1.2")


RGBW16 = [add("R", 8, 9), add("G", 10, 11), add("B", 12, 13), add("W", 14, 15)]
RGBW8 = [add("R", 7), add("G", 8), add("B", 9), add("W", 10)]

PROFILES = [
    profile("Lapwing 19", "Halyard Optics", "Moving wash with nineteen dies and zoom", MOVER_MODELS, mover(angle=24, flux=9500, radius=0.11), {
        "Wide": ("Base", [pan(1, 2), tilt(3, 4), dimmer(5, 6), shutter(7), *RGBW16, zoom(52, 8, 16, 17), control(18)]),
        "Short": ("Base", [pan(1, 2), tilt(3, 4), dimmer(5), shutter(6), *RGBW8, zoom(52, 8, 11)]),
    }),
    profile("Skerry 400", "Dunnet Works", "Moving profile with colour mixing, gobos and prism", MOVER_MODELS, mover(angle=18, flux=14000, kelvin=7200, radius=0.07, kind="Spot"), {
        "Full": ("Base", [pan(1, 2), tilt(3, 4), dimmer(5, 6), shutter(7), *(one(f"ColorSub_{c}", (8 + i,), 0, 1, geometry="Lens") for i, c in enumerate("CMY")), wheel(11), gobo(12), one("Gobo1Pos", (13, 14), 0, 360, geometry="Lens"), one("Prism1", (15,), 0, 1, geometry="Lens"), one("Iris", (16,), 0, 1, geometry="Lens"), zoom(38, 6, 17, 18), one("Focus1", (19, 20), 0, 1, geometry="Lens"), control(21)]),
        "Short": ("Base", [pan(1, 2), tilt(3, 4), dimmer(5), shutter(6), *(one(f"ColorSub_{c}", (7 + i,), 0, 1, geometry="Lens") for i, c in enumerate("CMY")), wheel(10), gobo(11), zoom(38, 6, 12)]),
    }),
    profile("Cormorant 3", "Dunnet Works", "Narrow beam with a colour wheel", SMALL_MOVER, mover(angle=3, field_angle=4.2, flux=6000, kelvin=7800, radius=0.06, kind="Spot"), {
        "Standard": ("Base", [pan(1, 2), tilt(3, 4), dimmer(5), shutter(6), wheel(7), gobo(8), one("Prism1", (9,), 0, 1, geometry="Lens"), control(10)]),
    }),
    profile("Dunlin Strip 6", "Halyard Optics", "Batten of six cells", models(("Bar", 1.0, 0.10, 0.12, "Cube")),
        tag("Geometry", strip(6, 0.16, 3, 3), Name="Base", Model="Bar", Position=move(z=-0.06)) + tag("Geometry", beam(angle=38, field_angle=55, flux=900, radius=0.035, z=-0.08), Name="Bar", Model="Bar", Position=move(z=-0.06)) + beam("Cell", angle=38, field_angle=55, flux=500, radius=0.035, z=-0.07), {
        "Cells": ("Base", [dimmer(1, geometry="Base"), shutter(2, "Base"), add("R", 1, geometry="Cell", block="Overwrite"), add("G", 2, geometry="Cell", block="Overwrite"), add("B", 3, geometry="Cell", block="Overwrite")]),
        "Whole": ("Bar", [dimmer(1), add("R", 2), add("G", 3), add("B", 4)]),
    }),
    profile("Turnstone 7", "Brackwater", "LED can in five colours", PAR_MODELS, lantern(angle=22, flux=3200, radius=0.09), {
        "Seven": ("Base", [dimmer(1), shutter(2), add("R", 3), add("G", 4), add("B", 5), add("W", 6), add("RY", 7)]),
        "Three": ("Base", [add("R", 1), add("G", 2), add("B", 3)]),
    }),
    profile("Groyne 24", "Brackwater", "Tungsten profile, 24 degrees", LANTERN_MODELS, lantern(angle=20, field_angle=24, flux=11000, kelvin=3200, radius=0.07, kind="Spot"), {"Dimmer": ("Base", [dimmer(1)])}),
    profile("Plover 1k", "Brackwater", "Tungsten Fresnel, 1 kW", LANTERN_MODELS, lantern(angle=34, field_angle=48, flux=12000, kelvin=3200, radius=0.10, kind="Fresnel"), {"Dimmer": ("Base", [dimmer(1)])}),
    profile("Whelk 2", "Brackwater", "Two lamps facing the house", models(("Box", 0.40, 0.14, 0.22, "Cube")),
        tag("Geometry", strip(2, 0.2, 1, 1), Name="Base", Model="Box", Position=move(z=-0.12)) + beam("Cell", angle=50, field_angle=70, flux=7000, kelvin=3000, radius=0.08, z=-0.11), {
        "Two": ("Base", [dimmer(1, geometry="Cell", block="Overwrite")]),
    }),
    profile("Marram Haze", "Saltings Atmospherics", "Hazer with fan", models(("Case", 0.5, 0.3, 0.3, "Cube")), tag("Geometry", Name="Base", Model="Case", Position=move(z=-0.15)), {
        "Two": ("Base", [one("Haze1", (1,), 0, 1, geometry="Base"), one("Fan1", (2,), 0, 1, geometry="Base")]),
    }),
]  # fmt: skip


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    for name, xml in PROFILES:
        with zipfile.ZipFile(OUT / name, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(zipfile.ZipInfo("description.xml", (2026, 3, 2, 10, 0, 0)), xml, zipfile.ZIP_DEFLATED)
        print(f"{name}: {len(xml)} characters")


if __name__ == "__main__":
    main()
