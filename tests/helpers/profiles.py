"""The shipped profiles by name, and GDTF files made by hand: whole ones and harmful ones."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable

from isthmus.demo import shipped_profiles
from isthmus.profiles.records import Profile
from isthmus.profiles.store import read_stored

SHIPPED: dict[str, Profile] = {}

for _stored in shipped_profiles():
    _profile = read_stored(_stored)
    assert isinstance(_profile, Profile)
    SHIPPED[_profile.name] = _profile

ROOM = 'Name="T" Manufacturer="Reed and Oar"'

GEOMETRY = '<Geometries><Geometry Name="Base"/></Geometries>'


def describe(body: str, room: str = ROOM) -> bytes:
    return f'<?xml version="1.0"?><GDTF DataVersion="1.2"><FixtureType {room}>{body}</FixtureType></GDTF>'.encode()


def mode(channels: str, geometry: str = GEOMETRY) -> bytes:
    return describe(
        f'{geometry}<DMXModes><DMXMode Name="M" Geometry="Base"><DMXChannels>{channels}</DMXChannels></DMXMode></DMXModes>'
    )


def packed(description: bytes, **more: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("description.xml", description)
        for name, data in more.items():
            archive.writestr(name, data)
    return out.getvalue()


# made when they are wanted: some are large
HARM: dict[str, tuple[Callable[[], bytes], str]] = {
    "not a zip": (lambda: b"GDTF but not really" * 40, "not a whole GDTF"),
    "cut short": (lambda: packed(mode(""))[:-30], "not a whole GDTF"),
    "no description": (lambda: b"PK\x05\x06" + bytes(18), "no description.xml"),
    "escaping path": (lambda: packed(mode(""), **{"../../etc/cron.d/x": b"x"}), "leads outside"),
    "absolute path": (lambda: packed(mode(""), **{"/tmp/x": b"x"}), "leads outside"),
    "entity bomb": (lambda: packed(b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><GDTF>&b;</GDTF>'), "entities"),
    "outside entity": (lambda: packed(b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><GDTF>&a;</GDTF>'), "entities"),
    "zip bomb": (lambda: packed(b"<GDTF>" + b" " * 60_000_000 + b"</GDTF>"), "unpack to far more"),
    "ten megabytes of tags": (lambda: packed(b'<GDTF DataVersion="1.2"><FixtureType>' + b"".join(b"<F%d/>" % (i * 7919 % 999_983) for i in range(1_000_000)) + b"</FixtureType></GDTF>"), "tags; at most"),
    "not GDTF": (lambda: packed(b"<html/>"), "not GDTF"),
    "torn XML": (lambda: packed(b"<GDTF><FixtureType>"), "cannot be read"),
    "no mode": (lambda: packed(describe(GEOMETRY)), "no DMX mode"),
    "lost geometry": (lambda: packed(describe('<DMXModes><DMXMode Name="M" Geometry="Gone"/></DMXModes>')), "does not exist"),
    "five bytes": (lambda: packed(mode('<DMXChannel Offset="1,2,3,4,5" Geometry="Base"/>')), "1 to 4 channels"),
    "channel zero": (lambda: packed(mode('<DMXChannel Offset="0" Geometry="Base"/>')), "1 to 4 channels"),
    "nested too deep": (lambda: packed(mode("", '<Geometries><Geometry Name="Base">' + "<Geometry>" * 200 + "</Geometry>" * 200 + "</Geometry></Geometries>")), "deeper"),
}  # fmt: skip
