"""Hang lists from anywhere: text, spreadsheets and PDFs, read as far as they are sure."""

from isthmus.hanglist.found import (
    CHOSEN,
    KEPT_AS,
    NEEDED,
    PLAIN,
    Answers,
    Came,
    HangList,
    LineFault,
    Question,
    Unknown,
)
from isthmus.hanglist.reader import (
    MAX_BYTES,
    Reading,
    parse_hang_list,
    read_hang_list,
    unread_as_table,
)

__all__ = [
    "CHOSEN",
    "KEPT_AS",
    "MAX_BYTES",
    "NEEDED",
    "PLAIN",
    "Answers",
    "Came",
    "HangList",
    "LineFault",
    "Question",
    "Reading",
    "Unknown",
    "parse_hang_list",
    "read_hang_list",
    "unread_as_table",
]
