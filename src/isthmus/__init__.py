"""Isthmus: a lighting programmer prepares a show's rig, from paper to an answering rig."""

__version__ = "0.1.0"
