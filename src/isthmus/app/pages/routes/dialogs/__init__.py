"""Dialogs of the Routes page."""
