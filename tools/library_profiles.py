"""Make the shipped library from short descriptions. Run from the project's root: `python tools/library_profiles.py`.

Makers, models and figures are invented; attributes are those of the open standard.
"""

from __future__ import annotations

from pathlib import Path

from isthmus.profiles.channel_table import Band
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make import Body, Channel, ModePlan, compose
from isthmus.profiles.make.glb import mesh_files
from isthmus.profiles.records import Beam, Profile
from isthmus.profiles.store import file_name

OUT = Path(__file__).parent.parent / "src/isthmus/library/shipped"


def bands(text: str, attribute: str = "") -> tuple[Band, ...]:
    """`0 Closed, 10 Strobe@Shutter1Strobe, 240 Open`: each range ends before the next."""
    rows = [row.strip().split(" ", 1) for row in text.split(",")]
    starts = [int(row[0]) for row in rows]
    made = []
    for (start, name), end in zip(rows, [*(s - 1 for s in starts[1:]), 255], strict=True):
        label, _, own = name.partition("@")
        made.append(Band(int(start), end, label, own or attribute))
    return tuple(made)


SHUTTER = bands("0 Closed, 16 Strobe slow to fast@Shutter1Strobe, 200 Pulse@Shutter1StrobePulse, 232 Open", "Shutter1")
STROBE = bands("0 Open, 8 Strobe slow to fast@Shutter1Strobe, 240 Random@Shutter1StrobeRandom", "Shutter1")
COLOURS = {
    8: bands("0 Open, 10 Red, 20 Amber, 30 Yellow, 40 Green, 50 Blue, 60 Magenta, 70 Warm, 128 Turning@Color1WheelSpin", "Color1"),
    12: bands("0 Open, 8 Red, 16 Orange, 24 Amber, 32 Yellow, 40 Green, 48 Cyan, 56 Blue, 64 Violet, 72 Magenta, 80 Pink, 88 Lavender, 160 Turning@Color1WheelSpin", "Color1"),
}
GOBOS = {
    1: bands("0 Open, 12 Net, 24 Ripples, 36 Shingle, 48 Gull wings, 60 Reeds, 72 Lattice, 84 Portholes, 150 Shake@Gobo1PosShake, 200 Turning@Gobo1WheelSpin", "Gobo1"),
    2: bands("0 Open, 10 Rope, 20 Ladder, 30 Stars, 40 Cracked ice, 50 Leaves, 60 Windows, 128 Turning@Gobo2WheelSpin", "Gobo2"),
}
PRISM = bands("0 Open, 20 Three facets, 140 Five in a row", "Prism1")
CONTROL = bands("0 Nothing, 40 Fan quiet, 80 Fan full, 120 Lamp on, 160 Lamp off, 200 Reset", "Control1")
EFFECT = bands("0 Nothing, 16 Wave, 64 Chase, 112 Sparkle, 160 Breathe, 208 Rainbow", "Effects1")
MIX = {"R": "ColorAdd_R", "G": "ColorAdd_G", "B": "ColorAdd_B", "W": "ColorAdd_W", "A": "ColorAdd_RY", "L": "ColorAdd_GY", "M": "ColorAdd_GC", "U": "ColorAdd_UV", "I": "ColorAdd_BM", "w": "ColorAdd_WW", "c": "ColorAdd_CW"}  # fmt: skip
ONE = {
    "dim": "Dimmer", "pan": "Pan", "tilt": "Tilt", "zoom": "Zoom", "focus": "Focus1", "iris": "Iris", "frost": "Frost1", "ctc": "CTC", "cto": "CTO", "speed": "PositionMSpeed", "gturn": "Gobo1Pos",
    "g2turn": "Gobo2Pos", "pturn": "Prism1Pos", "rate": "Effects1Rate", "haze": "Haze1", "fog": "Fog1", "fan": "Fan1", "length": "StrobeDuration", "anim": "AnimationWheel1", "animturn": "AnimationWheel1Pos",
    "frame": "ShaperRot", "tint": "Tint", "spare": "NoFeature", "clip": "MediaContent1", "folder": "MediaFolder1", "play": "PlayMode", "pspeed": "PlaySpeed", "px": "XYZ_X", "py": "XYZ_Y", "sx": "ScaleX", "sy": "ScaleY",
}  # fmt: skip
RANGED = {"shut": ("Shutter1", SHUTTER), "strobe": ("Shutter1", STROBE), "wheel8": ("Color1", COLOURS[8]), "wheel12": ("Color1", COLOURS[12]), "gobo": ("Gobo1", GOBOS[1]), "gobo2": ("Gobo2", GOBOS[2]), "prism": ("Prism1", PRISM), "ctl": ("Control1", CONTROL), "fx": ("Effects1", EFFECT)}  # fmt: skip


def channels(text: str, zoom: tuple[float, float] = (50.0, 8.0)) -> tuple[Channel, ...]:
    """`pan+ tilt+ dim shut RGBW+ zoom`: a plus makes 16 bit; capitals are emitters, CMY mixes by taking away."""
    made: list[Channel] = []
    for word in text.split():
        size = 2 if word.endswith("+") else 1
        word = word.rstrip("+")
        if word in RANGED:
            attribute, ranges = RANGED[word]
            made.append(Channel(attribute, 1, ranges, default=0 if word == "strobe" else None))
        elif word == "blades":
            made += [Channel(f"Blade{n}{side}", size) for n in range(1, 5) for side in "AB"]
        elif word == "CMY":
            made += [Channel(f"ColorSub_{letter}", size) for letter in "CMY"]
        elif word == "zoom":
            made.append(Channel("Zoom", size, low=zoom[0], high=zoom[1]))
        elif word == "ctc":
            made.append(Channel("CTC", size, low=2700.0, high=6500.0))
        elif word in ONE:
            made.append(Channel(ONE[word], size))
        else:
            made += [Channel(MIX[letter], size) for letter in word]
    return tuple(made)


def beam(angle: float, flux: float, kelvin: float = 6500, radius: float = 0.07, kind: str = "Wash", edge: float = 1.25) -> Beam:
    return Beam(beam_angle=angle, field_angle=round(angle * edge, 2), flux=flux, color_temperature=kelvin, radius=radius, kind=kind, lamp="Tungsten" if kelvin < 3500 and flux > 6000 else "LED", power=300)


def unit(maker: str, name: str, text: str, body: Body, **modes: str) -> Profile:
    """One profile. A mode is `channels`, or `channels | n × cell channels | rest`."""
    span = (body.beam.field_angle * 2.2, max(3.0, body.beam.field_angle * 0.35))
    plans = []
    for title, spec in modes.items():
        parts = [part.strip() for part in spec.split("|")]
        label = title.replace("_", " ")
        if len(parts) > 1:
            count, _, cell = parts[1].partition(" × ")
            plans.append(ModePlan(label, channels(parts[0], span), int(count), channels(cell, span), channels(parts[2], span) if len(parts) > 2 else ()))
        else:
            plans.append(ModePlan(label, channels(parts[0], span)))
    return compose(maker, name, body, plans, description=text, date="2026-06-14T09:00:00", note="First measured")


def mover(width: float, height: float, light: Beam) -> Body:
    return Body("mover", (width, width * 0.74, height), light, meshes=True)


def can(size: float, light: Beam, depth: float = 0.26) -> Body:
    return Body("can", (size, size, depth), light, meshes=True)


def lantern(light: Beam, length: float = 0.42) -> Body:
    return Body("lantern", (0.28, 0.28, length), light, meshes=True)


def bar(cells: int, length: float, light: Beam, depth: float = 0.1, columns: int = 0) -> Body:
    return Body("cells", (length, depth, 0.12), light, columns or cells, meshes=True)


def machine(*size: float) -> Body:
    return Body("machine", (size[0], size[1], size[2]), meshes=True)


def media() -> Profile:
    """A media player of two layers, each in a DMX block of its own, with a master before them."""
    layer = channels("dim folder clip play pspeed px+ py+ sx sy")
    plan = ModePlan("Two layers", (*channels("dim strobe"), *layer, *layer), blocks=(1, 1, *([2] * len(layer)), *([3] * len(layer))))
    return compose("Ropewalk Pictures", "Lantern Slide 2", Body("rack", (0.44, 0.4, 0.09), meshes=True), [plan], description="Plays pictures in two layers, each patched for itself", date="2026-06-14T09:00:00", note="First measured")


SPOT, WASH, NARROW = "pan+ tilt+ dim+ shut CMY wheel8 gobo gturn+ prism iris zoom+ focus+ frost ctl", "pan+ tilt+ dim+ shut RGBW+ ctc zoom+ ctl", "pan+ tilt+ dim shut wheel12 gobo prism pturn focus zoom frost ctl"
FRAMING = "pan+ tilt+ dim+ shut CMY+ cto wheel8 gobo gturn+ gobo2 anim animturn prism pturn iris zoom+ focus+ frost blades frame ctl"

PROFILES = [
    # moving spots and profiles
    unit("Dunnet Works", "Skerry 600", "Moving profile, colour mixing and two wheels", mover(0.40, 0.70, beam(16, 21000, 7000, kind="Spot")), Full=SPOT, Short="pan+ tilt+ dim shut CMY wheel8 gobo zoom focus", Long=SPOT.replace("ctl", "speed ctl")),
    unit("Dunnet Works", "Skerry 900 F", "Moving profile with four framing blades", mover(0.44, 0.78, beam(18, 30000, 6800, kind="Spot")), Full=FRAMING, Plain=SPOT),
    unit("Dunnet Works", "Cormorant 7", "Narrow beam, two colour wheels", mover(0.34, 0.60, beam(2.5, 11000, 7800, 0.08, "Spot")), Standard=NARROW, Long=NARROW.replace("wheel12", "wheel12 wheel8").replace("wheel8", "CMY")),
    unit("Kestrel Yard", "Hover 250", "Small moving spot for a short throw", mover(0.30, 0.48, beam(14, 8000, 7200, kind="Spot")), Basic="pan tilt dim shut wheel8 gobo ctl", Full="pan+ tilt+ speed dim shut wheel8 gobo gturn prism focus ctl"),
    unit("Kestrel Yard", "Hover 500 P", "Moving profile in six colours of light", mover(0.38, 0.66, beam(20, 15000, 5600, kind="Spot")), Full="pan+ tilt+ dim+ shut RGBALI+ ctc tint gobo gturn+ iris zoom+ focus+ blades frame ctl", Mix="pan+ tilt+ dim shut RGBALI zoom focus"),
    unit("Northing Light", "Meridian S", "Moving spot, shutter before dimmer", mover(0.36, 0.62, beam(15, 13000, 6900, kind="Spot")), Standard="pan+ tilt+ shut dim wheel8 gobo gturn prism focus zoom ctl", Extended="pan+ tilt+ speed shut dim+ CMY wheel8 gobo gturn+ gobo2 prism iris focus+ zoom+ ctl"),
    unit("Marlstone Works", "Quarry 1200", "Bright moving profile with animation wheel", mover(0.46, 0.82, beam(17, 38000, 6600, kind="Spot")), Full=FRAMING + " speed", Short="pan+ tilt+ dim shut CMY wheel8 gobo gobo2 zoom focus"),
    # moving washes
    unit("Halyard Optics", "Lapwing 37", "Moving wash with thirty-seven dies in rings", mover(0.44, 0.60, beam(22, 18000, 6500, 0.15)), Wide=WASH, Short="pan+ tilt+ dim shut RGBW zoom", Rings="pan+ tilt+ dim+ shut ctc zoom+ ctl | 4 × RGBW"),
    unit("Halyard Optics", "Lapwing 7", "Little moving wash", mover(0.26, 0.38, beam(20, 4200, 6500, 0.08)), Wide="pan+ tilt+ dim shut RGBW zoom ctl", Short="pan tilt dim RGBW"),
    unit("Kestrel Yard", "Glide 19", "Moving wash, colours before dimmer", mover(0.36, 0.50, beam(24, 9000, 6500, 0.11)), Standard="pan+ tilt+ RGBW dim shut zoom ctl", Extended="pan+ tilt+ speed RGBW+ dim+ shut ctc fx rate zoom+ ctl"),
    unit("Northing Light", "Meridian W", "Moving wash with warm and cold white", mover(0.38, 0.52, beam(28, 12000, 5600, 0.12)), Full="pan+ tilt+ dim+ shut RGBwc+ zoom+ ctl", White="pan+ tilt+ dim shut wc zoom"),
    unit("Tern Electric", "Wader 12", "Moving wash for weather", mover(0.40, 0.56, beam(26, 14000, 6500, 0.13)), Full="pan+ tilt+ dim+ strobe RGBL+ ctc zoom+ ctl", Short="pan+ tilt+ dim strobe RGBL zoom"),
    unit("Marlstone Works", "Flint F", "Moving Fresnel in one warm white", mover(0.42, 0.58, beam(30, 16000, 3200, 0.14, "Fresnel")), Standard="pan+ tilt+ dim+ strobe ctc zoom+ ctl"),
    # beams and mirrors
    unit("Kestrel Yard", "Stoop 1", "Very narrow beam in white", mover(0.28, 0.44, beam(1.8, 7000, 8000, 0.09, "Spot")), Standard="pan+ tilt+ dim shut", Full="pan+ tilt+ speed dim+ shut wheel12 gobo prism frost ctl"),
    unit("Oakum and Pitch", "Glint 6 Bar", "Six small moving beams on a bar", Body("cells", (1.0, 0.2, 0.36), beam(4, 1200, 7000, 0.03, "Spot"), 6, moving_cells=True), Heads="dim shut | 6 × pan tilt dim RGBW | ctl", Together="dim shut RGBW"),
    unit("Lychgate Lamps", "Mirror 575", "Old scanner with a moving mirror", Body("mirror", (0.34, 0.7, 0.28), beam(14, 12000, 6000, kind="Spot"), meshes=True), Standard="pan tilt wheel8 gobo shut dim"),
    # battens
    unit("Halyard Optics", "Dunlin Strip 12", "Batten of twelve cells", bar(12, 1.0, beam(36, 600, radius=0.03)), Cells="dim strobe | 12 × RGBW", Whole="dim strobe RGBW", Quarters="dim strobe | 4 × RGBW"),
    unit("Halyard Optics", "Dunlin Strip 24", "Long batten of twenty-four cells", bar(24, 2.0, beam(36, 600, radius=0.03)), Cells="dim strobe | 24 × RGB", Whole="dim RGB"),
    unit("Tern Electric", "Groynelight 8", "Batten for weather, eight cells", bar(8, 1.0, beam(20, 900, radius=0.04)), Cells="dim strobe fx rate | 8 × RGBA", Whole="dim strobe RGBA", Two_halves="dim | 2 × RGBA"),
    unit("Oakum and Pitch", "Caulk 10", "Batten in warm and cold white", bar(10, 1.0, beam(60, 700, 4000, 0.03)), Cells="| 10 × wc", Whole="dim wc"),
    unit("Northing Light", "Parallel 16", "Batten with zoom and sixteen cells", bar(16, 1.2, beam(24, 800, radius=0.03)), Cells="dim+ strobe zoom | 16 × RGBW", Whole="dim+ strobe RGBW+ zoom"),
    unit("Marlstone Works", "Ledge 6 T", "Batten that tilts", bar(6, 1.0, beam(12, 1400, radius=0.04)), Cells="tilt+ speed dim strobe | 6 × RGBW", Whole="tilt dim strobe RGBW"),
    # panels
    unit("Oakum and Pitch", "Tarpaulin 25", "Panel of five by five cells", bar(25, 0.6, beam(40, 500, radius=0.04), 0.6, 5), Cells="dim strobe | 25 × RGB", Rows="dim strobe | 5 × RGB", Whole="dim strobe RGB"),
    unit("Oakum and Pitch", "Tarpaulin 16 W", "Warm panel of four by four cells", bar(16, 0.6, beam(45, 700, 2700, 0.05), 0.6, 4), Cells="| 16 × dim", Whole="dim"),
    unit("Northing Light", "Chart Table", "Soft panel, white from warm to cold", bar(1, 0.7, beam(100, 9000, 4500, 0.3), 0.4, 1), Two="dim+ ctc+", Mix="dim ctc tint RGB"),
    unit("Tern Electric", "Slate 36", "Panel of thirty-six cells, for weather", bar(36, 0.75, beam(35, 450, radius=0.04), 0.75, 6), Cells="dim strobe | 36 × RGBW", Whole="dim strobe RGBW ctl"),
    # strobes
    unit("Kestrel Yard", "Clap 1000", "Strobe in white", bar(1, 0.5, beam(90, 30000, 6500, 0.2), 0.25, 1), One="dim", Four="strobe length dim ctl"),
    unit("Kestrel Yard", "Clap 12 C", "Strobe in colour with twelve cells", bar(12, 0.6, beam(90, 2400, 6500, 0.05), 0.3, 6), Short="dim strobe RGB", Cells="dim strobe length fx rate | 12 × RGB"),
    unit("Marlstone Works", "Spall 3", "Strobe that tilts, white row and colour field", bar(8, 0.7, beam(80, 3000, 6000, 0.05), 0.3, 8), Full="tilt+ dim strobe length | 8 × RGBc | ctl", Short="tilt dim strobe RGB"),
    # cans
    unit("Brackwater", "Turnstone 12", "LED can in six colours", can(0.26, beam(24, 5200, radius=0.1)), Eight="dim strobe RGBWAU", Six="RGBWAU", Long="dim+ strobe RGBWAU+ fx rate ctl"),
    unit("Brackwater", "Turnstone W", "LED can in warm and cold white", can(0.24, beam(26, 4800, 4200, 0.1)), Three="dim wc", Two="wc", Temperature="dim ctc"),
    unit("Tern Electric", "Bollard 18", "LED can for weather", can(0.28, beam(18, 6000, radius=0.1)), Four="dim RGB", Five="dim strobe RGB", Ten="dim strobe RGBL fx rate ctc ctl"),
    unit("Oakum and Pitch", "Fid 4", "Battery can on wireless", can(0.16, beam(20, 1500, radius=0.06), 0.2), Four="RGBA", Nine="dim strobe RGBA fx rate ctl"),
    unit("Kestrel Yard", "Pip 1", "Pinspot in four colours", can(0.12, beam(5, 600, radius=0.03), 0.18), Five="dim RGBW", One="dim"),
    unit("Lychgate Lamps", "Parson 64", "Tungsten can, 1 kW", can(0.22, beam(12, 20000, 3200, 0.1, "PC"), 0.36), Dimmer="dim"),
    unit("Lychgate Lamps", "Parson 56", "Tungsten can, 300 W", can(0.19, beam(20, 6500, 3100, 0.09, "PC"), 0.3), Dimmer="dim"),
    unit("Northing Light", "Fathom Line 3", "LED can, green before red", can(0.24, beam(22, 3600, radius=0.09)), GRB="GRB", Master_last="GRBW dim"),
    # conventional
    unit("Lychgate Lamps", "Sexton 1k", "Tungsten Fresnel, 1 kW", lantern(beam(30, 13000, 3200, 0.09, "Fresnel")), Dimmer="dim"),
    unit("Lychgate Lamps", "Sexton 2k", "Tungsten Fresnel, 2 kW", lantern(beam(34, 28000, 3200, 0.13, "Fresnel"), 0.5), Dimmer="dim"),
    unit("Lychgate Lamps", "Verger 12/28", "Tungsten profile with zoom, 12 to 28 degrees", lantern(beam(22, 14000, 3200, 0.08, "Spot"), 0.6), Dimmer="dim"),
    unit("Lychgate Lamps", "Verger 22/46", "Tungsten profile with zoom, 22 to 46 degrees", lantern(beam(36, 13500, 3200, 0.08, "Spot"), 0.5), Dimmer="dim"),
    unit("Brackwater", "Groyne 17", "Tungsten profile, 17 degrees", lantern(beam(16, 12500, 3200, 0.07, "Spot"), 0.5), Dimmer="dim"),
    unit("Brackwater", "Groyne 33", "Tungsten profile, 33 degrees", lantern(beam(30, 10500, 3200, 0.07, "Spot"), 0.38), Dimmer="dim"),
    unit("Brackwater", "Shoal Flood", "Tungsten flood for cloths", lantern(beam(80, 15000, 3000, 0.12), 0.25), Dimmer="dim"),
    unit("Northing Light", "Sounding Profile", "LED profile in one white", lantern(beam(24, 9000, 3000, 0.07, "Spot"), 0.6), One="dim", Fine="dim+ strobe ctl"),
    unit("Marlstone Works", "Chisel C", "LED profile in seven colours", lantern(beam(24, 8000, 5600, 0.07, "Spot"), 0.6), Emitters="dim+ strobe RGBALIM", White="dim+ strobe ctc tint", Nine="dim strobe RGBALIM"),
    unit("Oakum and Pitch", "Cyc Trough 4", "Tungsten trough in four circuits", bar(4, 1.2, beam(90, 6000, 3000, 0.1), 0.3), Four="| 4 × dim"),
    unit("Brackwater", "Whelk 4", "Four lamps facing the house", bar(4, 0.6, beam(60, 6500, 3000, 0.09), 0.3, 2), Four="| 4 × dim", Two="| 2 × dim"),
    # dimmers, followspot, atmosphere, media
    unit("Tern Electric", "Stack 12", "Dimmer rack, twelve ways", Body("rack", (0.48, 0.4, 0.13), meshes=True), Twelve="| 12 × dim"),
    unit("Tern Electric", "Stack 24", "Dimmer rack, twenty-four ways", Body("rack", (0.48, 0.5, 0.27), meshes=True), Twenty_four="| 24 × dim"),
    unit("Tern Electric", "Splash 4", "Dimmer for the bar, four ways", Body("rack", (0.3, 0.1, 0.12), meshes=True), Four="| 4 × dim", Master="dim | 4 × dim"),
    unit("Northing Light", "Pilot 1200", "Followspot, worked by hand or by DMX", lantern(beam(8, 24000, 6000, 0.1, "Spot"), 1.0), Hand="dim", Full="dim+ shut iris frost wheel8 focus"),
    unit("Saltings Atmospherics", "Marram Haze 2", "Hazer with fan and two pumps", machine(0.5, 0.3, 0.3), Two="haze fan", Four="haze fan spare ctl"),
    unit("Saltings Atmospherics", "Bank Fog 1500", "Fog machine", machine(0.6, 0.35, 0.25), One="fog", Two="fog fan"),
    unit("Saltings Atmospherics", "Sea Fret", "Low fog", machine(0.9, 0.5, 0.5), Three="fog fan ctl"),
    unit("Saltings Atmospherics", "Offshore", "Fan", machine(0.4, 0.3, 0.5), One="fan"),
    media(),
]  # fmt: skip


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    wanted = {file_name(profile): profile for profile in PROFILES}
    for old in OUT.glob("*.gdtf"):
        if old.name not in wanted:
            old.unlink()
    for name, profile in wanted.items():
        (OUT / name).write_bytes(write_gdtf(profile, mesh_files(profile)))
    print(f"{len(wanted)} profiles of {len({p.maker for p in PROFILES})} makers, {sum(f.stat().st_size for f in OUT.glob('*.gdtf')) // 1024} kB")


if __name__ == "__main__":
    main()
