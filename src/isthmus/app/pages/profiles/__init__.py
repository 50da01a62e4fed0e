"""The Profiles page: find, read, judge, compare and adapt."""

from isthmus.app.pages.profiles.page import ProfilesPage, register

__all__ = ["ProfilesPage", "register"]
