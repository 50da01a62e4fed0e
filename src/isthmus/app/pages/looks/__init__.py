"""Looks: palettes of what light can be."""
