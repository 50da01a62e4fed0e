"""Profiles made here: from a manual's rows, from parts, from a description; always as whole
GDTF.
"""

from isthmus.profiles.make.bodies import Body, geometry_of
from isthmus.profiles.make.channels import Channel, channel_of, with_definitions
from isthmus.profiles.make.compose import ModePlan, compose, from_sheet

__all__ = [
    "Body",
    "Channel",
    "ModePlan",
    "channel_of",
    "compose",
    "from_sheet",
    "geometry_of",
    "with_definitions",
]
