"""The desktop application: window, pages, widgets, theme. The only part that knows Qt.

The core is imported here, before Qt: once PySide6 is loaded it looks into the source of every
module that is imported after it, which would add a third to the start.
"""

import isthmus.demo
import isthmus.snags  # noqa: F401
