"""Public names of a package that are imported when they are first asked for: a start should not
read what it does not use.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from importlib import import_module


def on_demand(package: str, places: Mapping[str, str]) -> Callable[[str], object]:
    """The `__getattr__` of a package: name → the module of the package that has it."""

    def found(name: str) -> object:
        if name not in places:
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        return getattr(import_module(f"{package}.{places[name]}"), name)

    return found
