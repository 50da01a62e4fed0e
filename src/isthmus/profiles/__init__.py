"""Profiles in the terms of the open GDTF standard: read, laid flat as a DMX chart, and turned into
light.

Batched over units of one mode, so that a rig of thousands stays a few array operations.
"""

from isthmus.profiles.chart import Chart, chart
from isthmus.profiles.gdtf import read_gdtf
from isthmus.profiles.light import LightState, light_program
from isthmus.profiles.records import Mode, Profile
from isthmus.profiles.store import ProfileSet, profiles_of

__all__ = [
    "Chart",
    "LightState",
    "Mode",
    "Profile",
    "ProfileSet",
    "chart",
    "light_program",
    "profiles_of",
    "read_gdtf",
]
