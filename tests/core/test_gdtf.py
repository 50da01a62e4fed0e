"""GDTF read tolerantly, written strictly, and every deviation told with its place."""

from __future__ import annotations

import io
import json
import random
import struct
import zipfile
from collections.abc import Iterator
from xml.etree import ElementTree as ET

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.demo import shipped_profiles
from isthmus.errors import FileFault
from isthmus.library.facts import facts_of
from isthmus.library.quick import Odd, facts_of_bytes, quick_facts
from isthmus.library.sources import shipped_folders
from isthmus.profiles.channel_table import channel_table
from isthmus.profiles.gdtf import (
    read_archive,
    read_description,
    read_gdtf,
    read_members,
    write_description,
    write_gdtf,
)
from isthmus.profiles.gdtf.rules import check_gdtf
from isthmus.profiles.make.generic import usual_profiles
from isthmus.profiles.make.plausible import plausible_profiles

SHIPPED = [path for folder in shipped_folders() for path in sorted(folder.glob("*.gdtf"))]

# The standard's elements and attributes a strict reader would take, copied by hand from its tables and not from our own
# (DIN SPEC 15800, sections on the description's nodes): tag -> (required, optional, children).
STRICT: dict[str, tuple[str, str, str]] = {
    "GDTF": ("DataVersion", "", "FixtureType"),
    "FixtureType": ("Name ShortName LongName Manufacturer Description FixtureTypeID", "Thumbnail RefFT CanHaveChildren ThumbnailOffsetX ThumbnailOffsetY", "AttributeDefinitions Wheels PhysicalDescriptions Models Geometries DMXModes Revisions FTPresets Protocols"),
    "AttributeDefinitions": ("", "", "ActivationGroups FeatureGroups Attributes"),
    "ActivationGroups": ("", "", "ActivationGroup"), "ActivationGroup": ("Name", "", ""),
    "FeatureGroups": ("", "", "FeatureGroup"), "FeatureGroup": ("Name", "Pretty", "Feature"), "Feature": ("Name", "", ""),
    "Attributes": ("", "", "Attribute"), "Attribute": ("Name Pretty Feature", "ActivationGroup MainAttribute PhysicalUnit Color", "SubPhysicalUnit"),
    "Wheels": ("", "", "Wheel"), "Wheel": ("Name", "", "Slot"), "Slot": ("Name", "Color Filter MediaFileName", "Facet AnimationSystem"),
    "PhysicalDescriptions": ("", "", "Emitters Filters ColorSpace AdditionalColorSpaces Gamuts DMXProfiles CRIs Connectors Properties"),
    "Emitters": ("", "", "Emitter"), "Emitter": ("Name Color", "DominantWaveLength DiodePart", "Measurement"),
    "Models": ("", "", "Model"), "Model": ("Name Length Width Height", "PrimitiveType File", ""),
    "Geometries": ("", "", "Geometry Axis Beam GeometryReference"),
    "Geometry": ("Name Position", "Model", "Geometry Axis Beam GeometryReference"), "Axis": ("Name Position", "Model", "Geometry Axis Beam GeometryReference"),
    "Beam": ("Name Position", "Model LampType PowerConsumption LuminousFlux ColorTemperature BeamAngle FieldAngle ThrowRatio RectangleRatio BeamRadius BeamType ColorRenderingIndex EmitterSpectrum", "Geometry"),
    "GeometryReference": ("Name Position Geometry", "Model", "Break"), "Break": ("DMXOffset DMXBreak", "", ""),
    "DMXModes": ("", "", "DMXMode"), "DMXMode": ("Name Geometry", "Description", "DMXChannels Relations FTMacros"),
    "DMXChannels": ("", "", "DMXChannel"), "DMXChannel": ("DMXBreak Offset Highlight Geometry", "InitialFunction", "LogicalChannel"),
    "LogicalChannel": ("Attribute", "Snap Master MibFade DMXChangeTimeLimit", "ChannelFunction"),
    "ChannelFunction": ("Name Attribute DMXFrom Default PhysicalFrom PhysicalTo", "OriginalAttribute RealFade RealAcceleration Wheel Emitter Filter ColorSpace Gamut ModeMaster ModeFrom ModeTo DMXProfile Min Max CustomName", "ChannelSet SubChannelSet"),
    "ChannelSet": ("Name DMXFrom", "PhysicalFrom PhysicalTo WheelSlotIndex", ""),
    "Relations": ("", "", "Relation"), "FTMacros": ("", "", "FTMacro"),
    "Revisions": ("", "", "Revision"), "Revision": ("Text", "Date UserID ModifiedBy", ""),
}  # fmt: skip


def complaints(element: ET.Element) -> Iterator[str]:
    """What a strict reader would refuse."""
    if element.tag not in STRICT:
        yield f"unknown element {element.tag}"
        return
    required, optional, children = (text.split() for text in STRICT[element.tag])
    yield from (f"{element.tag} lacks {name}" for name in required if name not in element.attrib)
    yield from (
        f"{element.tag} has {name}" for name in element.attrib if name not in required + optional
    )
    for child in element:
        if child.tag not in children:
            yield f"{child.tag} inside {element.tag}"
        yield from complaints(child)


def others(members: dict[str, bytes]) -> dict[str, bytes]:
    """Members beside the description."""
    return {name: data for name, data in members.items() if name != "description.xml"}


@pytest.mark.parametrize("path", SHIPPED, ids=lambda path: path.stem)
def test_every_shipped_profile_keeps_to_the_standard_and_survives_being_written_again(path) -> None:
    data = path.read_bytes()
    read = read_archive(data, path.name)
    # the layers of a media server share a geometry, so their channels share names: told, and left as it is
    assert [n for n in check_gdtf(read) if "channels are called" not in n.text] == []
    members = read_members(data, path.name)
    again = write_gdtf(read.profile, members)
    assert read_archive(again, "again").profile == read.profile and others(
        read_members(again, "again")
    ) == others(members)
    assert list(complaints(ET.fromstring(write_description(read.profile)))) == []
    assert quick_facts(data, path.name) == facts_of(
        read
    )  # what builds the index sees what the whole reader sees


def test_the_shipped_library_is_as_large_and_varied_as_promised_and_its_meshes_are_whole() -> None:
    profiles = [read_gdtf(path.read_bytes(), path.name) for path in SHIPPED]
    assert len(profiles) >= 60 and len({p.maker for p in profiles}) >= 8
    assert {"Pan", "Blade1A", "Haze1", "MediaContent1", "StrobeDuration", "ColorSub_C", "CTC"} <= {
        a.name for p in profiles for a in p.attributes
    }
    assert max(channel_table(p, m).cells for p in profiles for m in p.modes) >= 36
    assert (
        max(
            len({line.block for line in channel_table(p, m).lines})
            for p in profiles
            for m in p.modes
        )
        == 3
    )
    meshes = [
        data
        for path in SHIPPED
        for name, data in read_members(path.read_bytes(), path.name).items()
        if name.endswith(".glb")
    ]
    assert len(meshes) > 80
    for data in meshes:
        magic, version, size = struct.unpack("<4sII", data[:12])
        length, kind = struct.unpack("<I4s", data[12:20])
        head = json.loads(data[20 : 20 + length])
        assert (magic, version, size, kind) == (b"glTF", 2, len(data), b"JSON") and head[
            "accessors"
        ][0]["count"] > 30


@given(st.integers(0, 10_000))
@settings(max_examples=8)
def test_any_profile_we_make_is_strict_and_the_quick_reader_agrees(seed: int) -> None:
    profile = next(plausible_profiles(1, seed))
    data = write_gdtf(profile)
    read = read_archive(data, "x")
    assert (
        read.profile == profile
        and check_gdtf(read) == []
        and list(complaints(ET.fromstring(write_description(profile)))) == []
    )
    assert quick_facts(data, "x") == facts_of(read)


def test_generic_profiles_are_sound_too() -> None:
    for profile in usual_profiles():
        assert check_gdtf(read_archive(write_gdtf(profile), "x")) == []


ROOM = 'Name="T" ShortName="T" LongName="T" Manufacturer="Reed and Oar" Description="" FixtureTypeID="5A1D0C6E-6A77-4F0A-9D6C-27C3B1F0E001"'
RICH = f"""<GDTF DataVersion="1.1"><FixtureType {ROOM} Thumbnail="picture"><AttributeDefinitions><FeatureGroups><FeatureGroup Name="Dimmer"><Feature Name="Dimmer"/></FeatureGroup>
<FeatureGroup Name="Gobo"><Feature Name="Gobo"/></FeatureGroup></FeatureGroups><Attributes><Attribute Name="Dimmer" Pretty="Dim" Feature="Dimmer.Dimmer" PhysicalUnit="LuminousIntensity"/>
<Attribute Name="Gobo1" Pretty="G" Feature="Gobo.Gobo"><SubPhysicalUnit Type="PlacementOffset" PhysicalUnit="Angle" PhysicalFrom="-1" PhysicalTo="2.5"/></Attribute></Attributes></AttributeDefinitions>
<Wheels><Wheel Name="W"><Slot Name="Open"/><Slot Name="Net" MediaFileName="net" Filter="F"><Facet Color="0.3,0.3,50" Rotation="{{1,0,0}}"/></Slot><Slot Name="Anim"><AnimationSystem P1="0,0" P2="1,1" P3="0,1" Radius="0.5"/></Slot></Wheel></Wheels>
<PhysicalDescriptions><Emitters><Emitter Name="Red" Color="0.7,0.3,20" DominantWaveLength="628" DiodePart="X1"><Measurement Physical="100" LuminousIntensity="12" InterpolationTo="Step"><MeasurementPoint WaveLength="600" Energy="0.5"/></Measurement></Emitter></Emitters>
<Filters><Filter Name="F" Color="0.4,0.4,60"><Measurement Physical="50" Transmission="0.4"/></Filter></Filters><ColorSpace Mode="Custom" Red="0.7,0.3,20" WhitePoint="0.31,0.33,100"/>
<Gamuts><Gamut Name="Wide" Points="0.1,0.1,1"/></Gamuts><DMXProfiles><DMXProfile Name="Curve"><Point DMXPercentage="0" CFC0="1"/></DMXProfile></DMXProfiles><CRIs><CRIGroup ColorTemperature="5600"><CRI CES="CES01" ColorRenderingIndex="90"/></CRIGroup></CRIs>
<Connectors><Connector Name="In" Type="5-pin" DMXBreak="1" Gender="-1" Length="0"/></Connectors><Properties><OperatingTemperature Low="-10" High="40"/><Weight Value="21.5"/><LegHeight Value="0.02"/></Properties></PhysicalDescriptions>
<Models><Model Name="Body" Length="0.3" Width="0.3" Height="0.5" PrimitiveType="Undefined" File="body" SVGOffsetX="3"/></Models>
<Geometries><Geometry Name="Base" Model="Body"><Laser Name="L" ColorType="RGB" OutputStrength="2"><Protocol Name="ILDA"/></Laser><FilterGobo Name="FG"/><Display Name="D" Texture="t"/><WiringObject Name="P" ConnectorType="5-pin" PinCount="5"><PinPatch ToWiringObject="Q" FromPin="1" ToPin="1"/></WiringObject>
<Inventory Name="I" Count="4"/><Structure Name="S" StructureType="Detail"/><Support Name="Su" SupportType="Rope"/><Magnet Name="Mg"/><MediaServerLayer Name="ML"/></Geometry></Geometries>
<DMXModes><DMXMode Name="M" Geometry="Base" Description="all"><DMXChannels><DMXChannel DMXBreak="1" Offset="1,2" Highlight="65535/2" Geometry="Base" InitialFunction="Base_Dimmer.Dimmer.Dim">
<LogicalChannel Attribute="Dimmer" Snap="Off" Master="Grand" MibFade="0.5" DMXChangeTimeLimit="2"><ChannelFunction Name="Dim" Attribute="Dimmer" OriginalAttribute="I" DMXFrom="0/2" Default="32768/2" PhysicalFrom="0" PhysicalTo="1" RealFade="0.2" DMXProfile="Curve" Min="0.1" Max="0.9" CustomName="Channel.1"/></LogicalChannel></DMXChannel>
<DMXChannel DMXBreak="2" Offset="1" Highlight="None" Geometry="Base"><LogicalChannel Attribute="Gobo1"><ChannelFunction Name="Sel" Attribute="Gobo1" DMXFrom="0/1" Default="0/1" PhysicalFrom="0" PhysicalTo="1" Wheel="W" ModeMaster="Base_Dimmer" ModeFrom="0/2" ModeTo="999/2">
<ChannelSet Name="Open" DMXFrom="0/1" WheelSlotIndex="1"/><ChannelSet Name="Net" DMXFrom="100/1" PhysicalFrom="0.2" PhysicalTo="0.4" WheelSlotIndex="2"/><SubChannelSet Name="off" PhysicalFrom="0" PhysicalTo="3" SubPhysicalUnit="PlacementOffset"/></ChannelFunction></LogicalChannel></DMXChannel></DMXChannels>
<Relations><Relation Name="R" Master="Base_Dimmer" Follower="Base_Gobo1.Gobo1.Sel" Type="Multiply"/></Relations><FTMacros><FTMacro Name="Reset"><MacroDMX/></FTMacro></FTMacros></DMXMode></DMXModes>
<Revisions><Revision Text="first" Date="2026-01-01T00:00:00" UserID="7" ModifiedBy="t"/></Revisions><FTPresets><FTPreset Name="P"/></FTPresets>
<Protocols><FTRDM ManufacturerID="0x7FF0" DeviceModelID="0x0012"><SoftwareVersionID Value="0x1"><DMXPersonality Value="0x1" DMXMode="M"/></SoftwareVersionID></FTRDM><Art-Net><Map Key="1" Value="2"/></Art-Net></Protocols></FixtureType></GDTF>"""  # fmt: skip


def flat(element: ET.Element, path: str = "") -> Iterator[tuple[str, ...]]:
    """Everything an XML tree says, numbers as numbers, without what equals the standard's defaults left out or empty."""
    here = f"{path}/{element.tag}"
    for name, text in element.attrib.items():
        try:
            value = ",".join(f"{float(part):g}" for part in text.split(","))
        except ValueError:
            value = text
        yield (here, element.get("Name", ""), name, value)
    for child in element:
        yield from flat(child, here)


def test_nothing_a_rich_file_says_is_lost_on_the_way_through() -> None:
    before = ET.fromstring(RICH)
    profile = read_description(RICH.encode(), "rich.gdtf").profile
    after = ET.fromstring(write_description(profile))
    lost = (
        set(flat(before))
        - set(flat(after))
        - {("/GDTF", "", "DataVersion", "1.1"), ("/GDTF", "", "DataVersion", "1.2")}
    )
    usual = {
        ("Length", "0"),
        ("PrimitiveType", "Undefined"),
    }  # what the standard takes where nothing is said
    assert {item for item in lost if item[2:] not in usual} == set()
    assert (
        profile.rdm.software[0].personalities[0].mode == "M"
        and profile.physical.weight == 21.5
        and profile.modes[0].relations[0].kind == "Multiply"
    )
    assert {g.kind for g in profile.geometries[0].children} >= {
        "Laser",
        "Display",
        "WiringObject",
        "Structure",
        "Support",
        "Magnet",
        "MediaServerLayer",
    }
    assert read_description(write_description(profile), "again").profile == replace(
        profile, version="1.2"
    )


def described(
    channels: str = "",
    head: str = ROOM,
    geometry: str = '<Geometry Name="Base" Position="{1,0,0,0}{0,1,0,0}{0,0,1,0}{0,0,0,1}"/>',
    mode: str = 'Name="M" Geometry="Base"',
    more: str = "",
) -> str:
    return f'<GDTF DataVersion="1.2"><FixtureType {head}>{more}<Geometries>{geometry}</Geometries><DMXModes><DMXMode {mode}><DMXChannels>{channels}</DMXChannels></DMXMode></DMXModes></FixtureType></GDTF>'


def channel(
    function: str = 'Name="Dim" Attribute="Dimmer" DMXFrom="0/1" Default="0/1" PhysicalFrom="0" PhysicalTo="1"',
    own: str = 'DMXBreak="1" Offset="1" Highlight="None" Geometry="Base"',
    sets: str = "",
) -> str:
    return f'<DMXChannel {own}><LogicalChannel Attribute="Dimmer"><ChannelFunction {function}>{sets}</ChannelFunction></LogicalChannel></DMXChannel>'


TAKEN = {
    "namespace": (described(channel()).replace("<GDTF ", '<GDTF xmlns="urn:x" '), "namespace"),
    "wrong case of an element": (described(channel()).replace("DMXChannel>", "DmxChannel>").replace("<DMXChannel ", "<DmxChannel "), "is spelt “DMXChannel”"),
    "wrong case of an attribute": (described(channel().replace("Offset=", "Offset=").replace("Highlight", "highlight")), "is spelt “Highlight”"),
    "unknown attribute": (described(channel('Glow="1" Name="Dim" Attribute="Dimmer" DMXFrom="0/1" Default="0/1" PhysicalFrom="0" PhysicalTo="1"')), "“Glow” is not in the standard"),
    "unknown element": (described(channel(), more="<Poem>sea</Poem>"), "“Poem” is not in the standard"),
    "word for a number": (described(channel('Name="Dim" Attribute="Dimmer" DMXFrom="0/1" Default="0/1" PhysicalFrom="low" PhysicalTo="1"')), "“low” is not a number"),
    "endless number": (described(channel('Name="Dim" Attribute="Dimmer" DMXFrom="0/1" Default="0/1" PhysicalFrom="inf" PhysicalTo="1"')), "“inf” is not a number"),
    "no DMX value": (described(channel(own='DMXBreak="1" Offset="1" Highlight="much/1" Geometry="Base"')), "“much/1” is not a DMX value"),
    "odd matrix": (described(channel(), geometry='<Geometry Name="Base" Position="{1,2}{3}"/>'), "not a 4×4 matrix"),
    "no version": (described(channel()).replace(' DataVersion="1.2"', ""), "DataVersion"),
    "nameless mode": (described(channel(), mode='Geometry="Base"'), "has no name; it is read as “Mode 1”"),
    "lost geometry": (described(channel(), mode='Name="M" Geometry="Gone"'), "“Gone” does not exist; “Base” is taken"),
    "odd break": (described(channel(own='DMXBreak="two" Offset="1" Highlight="None" Geometry="Base"')), "neither a number nor Overwrite"),
}  # fmt: skip


@pytest.mark.parametrize("kind", TAKEN)
def test_what_real_files_get_wrong_is_read_and_told(kind: str) -> None:
    text, says = TAKEN[kind]
    read = read_description(text.encode(), "odd.gdtf")
    assert any(says in str(notice) for notice in read.notices), [str(n) for n in read.notices]
    lines = channel_table(read.profile, read.profile.modes[0]).lines
    assert [(line.attribute, line.slots) for line in lines] == [("Dimmer", (1,))]
    assert write_description(read.profile)


def test_two_modes_of_one_name_are_told_apart_and_version_one_keeps_its_channel_default() -> None:
    mode = '<DMXMode Name="M" Geometry="Base"><DMXChannels><DMXChannel DMXBreak="1" Offset="1" Default="77/1" Geometry="Base"><LogicalChannel Attribute="Dimmer"><ChannelFunction Name="D" Attribute="Dimmer" DMXFrom="0/1"/></LogicalChannel></DMXChannel></DMXChannels></DMXMode>'
    text = f'<GDTF DataVersion="1.0"><FixtureType {ROOM}><Geometries><Geometry Name="Base"/></Geometries><DMXModes>{mode}{mode}</DMXModes></FixtureType></GDTF>'
    profile = read_description(text.encode(), "x").profile
    assert [m.name for m in profile.modes] == ["M", "M (2)"] and channel_table(
        profile, profile.modes[1]
    ).lines[0].default == 77


WRONG = {
    "undefined attribute": (described(channel()), "its attribute “Dimmer” is not defined"),
    "shared slot": (described(channel() + channel()), "2 channels use slot 1"),
    "past a universe": (described(channel(own='DMXBreak="1" Offset="513" Highlight="None" Geometry="Base"')), "takes 513 slots"),
    "lost geometry of a channel": (described(channel(own='DMXBreak="1" Offset="1" Highlight="None" Geometry="Gone"')), "its geometry “Gone” does not exist"),
    "sets at one place": (described(channel(sets='<ChannelSet Name="a" DMXFrom="5/1"/><ChannelSet Name="b" DMXFrom="5/1"/>')), "2 of its sets begin at 5"),
    "lost wheel": (described(channel('Name="D" Attribute="Dimmer" DMXFrom="0/1" Default="0/1" PhysicalFrom="0" PhysicalTo="1" Wheel="None such"')), "its wheel “None such” is not defined"),
    "ring": (described(channel(), geometry='<Geometry Name="Base"><GeometryReference Name="c" Geometry="Cell"/></Geometry><Geometry Name="Cell"><GeometryReference Name="d" Geometry="Cell"/></Geometry>'), "refers to itself in a ring"),
    "no guid": (described(channel(), head=ROOM.replace("5A1D0C6E", "harbour")), "is not a GUID"),
}  # fmt: skip


@pytest.mark.parametrize("kind", WRONG)
def test_the_checker_names_each_deviation_with_its_place(kind: str) -> None:
    text, says = WRONG[kind]
    assert any(
        says in notice.text and notice.place
        for notice in check_gdtf(read_description(text.encode(), "x"))
    )


@pytest.mark.slow
def test_mangled_files_end_in_a_sentence_whichever_way_they_are_read() -> None:
    rng = random.Random(8)
    sources = [
        zipfile.ZipFile(io.BytesIO(stored.data)).read("description.xml")
        for stored in shipped_profiles()
    ] + [RICH.encode()]
    refused = 0
    for _ in range(300):
        good = bytearray(rng.choice(sources))
        for _ in range(rng.randint(1, 5)):
            at = rng.randrange(len(good))
            opens, closes = good.find(b'="', at), good.find(b'"', good.find(b'="', at) + 2)
            if rng.random() < 0.1:
                good[at : at + rng.randint(0, 30)] = rng.randbytes(rng.randint(0, 5))
            elif 0 < opens < closes:
                good[opens + 2 : closes] = rng.choice(
                    (
                        b"",
                        b"-1",
                        b"9" * 30,
                        b"0/9",
                        b"255/1s",
                        b"None",
                        b"nan",
                        b"Base",
                        b"Cell",
                        b"1,2",
                        b"1,1,1,1,1",
                        b"{}",
                        b"\xc3\xa9",
                    )
                )
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("description.xml", bytes(good))
        try:
            read = read_archive(out.getvalue(), "mangled.gdtf")
            check_gdtf(read)
            assert facts_of_bytes(out.getvalue(), "mangled.gdtf") == facts_of(read)
            write_description(read.profile)
        except FileFault as fault:
            assert "mangled.gdtf" in str(fault)
            refused += 1
        except Odd:
            pytest.fail("the quick reader's doubts must not come out")
    assert 20 < refused < 250
