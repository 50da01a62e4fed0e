"""Nothing of a GDTF file is lost when it is written again; `./run bench loss`.

A description with every element kind of DIN SPEC 15800, typed by hand, gets an attribute and a
child of its own in every element. It is read, changed as an adapted copy is, and written; a plain
XML parser then looks for each of them.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from xml.etree import ElementTree as ET

from msgspec.structs import replace

from isthmus.profiles.gdtf import read_archive, read_members, write_gdtf

WHOLE = """<GDTF DataVersion="1.2"><FixtureType Name="Groyne 9" ShortName="G9" LongName="Groyne 9 Wash" Manufacturer="Brackwater"
 Description="d" FixtureTypeID="2BAF9FB5-4CC0-5246-97EF-C99CABA787F1" Thumbnail="t" ThumbnailOffsetX="1" RefFT="" CanHaveChildren="Yes">
<AttributeDefinitions><ActivationGroups><ActivationGroup Name="PanTilt"/></ActivationGroups>
<FeatureGroups><FeatureGroup Name="Position" Pretty="Position"><Feature Name="PanTilt"/></FeatureGroup>
<FeatureGroup Name="Dimmer" Pretty="Dimmer"><Feature Name="Dimmer"/></FeatureGroup></FeatureGroups>
<Attributes><Attribute Name="Dimmer" Pretty="Dim" Feature="Dimmer.Dimmer"><SubPhysicalUnit Type="Amplitude" PhysicalUnit="Percent"
 PhysicalFrom="0" PhysicalTo="1"/></Attribute><Attribute Name="Pan" Pretty="P" ActivationGroup="PanTilt" Feature="Position.PanTilt"
 PhysicalUnit="Angle"/><Attribute Name="Gobo1" Pretty="G1" Feature="Dimmer.Dimmer"/></Attributes></AttributeDefinitions>
<Wheels><Wheel Name="Gobos"><Slot Name="Open" Color="0.3127,0.3290,100"/><Slot Name="Prism" Color="0.3127,0.3290,100">
<Facet Color="0.3127,0.3290,100" Rotation="{1,0,0}{0,1,0}{0,0,1}"/></Slot><Slot Name="Moving"><AnimationSystem P1="0,0" P2="1,1"
 P3="2,2" Radius="0.5"/></Slot></Wheel></Wheels>
<PhysicalDescriptions><Emitters><Emitter Name="Red" Color="0.7,0.3,30" DominantWaveLength="630" DiodePart="x"><Measurement Physical="100"
 LuminousIntensity="20" InterpolationTo="Linear"><MeasurementPoint WaveLength="630" Energy="1"/></Measurement></Emitter></Emitters>
<Filters><Filter Name="CTO" Color="0.4,0.4,80"><Measurement Physical="100" Transmission="0.8" InterpolationTo="Linear"><MeasurementPoint
 WaveLength="500" Energy="0.5"/></Measurement></Filter></Filters><ColorSpace Mode="sRGB" Name="Default"/><AdditionalColorSpaces>
<ColorSpace Mode="Custom" Name="More" Red="0.6,0.3,1" Green="0.3,0.6,1" Blue="0.1,0.1,1" WhitePoint="0.3,0.3,1"/></AdditionalColorSpaces>
<Gamuts><Gamut Name="Wide" Points="0.6,0.3,1"/></Gamuts><DMXProfiles><DMXProfile Name="Curve"><Point DMXPercentage="0" CFC0="0" CFC1="1"
 CFC2="0" CFC3="0"/></DMXProfile></DMXProfiles><CRIs><CRIGroup ColorTemperature="3200"><CRI CES="CES01" ColorTemperature="90"/></CRIGroup>
</CRIs><Connectors><Connector Name="In" Type="XLR5" DMXBreak="1" Gender="0" Length="0"/></Connectors><Properties><OperatingTemperature
 Low="0" High="40"/><Weight Value="12"/><LegHeight Value="0.1"/><PowerConsumption Value="300"/></Properties></PhysicalDescriptions>
<Models><Model Name="Base" Length="0.3" Width="0.3" Height="0.2" PrimitiveType="Base" File="" SVGOffsetX="0"/></Models>
<Geometries><Geometry Name="Body" Model="Base" Position="{1,0,0,0}{0,1,0,0}{0,0,1,0}{0,0,0,1}"><Axis Name="Yoke"><Beam Name="Lens"
 LampType="LED" PowerConsumption="300" LuminousFlux="9000" ColorTemperature="6500" BeamAngle="10" FieldAngle="14" BeamRadius="0.05"
 BeamType="Wash" ColorRenderingIndex="80"/></Axis><FilterBeam Name="FB"/><FilterColor Name="FC"/><FilterGobo Name="FG"/><FilterShaper
 Name="FS"/><MediaServerLayer Name="ML"/><MediaServerCamera Name="MC"/><MediaServerMaster Name="MM"/><Display Name="D" Texture="t"/>
<Laser Name="L" ColorType="RGB"><Protocol Name="p"/></Laser><WiringObject Name="W" ConnectorType="XLR5" PinCount="5"><PinPatch
 ToWiringObject="W2" FromPin="1" ToPin="1"/></WiringObject><Inventory Name="I" Count="2"/><Structure Name="S" StructureType="Detail"/>
<Support Name="Su" SupportType="Rope"/><Magnet Name="Ma"/><GeometryReference Name="R" Geometry="Cell" Model=""><Break DMXBreak="1"
 DMXOffset="1"/></GeometryReference></Geometry><Geometry Name="Cell"/></Geometries>
<DMXModes><DMXMode Name="Full" Description="all" Geometry="Body"><DMXChannels><DMXChannel DMXBreak="1" Offset="1,2" Highlight="65535/2"
 Geometry="Yoke" InitialFunction="Yoke_Pan.Pan.Pan 1"><LogicalChannel Attribute="Pan" Snap="No" Master="None" MibFade="0"
 DMXChangeTimeLimit="0"><ChannelFunction Name="Pan 1" Attribute="Pan" OriginalAttribute="" DMXFrom="0/2" Default="32768/2"
 PhysicalFrom="-270" PhysicalTo="270" RealFade="0" DMXProfile="Curve"><ChannelSet Name="Left" DMXFrom="0/2" PhysicalFrom="-270"
 PhysicalTo="0"/><ChannelSet Name="Right" DMXFrom="32768/2"/><SubChannelSet Name="Sub" PhysicalFrom="0" PhysicalTo="1"
 SubPhysicalUnit="Amplitude"/></ChannelFunction></LogicalChannel></DMXChannel><DMXChannel DMXBreak="Overwrite" Offset="1"
 Highlight="255/1" Geometry="Cell"><LogicalChannel Attribute="Dimmer"><ChannelFunction Name="Dimmer 1" Attribute="Dimmer" DMXFrom="0/1"
 Default="0/1" PhysicalFrom="0" PhysicalTo="1" Gamut="Wide"/></LogicalChannel></DMXChannel></DMXChannels><Relations><Relation Name="Rel"
 Master="Yoke_Pan" Follower="Cell_Dimmer.Dimmer.Dimmer 1" Type="Multiply"/></Relations><FTMacros><FTMacro Name="Reset"
 ChannelFunction="Yoke_Pan.Pan.Pan 1"><MacroDMX><MacroDMXStep Duration="1"><MacroDMXValue Value="255/1" DMXChannel="Yoke_Pan"/>
</MacroDMXStep></MacroDMX><MacroVisual><MacroVisualStep Duration="1"><MacroVisualValue Value="255/1"
 ChannelFunction="Yoke_Pan.Pan.Pan 1"/></MacroVisualStep></MacroVisual></FTMacro></FTMacros></DMXMode></DMXModes>
<Revisions><Revision Text="First" Date="2026-06-14T09:00:00" UserID="1" ModifiedBy="a"/></Revisions><FTPresets><FTPreset Name="P"/>
</FTPresets><Protocols><FTRDM ManufacturerID="0x7FF0" DeviceModelID="0x0001"><SoftwareVersionID Value="0x01"><DMXPersonality Value="0x01"
 DMXMode="Full"/></SoftwareVersionID></FTRDM><Art-Net><Map Key="1" Value="1"/></Art-Net><sACN><Map Key="1" Value="1"/></sACN>
<PosiStageNet/><OpenSoundControl/><CITP/></Protocols></FixtureType></GDTF>"""


def packed(description: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("description.xml", description)
        archive.writestr("notes/anything.txt", "kept")
    return out.getvalue()


def marked() -> tuple[bytes, list[tuple[str, str]]]:
    """The description with something unknown in every element, and (kind, mark) of all of it."""
    root = ET.fromstring(WHOLE)
    marks: list[tuple[str, str]] = []
    for number, element in enumerate(list(root.iter())):
        if element.tag in ("GDTF", "FixtureType") and number > 1:
            continue
        element.set(f"Xa{number}", f"mark-a{number}")
        ET.SubElement(
            element, f"Unknown{number}", {"Note": f"mark-c{number}"}
        ).text = f"mark-t{number}"
        marks += [(element.tag, f"mark-{kind}{number}") for kind in "act"]
    return ET.tostring(root), marks


def lost(adapt: bool) -> list[tuple[str, str]]:
    """What of the marks is not there any more after reading and writing; with `adapt`, as an
    adapted copy.
    """
    text, marks = marked()
    data = packed(text)
    read = read_archive(data, "whole")
    profile = (
        replace(read.profile, name="Groyne 9 own", description="another") if adapt else read.profile
    )
    again = write_gdtf(profile, read_members(data, "whole"))
    with zipfile.ZipFile(io.BytesIO(again)) as archive:
        root = ET.fromstring(archive.read("description.xml"))
        assert archive.read("notes/anything.txt") == b"kept"
    there = {
        value
        for element in root.iter()
        for value in (*element.attrib.values(), (element.text or "").strip())
    }
    return [(kind, mark) for kind, mark in marks if mark not in there]


def run() -> Iterator[tuple[str, float, float, str, str]]:
    kinds = len({kind for kind, _ in marked()[1]})
    for adapt in (False, True):
        gone = lost(adapt)
        for kind in sorted({kind for kind, _ in gone}):
            print(f"  lost in {kind}: {[mark for k, mark in gone if k == kind][:6]}")
        how = "adapted" if adapt else "written again"
        yield f"{kinds} element kinds {how}: lost / put in", len(gone), len(marked()[1]), "", "0"
