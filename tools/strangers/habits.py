"""What a clerk is used to: how addresses, numbers, modes and models are spelled, and how a page is
laid out. Clerks differ in these alone; `typing.py` does with them what a person does.
"""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Habits:
    """One clerk. Words are keys that `typing.py` knows; what is empty is not this clerk's habit."""

    name: str
    tongue: str = "en"
    columns: tuple[str, ...] = ("number", "type", "mode", "address", "position", "purpose", "gel")
    # ------------------------------------------------ cells
    address: str = "dotted"
    number: str = "plain"
    mode: str = "name"
    model: str = "model"
    unknown: str = "later"  # where an address is not known yet: later, dash, blank
    bare_gel: float = 0.5  # how often a unit without gel has a word there, and not a blank
    # ------------------------------------------------ the page
    file: str = "csv"
    mark: str = ","
    coding: str = "utf-8"
    ends: str = "\n"
    heads: int = 0  # which of the spellings of each head
    two_rows: bool = False
    headless: bool = False
    titles: int = 0
    prose: bool = False
    blanks: float = 0.0
    repeat: int = 0  # the heading again, and a foot, after so many rows
    sections: str = ""  # position, universe: a line alone above what it holds for
    totals: bool = False
    comments: bool = False
    spares: float = 0.0
    later: float = 0.0
    ditto: str = ""
    merged: tuple[str, ...] = ()
    grouped: str = ""  # several units in a row: range, count, list
    shuffled: bool = False
    slips: tuple[str, ...] = ()
    rate: float = 0.02
    shout: bool = False  # all in capitals
    extras: tuple[str, ...] = field(default=())


def _(name: str, columns: str = "", **habits: object) -> Habits:
    if columns:
        habits["columns"] = tuple(columns.split())
    return Habits(name, **habits)  # type: ignore[arg-type]


ALL_SLIPS = ("twice", "overlap", "past", "letter", "blank type", "no number", "foreign mode")

CLERKS = (
    _("tidy office"),
    _("house electrician", "place position type watts gel channel address purpose", address="flat",
      heads=1, slips=("twice", "overlap")),
    _("Nordkai tour", "number type mode universe address position gel", tongue="de", mark=";",
      address="in universe", merged=("universe",), coding="cp1252", slips=("letter",)),
    _("Kesselhaus", "channel type mode address position purpose", tongue="de", mark=";",
      address="slash", ditto='"', titles=2, later=0.05),
    _("régie du port", "number type mode universe address position gel", tongue="fr", mark=";",
      address="in universe", coding="mac-roman", ends="\r", heads=1),
    _("atelier lumière", "type number position address mode gel weight watts", tongue="fr",
      mark="\t", address="dotted", sections="", totals=True, slips=("sum",)),
    _("muelle norte", "number type mode universe address position", tongue="es", mark=";",
      address="in universe", later=0.06, unknown="dash", slips=("past",)),
    _("gira del sur", "channel type address position purpose gel", tongue="es", address="colon",
      mode="in type", heads=1, coding="latin-1"),
    _("teatro di molo", "number type mode address position gel", tongue="it", mark=";",
      address="dash", titles=1, slips=("twice",)),
    _("service adriatica", "position number type universe address feet", tongue="it", mark="\t",
      address="in universe", mode="feet", heads=1),
    _("dokzaal", "number type mode address position gel", tongue="nl", mark=";", address="dotted",
      merged=("type", "mode", "position"), spares=0.05),
    _("haven events", "channel type mode universe address position weight", tongue="nl", mark=",",
      address="in universe", sections="universe", heads=1),
    _("mail in columns", "number type mode address position", file="fixed", address="dotted",
      prose=True),
    _("old printer", "channel type mode universe address position purpose", file="fixed",
      address="in universe", repeat=24, titles=2, shout=True),
    _("pasted cells", "number type mode address position", mark="\t", headless=True),
    _("two storeys", "number type mode universe address position gel", two_rows=True,
      address="in universe"),
    _("by the truss", "number type mode address gel purpose", sections="position",
      address="slash", blanks=0.3, totals=True),
    _("by the line", "number type mode address position", sections="universe",
      address="in universe", tongue="de", mark=";", heads=1),
    _("in groups", "number count type mode address position", grouped="range", address="dotted"),
    _("six off", "count type mode number address position purpose", grouped="range",
      address="slash", tongue="de", mark=";", heads=2),
    _("pairs", "number type mode address position", grouped="list", address="dotted", mark=";"),
    _("from here on", "number type mode address position", grouped="following", address="dotted"),
    _("counting house", "row number type mode address weight watts length position note",
      address="flat marks", mark=";", heads=1),
    _("wide export", "row weight number name type mode feet circuit universe address length watts"
      " position purpose gel note", address="in universe", slips=ALL_SLIPS),
    _("letters", "number type mode address position", number="position", address="dotted"),
    _("parts", "number type mode address position purpose", number="suffix", address="slash",
      mark=";"),
    _("grid squares", "number type mode address position", number="square", tongue="fr",
      mark=";", address="dotted", heads=1),
    _("decimal points", "number type mode address position gel", number="decimal",
      address="dash"),
    _("bookkeeper", "number type mode universe address position gel", file="xlsx",
      address="in universe", merged=("position", "universe")),
    _("open tables", "number type mode address position gel weight", file="ods", tongue="de",
      address="dotted", titles=2),
    _("printed ruled", "number type mode address position", file="pdf", address="dotted",
      repeat=30),
    _("sixteen bits", "number type mode address position", coding="utf-16-le", mark="\t",
      address="dotted"),
    _("said in full", "number type mode address position", address="U A"),
    _("U dot", "channel type mode address position gel", address="U dotted", heads=2,
      comments=True),
    _("spaced", "number type mode address position", address="space", mark="|"),
    _("only sizes", "number type mode address position", mode="feet", model="maker model"),
    _("with sizes", "number type mode address position purpose", mode="name feet",
      model="maker model", mark=";"),
    _("mode by number", "number type mode address position", mode="number", heads=1),
    _("bad speller", "number type mode address position", model="typo", slips=("letter",)),
    _("shouting", "number type mode address position gel", shout=True, model="maker model",
      titles=3, blanks=0.1, mark=";"),
    _("tired", "number type mode address position gel", slips=ALL_SLIPS, rate=0.05),
    _("two halves", "number type mode address circuit position", address="dotted",
      tongue="fr", mark=";"),
    _("never mind", "number type mode address position", shuffled=True, later=0.1,
      unknown="blank"),
    _("flat rig", "channel type mode address position gel", address="flat", tongue="it",
      mark=";"),
    _("footnotes", "number type mode address position note", repeat=18, comments=True,
      titles=1, totals=True, tongue="nl", mark=";"),
    _("the clock", "place channel position type mode universe address gel watts",
      address="in universe", merged=("position",), heads=1, slips=("overlap", "twice")),
    _("thin lines", "number type mode address position", file="pdf plain", address="slash",
      tongue="de"),
    _("comma decimal", "number type mode address weight position", tongue="de", mark=";",
      address="comma", heads=3),
    _("sheet of two", "channel name type mode universe address position", file="xlsx",
      address="in universe", titles=1, totals=True, tongue="es"),
    _("short hand", "number type address position", mode="in type feet", model="short",
      address="dotted"),
)

# met once, when all else was done
NEWCOMERS = (
    _("harbour crew", "position place type channel universe address gel purpose watts",
      address="in universe", slips=("twice", "letter"), heads=2, titles=1),
    _("Werftbühne", "number name type feet address position weight", tongue="de", mark="\t",
      address="dotted", mode="feet", sections="", later=0.05, heads=4, coding="utf-16"),
    _("compagnie des quais", "channel type mode address position gel note", tongue="fr",
      mark=";", address="colon", ditto="idem", heads=1, coding="cp1252", totals=True),
    _("la barcaza", "row number type universe address mode purpose", tongue="es", mark="\t",
      address="in universe", merged=("type", "universe", "mode"), heads=2),
    _("il pontile", "number type mode address position", tongue="it", file="xlsx",
      address="slash", sections="position", blanks=0.2, heads=2),
    _("de kade", "count number type mode address position", tongue="nl", mark=";",
      grouped="range", address="dotted", heads=1, titles=2),
    _("night shift", "type mode number address position length circuit", file="fixed",
      address="U dotted", repeat=20, later=0.04, heads=3, slips=("overlap", "past"), prose=True),
    _("stage hand", "number type address position", mode="in type", model="maker model",
      address="space", mark="\t", shout=True, spares=0.04, heads=4),
    _("drawing office", "number type mode universe address position purpose gel weight watts note",
      file="ods", address="in universe", sections="", ditto="do.", heads=6, repeat=30),
    _("guest designer", "channel purpose position type mode gel address", address="dash",
      mark=",", comments=True, blanks=0.1, heads=3, slips=ALL_SLIPS, rate=0.03),
)

# every second one is never looked at while the readers are made
SEEN, UNSEEN = CLERKS[::2], CLERKS[1::2]
