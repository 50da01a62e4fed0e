"""GDTF, the open standard for profiles (DIN SPEC 15800, versions 1.0 to 1.2): read, write,
check.
"""

from isthmus.profiles.gdtf.archive import (
    Gdtf,
    body_file,
    read_archive,
    read_description,
    read_gdtf,
    read_members,
    write_gdtf,
)
from isthmus.profiles.gdtf.reading import Notice
from isthmus.profiles.gdtf.values import dmx_value
from isthmus.profiles.gdtf.writing import write_description

__all__ = [
    "Gdtf",
    "Notice",
    "body_file",
    "dmx_value",
    "read_archive",
    "read_description",
    "read_gdtf",
    "read_members",
    "write_description",
    "write_gdtf",
]
