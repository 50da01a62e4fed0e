"""Dialogs of the Stage page."""
