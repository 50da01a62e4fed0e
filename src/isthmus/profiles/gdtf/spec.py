"""Which element of GDTF holds what, as a table that the reader, the writer and the checker share.

An `Attr` pairs an attribute with a field of a record; a `Kid` pairs child elements with a field. `kept` lists
what the standard (versions 1.0 to 1.2) knows and we carry along unread.
"""

from __future__ import annotations

from dataclasses import dataclass, field
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
    order: tuple[str, ...] = field(default=())

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


def names(text: str) -> frozenset[str]:
    return frozenset(text.split())


SUB_UNIT = Spec(
    "SubPhysicalUnit",
    r.SubUnit,
    (
        Attr("kind", "Type", need=True),
        Attr("unit", "PhysicalUnit"),
        Attr("low", "PhysicalFrom", NUMBER),
        Attr("high", "PhysicalTo", NUMBER),
    ),
)
ATTRIBUTE = Spec(
    "Attribute",
    r.Attribute,
    (
        Attr("name", "Name", need=True),
        Attr("pretty", "Pretty", need=True),
        Attr("activation", "ActivationGroup"),
        Attr("feature", "Feature", need=True),
        Attr("main", "MainAttribute"),
        Attr("unit", "PhysicalUnit"),
        Attr("color", "Color", XYY),
    ),
    (Kid("sub_units", SUB_UNIT),),
)
FEATURE = Spec("Feature", r.Feature, (Attr("name", "Name", need=True),))
FEATURE_GROUP = Spec(
    "FeatureGroup", r.FeatureGroup, (Attr("name", "Name", need=True), Attr("pretty", "Pretty")), (Kid("features", FEATURE),)
)
ACTIVATION = Spec("ActivationGroup", r.ActivationGroup, (Attr("name", "Name", need=True),))

FACET = Spec("Facet", r.Facet, (Attr("color", "Color", XYY), Attr("rotation", "Rotation")))
SLOT = Spec(
    "Slot",
    r.WheelSlot,
    (Attr("name", "Name", need=True), Attr("color", "Color", XYY), Attr("filter", "Filter"), Attr("media", "MediaFileName")),
    (Kid("facets", FACET),),
    kept_kids=names("AnimationSystem"),
)
WHEEL = Spec("Wheel", r.Wheel, (Attr("name", "Name", need=True),), (Kid("slots", SLOT),))

POINT = Spec(
    "MeasurementPoint", r.SpectrumPoint, (Attr("wavelength", "WaveLength", NUMBER, need=True), Attr("energy", "Energy", NUMBER, need=True))
)
MEASUREMENT = Spec(
    "Measurement",
    r.Measurement,
    (
        Attr("physical", "Physical", NUMBER, need=True),
        Attr("intensity", "LuminousIntensity", NUMBER),
        Attr("transmission", "Transmission", NUMBER),
        Attr("interpolation", "InterpolationTo"),
    ),
    (Kid("points", POINT),),
)
EMITTER = Spec(
    "Emitter",
    r.Emitter,
    (
        Attr("name", "Name", need=True),
        Attr("color", "Color", XYY, need=True),
        Attr("wavelength", "DominantWaveLength", NUMBER),
        Attr("diode", "DiodePart"),
    ),
    (Kid("measurements", MEASUREMENT),),
)
FILTER = Spec(
    "Filter", r.Filter, (Attr("name", "Name", need=True), Attr("color", "Color", XYY, need=True)), (Kid("measurements", MEASUREMENT),)
)
COLOR_SPACE = Spec(
    "ColorSpace",
    r.ColorSpace,
    (
        Attr("name", "Name"),
        Attr("mode", "Mode", need=True),
        Attr("red", "Red", XYY),
        Attr("green", "Green", XYY),
        Attr("blue", "Blue", XYY),
        Attr("white", "WhitePoint", XYY),
    ),
)
CONNECTOR = Spec(
    "Connector",
    r.Connector,
    (
        Attr("name", "Name", need=True),
        Attr("kind", "Type", need=True),
        Attr("block", "DMXBreak", WHOLE),
        Attr("gender", "Gender", NUMBER),
        Attr("length", "Length", NUMBER),
    ),
)
MODEL = Spec(
    "Model",
    r.Model,
    (
        Attr("name", "Name", need=True),
        Attr("length", "Length", NUMBER, need=True),
        Attr("width", "Width", NUMBER, need=True),
        Attr("height", "Height", NUMBER, need=True),
        Attr("primitive", "PrimitiveType"),
        Attr("file", "File"),
    ),
    kept=names("SVGOffsetX SVGOffsetY SVGSideOffsetX SVGSideOffsetY SVGFrontOffsetX SVGFrontOffsetY"),
)

BEAM = Spec(
    "Beam",
    r.Beam,
    (
        Attr("lamp", "LampType"),
        Attr("power", "PowerConsumption", NUMBER),
        Attr("flux", "LuminousFlux", NUMBER),
        Attr("color_temperature", "ColorTemperature", NUMBER),
        Attr("beam_angle", "BeamAngle", NUMBER),
        Attr("field_angle", "FieldAngle", NUMBER),
        Attr("throw_ratio", "ThrowRatio", NUMBER),
        Attr("rectangle_ratio", "RectangleRatio", NUMBER),
        Attr("radius", "BeamRadius", NUMBER),
        Attr("kind", "BeamType"),
        Attr("color_rendering", "ColorRenderingIndex", NUMBER),
        Attr("emitter", "EmitterSpectrum"),
    ),
)
BREAK = Spec("Break", r.Break, (Attr("block", "DMXBreak", WHOLE, need=True), Attr("offset", "DMXOffset", DMX, need=True)))
GEOMETRY_ATTRS = (Attr("name", "Name", need=True), Attr("model", "Model"), Attr("matrix", "Position", MATRIX, need=True))
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
GEOMETRY_OTHER = names("Break PinPatch Protocol")  # children that are no geometry

CHANNEL_SET = Spec(
    "ChannelSet",
    r.ChannelSet,
    (
        Attr("name", "Name", need=True),
        Attr("dmx_from", "DMXFrom", DMX, need=True),
        Attr("physical_from", "PhysicalFrom", NUMBER),
        Attr("physical_to", "PhysicalTo", NUMBER),
        Attr("wheel_slot", "WheelSlotIndex", WHOLE),
    ),
)
SUB_SET = Spec(
    "SubChannelSet",
    r.SubChannelSet,
    (
        Attr("name", "Name", need=True),
        Attr("physical_from", "PhysicalFrom", NUMBER, need=True),
        Attr("physical_to", "PhysicalTo", NUMBER, need=True),
        Attr("sub_unit", "SubPhysicalUnit"),
        Attr("dmx_profile", "DMXProfile"),
    ),
)
FUNCTION = Spec(
    "ChannelFunction",
    r.ChannelFunction,
    (
        Attr("name", "Name", need=True),
        Attr("attribute", "Attribute", need=True),
        Attr("original", "OriginalAttribute"),
        Attr("dmx_from", "DMXFrom", DMX, need=True),
        Attr("default", "Default", DMX, need=True),
        Attr("physical_from", "PhysicalFrom", NUMBER, need=True),
        Attr("physical_to", "PhysicalTo", NUMBER, need=True),
        Attr("real_fade", "RealFade", NUMBER),
        Attr("real_acceleration", "RealAcceleration", NUMBER),
        Attr("wheel", "Wheel"),
        Attr("emitter", "Emitter"),
        Attr("filter", "Filter"),
        Attr("color_space", "ColorSpace"),
        Attr("gamut", "Gamut"),
        Attr("mode_master", "ModeMaster"),
        Attr("mode_from", "ModeFrom"),
        Attr("mode_to", "ModeTo"),
        Attr("dmx_profile", "DMXProfile"),
        Attr("low", "Min", NUMBER),
        Attr("high", "Max", NUMBER),
        Attr("custom_name", "CustomName"),
    ),
    (Kid("sets", CHANNEL_SET), Kid("sub_sets", SUB_SET)),
)
LOGICAL = Spec(
    "LogicalChannel",
    r.LogicalChannel,
    (
        Attr("attribute", "Attribute", need=True),
        Attr("snap", "Snap"),
        Attr("master", "Master"),
        Attr("fade", "MibFade", NUMBER),
        Attr("change_limit", "DMXChangeTimeLimit", NUMBER),
    ),
    (Kid("functions", FUNCTION),),
)
CHANNEL = Spec(
    "DMXChannel",
    r.DmxChannel,
    (
        Attr("highlight", "Highlight", DMX),
        Attr("default", "Default", DMX),
        Attr("initial", "InitialFunction"),
        Attr("geometry", "Geometry", need=True),
    ),
    (Kid("logical", LOGICAL),),
    kept=names("DMXBreak Offset"),
)
RELATION = Spec(
    "Relation",
    r.Relation,
    (
        Attr("name", "Name", need=True),
        Attr("master", "Master", need=True),
        Attr("follower", "Follower", need=True),
        Attr("kind", "Type", need=True),
    ),
)
MODE = Spec(
    "DMXMode",
    r.Mode,
    (Attr("name", "Name", need=True), Attr("description", "Description"), Attr("geometry", "Geometry", need=True)),
    (Kid("channels", CHANNEL, "DMXChannels"), Kid("relations", RELATION, "Relations")),
    kept_kids=names("FTMacros"),
)
REVISION = Spec(
    "Revision", r.Revision, (Attr("text", "Text"), Attr("date", "Date"), Attr("user", "UserID", WHOLE), Attr("by", "ModifiedBy"))
)
PERSONALITY = Spec("DMXPersonality", r.Personality, (Attr("value", "Value", need=True), Attr("mode", "DMXMode", need=True)))
SOFTWARE = Spec("SoftwareVersionID", r.Software, (Attr("value", "Value", need=True),), (Kid("personalities", PERSONALITY),))
RDM = Spec(
    "FTRDM", r.Rdm, (Attr("maker", "ManufacturerID", need=True), Attr("model", "DeviceModelID", need=True)), (Kid("software", SOFTWARE),)
)

PROFILE = Spec(
    "FixtureType",
    r.Profile,
    (
        Attr("name", "Name", need=True),
        Attr("short_name", "ShortName", need=True),
        Attr("long_name", "LongName", need=True),
        Attr("maker", "Manufacturer", need=True),
        Attr("description", "Description", need=True),
        Attr("id", "FixtureTypeID", need=True),
        Attr("thumbnail", "Thumbnail"),
        Attr("refers_to", "RefFT"),
        Attr("can_have_children", "CanHaveChildren"),
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
PRIMITIVES = names("Undefined Cube Cylinder Sphere Base Yoke Head Scanner Conventional Pigtail Base1_1 Scanner1_1 Conventional1_1")
