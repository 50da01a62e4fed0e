"""Gels: swatch books, and the colour of a gel over a lamp, computed from its transmission."""

from isthmus.gels.books import Book, books_at_hand, keep_book, read_book
from isthmus.gels.resolve import colour_of, find_gels, set_gel, split_gels

__all__ = [
    "Book",
    "books_at_hand",
    "colour_of",
    "find_gels",
    "keep_book",
    "read_book",
    "set_gel",
    "split_gels",
]
