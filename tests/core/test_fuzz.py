"""A small part of `./run bench fuzz`: every reader takes or refuses what is broken, and no more."""

from __future__ import annotations

import random

import pytest
from benchmarks.fuzzing.readers import READERS

from isthmus.errors import IsthmusError

ELSEWHERE = {"show", "GDTF", "MVR", "chart of a manual", "index"}  # tried by tests of their own
PROCESSES = {"SVG, drawn", "PDF, drawn"}  # a process for each


@pytest.mark.parametrize("name", sorted(READERS.keys() - ELSEWHERE - PROCESSES))
def test_broken_input_is_read_or_refused_and_nothing_else(name: str) -> None:
    one = READERS[name].make()
    first = random.randrange(10**6)
    for case in range(first, first + (25 if READERS[name].batch == 1 else 250)):
        try:
            one(random.Random(f"{name} {case}"))
        except IsthmusError as fault:
            assert str(fault)
        except BaseException as error:
            raise AssertionError(f"{name} {case}") from error
