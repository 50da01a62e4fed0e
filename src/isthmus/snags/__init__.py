"""What is wrong or missing in a show, in plain words, with the edit that mends it; and how far each unit has crossed."""

from isthmus.show.records import Show
from isthmus.snags.crossing import STEPS, Crossing, crossing
from isthmus.snags.records import ATTENTION, FAULT, NOTE, ORDER, Mend, Snag
from isthmus.snags.rules import RULES

__all__ = ["ATTENTION", "FAULT", "NOTE", "STEPS", "Crossing", "Mend", "Snag", "crossing", "find_snags"]


def find_snags(show: Show) -> list[Snag]:
    """All snags, worst first, in the order of the rules."""
    return sorted((snag for rule in RULES for snag in rule(show)), key=lambda snag: ORDER[snag.severity])
