"""Looks: wishes about light that hold for any profile, kept as palettes, looks and cue lists."""

from typing import TYPE_CHECKING

from isthmus.lazy import on_demand

if TYPE_CHECKING:
    from isthmus.looks.realise import KINDS, Short, apply, in_words, together, wish_of
else:  # the player reads the arrays of cue lists, and nothing of how they came to be
    __getattr__ = on_demand(
        __name__,
        dict.fromkeys(("KINDS", "Short", "apply", "in_words", "together", "wish_of"), "realise"),
    )

__all__ = ["KINDS", "Short", "apply", "in_words", "together", "wish_of"]
