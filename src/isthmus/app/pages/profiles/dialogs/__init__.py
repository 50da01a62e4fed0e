"""Dialogs of the Profiles page."""
