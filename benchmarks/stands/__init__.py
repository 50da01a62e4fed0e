"""Rigs as they really stand, and people who watch them, written apart from the program.

How lights answer to DMX, how nodes merge and how a person marks what was seen are laid down here by
hand; of the program only the show's records and what it sends are used. So what `check/` concludes
is judged by something that does not share its model.
"""
