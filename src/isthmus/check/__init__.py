"""Checking the rig: the roll call, its verdicts, and whether they still hold."""

from isthmus.check.rollcall import RollCall, begin, callable_units, end, holds, jump, mark, step, unmark

__all__ = ["RollCall", "begin", "callable_units", "end", "holds", "jump", "mark", "step", "unmark"]
