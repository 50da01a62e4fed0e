"""The Patch page."""
