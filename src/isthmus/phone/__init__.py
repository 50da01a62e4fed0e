"""Roll call from the stage: a page served to phones, joined by a one-time code, and only what roll
call needs behind it.
"""
