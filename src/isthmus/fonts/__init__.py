"""The faces that come with Isthmus, for the window and for paper alike."""

from pathlib import Path

FOLDER = Path(__file__).parent


def faces() -> list[Path]:
    """The font files, in the order of their names."""
    return sorted(FOLDER.glob("*.ttf"))
