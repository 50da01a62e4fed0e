"""The time as the standard writes it in revisions."""

from __future__ import annotations

import time


def now() -> str:
    """Local time, to the second, as xs:dateTime."""
    return time.strftime("%Y-%m-%dT%H:%M:%S")
