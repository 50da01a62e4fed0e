"""Looks: wishes about light that hold for any profile, kept as palettes."""

from isthmus.looks.realise import KINDS, Short, apply, in_words, realise, together, wish_of

__all__ = ["KINDS", "Short", "apply", "in_words", "realise", "together", "wish_of"]
