"""Charts out of manuals: pasted text or the page of a PDF, read into rows with a confidence on
each.
"""

from isthmus.profiles.manual.naming import propose
from isthmus.profiles.manual.rows import ManualChart, ManualRow
from isthmus.profiles.manual.text import read_chart

__all__ = ["ManualChart", "ManualRow", "propose", "read_chart"]
