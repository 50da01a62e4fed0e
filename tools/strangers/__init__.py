"""Clerks who type hang lists by habits of their own from a rig that is hidden from the reader.

Nothing here is shared with the readers: a clerk knows the trade's habits, and what is true is
written beside what was typed.
"""
