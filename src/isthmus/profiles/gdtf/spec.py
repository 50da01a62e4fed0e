"""Which element of GDTF holds what, as a table that the reader, the writer and the checker share.

An `Attr` pairs an attribute with a field of a record; a `Kid` pairs child elements with a field. `kept` lists
what the standard (versions 1.0 to 1.2) knows and we carry along unread.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from isthmus.profiles import records as r
from isthmus.profiles.gdtf.values import DMX, MATRIX, NUMBER, TEXT, WHOLE, XYY, Codec


@dataclass(frozen=True, eq=False)
class Attr:
    field: str
    xml: str
    codec: Codec = TEXT
    need: bool = False  # the standard asks for it: told when missing, always written


@dataclass(frozen=True, eq=False)
class Kid:
    field: str
    spec: Spec
    inside: str = ""  # the collecting element, as “Features” around Feature
    one: bool = False


@dataclass(frozen=True, eq=False)
class Spec:
    tag: str
    record: type[r.Part]
    attrs: tuple[Attr, ...] = ()
    kids: tuple[Kid, ...] = ()
    kept: frozenset[str] = frozenset()
    kept_kids: frozenset[str] = frozenset()

    @cached_property
    def by_xml(self) -> dict[str, Attr]:
        return {attr.xml: attr for attr in self.attrs}

    @cached_property
    def needed(self) -> frozenset[str]:
        return frozenset(attr.field for attr in self.attrs if attr.need)

    @cached_property
    def by_lower(self) -> dict[str, str]:
        """Right spelling by lower case, for files that write it otherwise."""
        return {name.lower(): name for name in (*self.by_xml, *self.kept)}


_CODECS = {"": TEXT, "#": NUMBER, "i": WHOLE, "c": XYY, "m": MATRIX, "d": DMX}


def attrs(text: str) -> tuple[Attr, ...]:
    """`field=Attribute:kind!` for each: # a number, i a whole one, c a colour, m a matrix, d a DMX value; ! must be there."""
    made = []
    for item in text.split():
        field_name, _, rest = item.rstrip("!").partition("=")
        xml, _, kind = rest.partition(":")
        made.append(Attr(field_name, xml, _CODECS[kind], item.endswith("!")))
    return tuple(made)


def names(text: str) -> frozenset[str]:
    return frozenset(text.split())


SUB_UNIT = Spec(
    "SubPhysicalUnit",
    r.SubUnit,
    attrs("kind=Type! unit=PhysicalUnit low=PhysicalFrom:# high=PhysicalTo:#"),
)
ATTRIBUTE = Spec(
    "Attribute",
    r.Attribute,
    attrs(
        "name=Name! pretty=Pretty! activation=ActivationGroup feature=Feature! main=MainAttribute unit=PhysicalUnit color=Color:c"
    ),
    (Kid("sub_units", SUB_UNIT),),
)
FEATURE = Spec("Feature", r.Feature, attrs("name=Name!"))
FEATURE_GROUP = Spec(
    "FeatureGroup", r.FeatureGroup, attrs("name=Name! pretty=Pretty"), (Kid("features", FEATURE),)
)
ACTIVATION = Spec("ActivationGroup", r.ActivationGroup, attrs("name=Name!"))

FACET = Spec("Facet", r.Facet, attrs("color=Color:c rotation=Rotation"))
SLOT = Spec(
    "Slot",
    r.WheelSlot,
    attrs("name=Name! color=Color:c filter=Filter media=MediaFileName"),
    (Kid("facets", FACET),),
    kept_kids=names("AnimationSystem"),
)
WHEEL = Spec("Wheel", r.Wheel, attrs("name=Name!"), (Kid("slots", SLOT),))

POINT = Spec(
    "MeasurementPoint", r.SpectrumPoint, attrs("wavelength=WaveLength:#! energy=Energy:#!")
)
MEASUREMENT = Spec(
    "Measurement",
    r.Measurement,
    attrs(
        "physical=Physical:#! intensity=LuminousIntensity:# transmission=Transmission:# interpolation=InterpolationTo"
    ),
    (Kid("points", POINT),),
)
EMITTER = Spec(
    "Emitter",
    r.Emitter,
    attrs("name=Name! color=Color:c! wavelength=DominantWaveLength:# diode=DiodePart"),
    (Kid("measurements", MEASUREMENT),),
)
FILTER = Spec(
    "Filter", r.Filter, attrs("name=Name! color=Color:c!"), (Kid("measurements", MEASUREMENT),)
)
COLOR_SPACE = Spec(
    "ColorSpace",
    r.ColorSpace,
    attrs("name=Name mode=Mode! red=Red:c green=Green:c blue=Blue:c white=WhitePoint:c"),
)
CONNECTOR = Spec(
    "Connector",
    r.Connector,
    attrs("name=Name! kind=Type! block=DMXBreak:i gender=Gender:# length=Length:#"),
)
MODEL = Spec(
    "Model",
    r.Model,
    attrs(
        "name=Name! length=Length:#! width=Width:#! height=Height:#! primitive=PrimitiveType file=File"
    ),
    kept=names(
        "SVGOffsetX SVGOffsetY SVGSideOffsetX SVGSideOffsetY SVGFrontOffsetX SVGFrontOffsetY"
    ),
)

BEAM = Spec(
    "Beam",
    r.Beam,
    attrs(
        "lamp=LampType power=PowerConsumption:# flux=LuminousFlux:# color_temperature=ColorTemperature:# beam_angle=BeamAngle:# "
        "field_angle=FieldAngle:# throw_ratio=ThrowRatio:# rectangle_ratio=RectangleRatio:# radius=BeamRadius:# kind=BeamType "
        "color_rendering=ColorRenderingIndex:# emitter=EmitterSpectrum"
    ),
)
BREAK = Spec("Break", r.Break, attrs("block=DMXBreak:i! offset=DMXOffset:d!"))
GEOMETRY_ATTRS = attrs("name=Name! model=Model matrix=Position:m!")
# every kind of geometry, with the attributes of its own that we carry along
GEOMETRY_KEPT = {
    "Geometry": "",
    "Axis": "",
    "Beam": "",
    "FilterBeam": "",
    "FilterColor": "",
    "FilterGobo": "",
    "FilterShaper": "",
    "MediaServerLayer": "",
    "MediaServerCamera": "",
    "MediaServerMaster": "",
    "GeometryReference": "Geometry",
    "Display": "Texture",
    "Laser": "ColorType Color OutputStrength Emitter BeamDiameter BeamDivergenceMin BeamDivergenceMax ScanAnglePan ScanAngleTilt ScanSpeed",
    "WiringObject": "ConnectorType PinCount ElectricalPayLoad VoltageRangeMin VoltageRangeMax FrequencyRangeMin "
    "FrequencyRangeMax MaxPayLoad "
    "Voltage SignalLayer SignalType CosPhi FuseCurrent FuseRating Orientation WireGroup",
    "Inventory": "Count",
    "Structure": "LinkedGeometry StructureType CrossSectionType CrossSectionHeight CrossSectionWallThickness TrussCrossSection",
    "Support": "SupportType RopeCrossSection RopeOffset CapacityX CapacityY CapacityZ CapacityXX CapacityYY CapacityZZ ResistanceX "
    "ResistanceY ResistanceZ ResistanceXX ResistanceYY ResistanceZZ",
    "Magnet": "",
}
GEOMETRY_OTHER = names("Break PinPatch Protocol")  # children that are not geometry

CHANNEL_SET = Spec(
    "ChannelSet",
    r.ChannelSet,
    attrs(
        "name=Name! dmx_from=DMXFrom:d! physical_from=PhysicalFrom:# physical_to=PhysicalTo:# wheel_slot=WheelSlotIndex:i"
    ),
)
SUB_SET = Spec(
    "SubChannelSet",
    r.SubChannelSet,
    attrs(
        "name=Name! physical_from=PhysicalFrom:#! physical_to=PhysicalTo:#! sub_unit=SubPhysicalUnit dmx_profile=DMXProfile"
    ),
)
FUNCTION = Spec(
    "ChannelFunction",
    r.ChannelFunction,
    attrs(
        "name=Name! attribute=Attribute! original=OriginalAttribute dmx_from=DMXFrom:d! default=Default:d! "
        "physical_from=PhysicalFrom:#! physical_to=PhysicalTo:#! real_fade=RealFade:# real_acceleration=RealAcceleration:# "
        "wheel=Wheel emitter=Emitter filter=Filter color_space=ColorSpace gamut=Gamut mode_master=ModeMaster mode_from=ModeFrom "
        "mode_to=ModeTo dmx_profile=DMXProfile low=Min:# high=Max:# custom_name=CustomName"
    ),
    (Kid("sets", CHANNEL_SET), Kid("sub_sets", SUB_SET)),
)
LOGICAL = Spec(
    "LogicalChannel",
    r.LogicalChannel,
    attrs(
        "attribute=Attribute! snap=Snap master=Master fade=MibFade:# change_limit=DMXChangeTimeLimit:#"
    ),
    (Kid("functions", FUNCTION),),
)
CHANNEL = Spec(
    "DMXChannel",
    r.DmxChannel,
    attrs("highlight=Highlight:d default=Default:d initial=InitialFunction geometry=Geometry!"),
    (Kid("logical", LOGICAL),),
    kept=names("DMXBreak Offset"),
)
RELATION = Spec(
    "Relation", r.Relation, attrs("name=Name! master=Master! follower=Follower! kind=Type!")
)
MODE = Spec(
    "DMXMode",
    r.Mode,
    attrs("name=Name! description=Description geometry=Geometry!"),
    (Kid("channels", CHANNEL, "DMXChannels"), Kid("relations", RELATION, "Relations")),
    kept_kids=names("FTMacros"),
)
REVISION = Spec("Revision", r.Revision, attrs("text=Text date=Date user=UserID:i by=ModifiedBy"))
PERSONALITY = Spec("DMXPersonality", r.Personality, attrs("value=Value! mode=DMXMode!"))
SOFTWARE = Spec(
    "SoftwareVersionID", r.Software, attrs("value=Value!"), (Kid("personalities", PERSONALITY),)
)
RDM = Spec(
    "FTRDM",
    r.Rdm,
    attrs("maker=ManufacturerID! model=DeviceModelID!"),
    (Kid("software", SOFTWARE),),
)

PROFILE = Spec(
    "FixtureType",
    r.Profile,
    attrs(
        "name=Name! short_name=ShortName! long_name=LongName! maker=Manufacturer! description=Description! id=FixtureTypeID! "
        "thumbnail=Thumbnail refers_to=RefFT can_have_children=CanHaveChildren"
    ),
    (
        Kid("activations", ACTIVATION, "AttributeDefinitions/ActivationGroups"),
        Kid("features", FEATURE_GROUP, "AttributeDefinitions/FeatureGroups"),
        Kid("attributes", ATTRIBUTE, "AttributeDefinitions/Attributes"),
        Kid("wheels", WHEEL, "Wheels"),
        Kid("emitters", EMITTER, "PhysicalDescriptions/Emitters"),
        Kid("filters", FILTER, "PhysicalDescriptions/Filters"),
        Kid("color_space", COLOR_SPACE, "PhysicalDescriptions", one=True),
        Kid("connectors", CONNECTOR, "PhysicalDescriptions/Connectors"),
        Kid("models", MODEL, "Models"),
        Kid("revisions", REVISION, "Revisions"),
        Kid("rdm", RDM, "Protocols", one=True),
    ),
    kept=names("ThumbnailOffsetX ThumbnailOffsetY"),
    kept_kids=names("FTPresets Geometries DMXModes"),
)
PROFILE_ORDER = (
    "AttributeDefinitions",
    "Wheels",
    "PhysicalDescriptions",
    "Models",
    "Geometries",
    "DMXModes",
    "Revisions",
    "FTPresets",
    "Protocols",
)
PHYSICAL_KEPT = names("AdditionalColorSpaces Gamuts DMXProfiles CRIs")
PROTOCOLS_KEPT = names("Art-Net sACN PosiStageNet OpenSoundControl CITP")
PROPERTIES = {
    "OperatingTemperature": (("temperature_low", "Low"), ("temperature_high", "High")),
    "Weight": (("weight", "Value"),),
    "LegHeight": (("leg_height", "Value"),),
}
PRIMITIVES = names(
    "Undefined Cube Cylinder Sphere Base Yoke Head Scanner Conventional Pigtail Base1_1 Scanner1_1 Conventional1_1"
)
