"""Dialogs of the Patch page."""
