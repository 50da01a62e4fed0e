"""Dialogs of the Plan page."""
