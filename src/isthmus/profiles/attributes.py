"""The attributes of the standard (DIN SPEC 15800, Annex A) that units use: feature, unit, and the words people use.

`n` in a name stands for a number, as in Gobo1. Unknown attributes get words made from their own name.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import cache

# attribute | feature | physical unit | activation group | plain words | what manuals call it (whole words; ~ joins)
_TABLE = """
Dimmer | Dimmer.Dimmer | LuminousIntensity | | dimmer | intensity, master~dimmer, dimming, brightness, master, helligkeit, intensite, intensidad, dim
Pan | Position.PanTilt | Angle | PanTilt | pan | pan~movement, x~axis, horizontal
Tilt | Position.PanTilt | Angle | PanTilt | tilt | tilt~movement, y~axis, vertical
PanRotate | Position.PanTilt | AngularSpeed | PanTilt | pan, turning on | pan~rotation, continuous~pan, endless~pan
TiltRotate | Position.PanTilt | AngularSpeed | PanTilt | tilt, turning on | tilt~rotation, continuous~tilt, endless~tilt
PositionMSpeed | Position.PanTilt | Speed | | pan and tilt speed | pan~tilt~speed, movement~speed, p~t~speed, pt~speed, motor~speed, vector~speed
ColorAdd_R | Color.RGB | ColorComponent | ColorRGB | red | red, rot, rouge, rojo, rosso
ColorAdd_G | Color.RGB | ColorComponent | ColorRGB | green | green, grun, gruen, vert, verde
ColorAdd_B | Color.RGB | ColorComponent | ColorRGB | blue | blue, blau, bleu, azul, blu
ColorAdd_W | Color.RGB | ColorComponent | ColorRGB | white | white, weiss, blanc, blanco, bianco
ColorAdd_WW | Color.RGB | ColorComponent | ColorRGB | warm white | warm~white, ww
ColorAdd_CW | Color.RGB | ColorComponent | ColorRGB | cold white | cold~white, cool~white, cw
ColorAdd_RY | Color.RGB | ColorComponent | ColorRGB | amber | amber, amb
ColorAdd_GY | Color.RGB | ColorComponent | ColorRGB | lime | lime
ColorAdd_GC | Color.RGB | ColorComponent | ColorRGB | mint | mint
ColorAdd_C | Color.RGB | ColorComponent | ColorRGB | cyan light | cyan~led
ColorAdd_BM | Color.RGB | ColorComponent | ColorRGB | indigo | indigo, violet
ColorAdd_UV | Color.RGB | ColorComponent | ColorRGB | ultraviolet | uv, ultraviolet, ultra~violet
ColorSub_C | Color.CMY | ColorComponent | ColorCMY | cyan | cyan
ColorSub_M | Color.CMY | ColorComponent | ColorCMY | magenta | magenta
ColorSub_Y | Color.CMY | ColorComponent | ColorCMY | yellow | yellow, gelb, jaune, amarillo, giallo
CTO | Color.Color | Temperature | | warm correction | cto, warm~correction
CTB | Color.Color | Temperature | | cold correction | ctb, cold~correction
CTC | Color.Color | Temperature | | colour temperature | ctc, color~temperature, colour~temperature, cct, farbtemperatur, temperature
Tint | Color.Color | None | | tint | tint, green~shift, plus~minus~green
HSB_Hue | Color.HSB | Angle | | hue | hue
HSB_Saturation | Color.HSB | Percent | | saturation | saturation, sat
Color(n) | Color.Color | None | | colour wheel | color~wheel, colour~wheel, color, colour, colors, farbrad, farbe, couleur, color~wheel~(n), colour~wheel~(n), rueda~de~color
Color(n)WheelSpin | Color.Color | AngularSpeed | | colour wheel spin | color~wheel~rotation, rainbow
ColorMacro(n) | Color.Color | None | | colour macro | color~macro, colour~macro, color~macros, color~preset, colour~presets, macro~color, farbmakro
ColorMixMSpeed | Color.Color | Speed | | colour mixing speed | color~speed, colour~speed
Shutter(n) | Beam.Beam | None | | shutter | shutter, strobe~shutter, shutter~strobe, verschluss, obturateur
Shutter(n)Strobe | Beam.Beam | Frequency | | strobe | strobe, strobing, flash, flash~rate, strobe~speed, strobe~rate, stroboskop, stroboscope, estrobo
Shutter(n)StrobePulse | Beam.Beam | Frequency | | pulse strobe | pulse, pulse~strobe
Shutter(n)StrobeRandom | Beam.Beam | Frequency | | random strobe | random~strobe, random
StrobeDuration | Beam.Beam | Time | | flash length | flash~duration, strobe~duration, duration
Iris | Beam.Beam | None | | iris | iris, irisblende
Frost(n) | Beam.Beam | None | | frost | frost, diffusion, soft
Prism(n) | Beam.Beam | None | | prism | prism, prisma, prisme
Prism(n)Pos | Beam.Beam | Angle | | prism turn | prism~index, prism~position
Prism(n)PosRotate | Beam.Beam | AngularSpeed | | prism spin | prism~rotation, prism~rotate, prism~spin
Gobo(n) | Gobo.Gobo | None | | gobo wheel | gobo, gobos, gobo~wheel, gobo~selection, rotating~gobo, static~gobo, gobo~(n), gobo~wheel~(n), goborad
Gobo(n)Pos | Gobo.Gobo | Angle | | gobo turn | gobo~index, gobo~indexing, gobo~position, gobo~turn
Gobo(n)PosRotate | Gobo.Gobo | AngularSpeed | | gobo spin | gobo~rotation, gobo~rotate, gobo~spin, rotation~gobo, gobo~rot
Gobo(n)PosShake | Gobo.Gobo | Frequency | | gobo shake | gobo~shake, shake
Gobo(n)WheelSpin | Gobo.Gobo | AngularSpeed | | gobo wheel spin | gobo~scroll, gobo~wheel~rotation
AnimationWheel(n) | Gobo.Gobo | None | | animation wheel | animation, animation~wheel, effect~wheel
AnimationWheel(n)Pos | Gobo.Gobo | Angle | | animation wheel turn | animation~rotation, animation~wheel~rotation
Zoom | Focus.Focus | Angle | | zoom | zoom, beam~angle, lens
Focus(n) | Focus.Focus | None | | focus | focus, fokus, mise~au~point
Blade(n)A | Shapers.Shapers | None | | framing blade, first corner | blade~a, blade~(n)a, shutter~blade~a, framing~a, blade~(n)~a
Blade(n)B | Shapers.Shapers | None | | framing blade, second corner | blade~b, blade~(n)b, shutter~blade~b, framing~b, blade~(n)~b
Blade(n)Rot | Shapers.Shapers | Angle | | framing blade turn | blade~rotation, blade~(n)~rotation
ShaperRot | Shapers.Shapers | Angle | | framing turn | framing~rotation, shaper~rotation, blades~rotation, frame~rotation
Effects(n) | Beam.Beam | None | | effect | effect, effects, pattern, patterns, program, programme, programs, auto, auto~program, auto~programs, programs, show, internal~program, effekt
Effects(n)Rate | Beam.Beam | None | | effect speed | effect~speed, program~speed, speed, pattern~speed, auto~speed, effect~rate
Effects(n)Fade | Beam.Beam | None | | effect fade | effect~fade, fade, program~fade
Effects(n)Adjust(m) | Beam.Beam | None | | effect adjustment | effect~adjust
Fan(n) | Control.Control | Percent | | fan | fan, fan~speed, blower, ventilator, lufter
Fog(n) | Control.Control | Percent | | fog | fog, smoke, nebel, fumee, humo
Haze(n) | Control.Control | Percent | | haze | haze, haze~output, haze~volume, dunst
Blower(n) | Control.Control | Percent | | blower | air~flow
Control(n) | Control.Control | None | | control | control, special, special~functions, functions, function, settings, service, reset, maintenance, mode, control~channel, lamp~control, steuerung, macro, macros
Fixture_GlobalReset | Control.Control | None | | reset | global~reset
LampControl | Control.Control | None | | lamp | lamp, lamp~on~off
Intensity(n)MSpeed | Dimmer.Dimmer | Speed | | dimmer speed | dimmer~speed, dimmer~mode, dimmer~curve, dimming~curve
DimmerCurve | Control.Control | None | | dimmer curve | curve
CRIMode | Control.Control | None | | colour rendering | cri
Video | Video.Video | None | | picture | video, picture, media, content, clip
MediaFolder(n) | Video.Video | None | | media folder | folder, library, bank, media~folder
MediaContent(n) | Video.Video | None | | media clip | clip, file, media~file, content
PlayMode | Video.Video | None | | play mode | play, play~mode, playback
PlaySpeed | Video.Video | None | | play speed | play~speed, playback~speed
XYZ_X | Position.XYZ | Length | XYZ | place across | x~position
XYZ_Y | Position.XYZ | Length | XYZ | place along | y~position
XYZ_Z | Position.XYZ | Length | XYZ | place up | z~position
ScaleX | Video.Video | Percent | | width | scale~x, width
ScaleY | Video.Video | Percent | | height | scale~y, height
ColorRGB_Red | Color.RGB | ColorComponent | ColorRGB | picture red | picture~red
ColorRGB_Green | Color.RGB | ColorComponent | ColorRGB | picture green | picture~green
ColorRGB_Blue | Color.RGB | ColorComponent | ColorRGB | picture blue | picture~blue
NoFeature | Control.Control | None | | nothing | reserved, no~function, unused, not~used, blank, none, spare, frei, empty, n~a
"""


# what they are called in German, French, Spanish, Italian, Dutch and Portuguese, without accents
_ELSEWHERE = """
Dimmer | intensitat, intensita, luminosita, helderheid, intensiteit, intensidade, gradateur, atenuador
Pan | schwenken, panoramique, paneo, horizontaal
Tilt | neigen, inclinaison, inclinacion, inclinazione, kantelen, inclinacao
ColorAdd_R | rood, vermelho
ColorAdd_G | groen
ColorAdd_B | blauw
ColorAdd_W | wit, branco
ColorAdd_RY | bernstein, ambre, ambar, ambra
ColorSub_C | cian, ciano, cyaan
ColorSub_Y | geel, amarelo
Color(n) | roue~de~couleurs, ruota~colori, kleurenwiel, roda~de~cores
Shutter(n) | obturador, otturatore, sluiter
Shutter(n)Strobe | blitz, estroboscopio, stroboscopio, flits
Iris | diaframma, irisdiafragma
Frost(n) | diffusor, diffuseur, difusor, diffusore
Gobo(n) | roue~de~gobos, rueda~de~gobos, ruota~gobo, goboschijf, roda~de~gobos
Focus(n) | scharfe, enfoque, messa~a~fuoco, scherpte, foco
Fan(n) | ventilateur, ventilador, ventola
Fog(n) | rook, fumaca, fumo
Haze(n) | brume, neblina, foschia
Control(n) | commande, controllo, besturing, controle
Effects(n) | effet, efecto, effetto, efeito
"""


@dataclass(frozen=True)
class Known:
    """One row of the table; `says` are the names manuals use, each a tuple of words."""

    name: str
    feature: str
    unit: str
    activation: str
    words: str
    says: tuple[tuple[str, ...], ...]


def _rows() -> dict[str, Known]:
    made = {}
    for line in _TABLE.strip().splitlines():
        name, feature, unit, activation, words, says = (part.strip() for part in line.split("|"))
        made[name] = Known(
            name,
            feature,
            unit,
            activation,
            words,
            tuple(tuple(one.strip().split("~")) for one in says.split(",")),
        )
    for line in _ELSEWHERE.strip().splitlines():
        name, _, says = (part.strip() for part in line.partition("|"))
        more = tuple(tuple(one.strip().split("~")) for one in says.split(","))
        made[name] = replace(made[name], says=(*made[name].says, *more))
    return made


KNOWN = _rows()
_BY_PATTERN = [
    (re.compile(re.sub(r"\\\([nm]\\\)", r"(\\d+)", re.escape(name)) + "$"), row)
    for name, row in KNOWN.items()
    if "(" in name
]
ACTIVATION_GROUPS = tuple(dict.fromkeys(row.activation for row in KNOWN.values() if row.activation))


@cache
def known(attribute: str) -> tuple[Known, str] | None:
    """The row of an attribute and its number (“1” in Gobo1, empty without one); None for one we do not know."""
    row = KNOWN.get(attribute)
    if row is not None:
        return row, ""
    for pattern, numbered in _BY_PATTERN:
        match = pattern.match(attribute)
        if match:
            return numbered, match[1]
    return None


@cache
def plain(attribute: str) -> str:
    """An attribute in plain words: “colour wheel 2”, “red”. The number 1 is left out."""
    found = known(attribute)
    if found is None:
        spaced = re.sub(r"[_]+", " ", re.sub(r"(?<=[a-z])(?=[A-Z0-9])", " ", attribute)).strip()
        return spaced.lower() or "nothing"
    row, number = found
    if number in ("", "1"):
        return f"{row.words} 1" if number and row.name.startswith("Blade") else row.words
    first, comma, rest = row.words.partition(",")
    return f"{first} {number}{comma}{rest}"


def feature_of(attribute: str) -> str:
    """The feature an attribute belongs to, for a definition that does not say."""
    found = known(attribute)
    return found[0].feature if found else "Control.Control"


def unit_of(attribute: str) -> str:
    """The physical unit of an attribute."""
    found = known(attribute)
    return found[0].unit if found else "None"


def activation_of(attribute: str) -> str:
    """The activation group of an attribute: those that are taken together."""
    found = known(attribute)
    return found[0].activation if found else ""


def numbered(name: str, number: int = 1) -> str:
    """`Gobo(n)` with its number."""
    return name.replace("(n)", str(number)).replace("(m)", "1")
