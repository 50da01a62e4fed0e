"""The window and what is around the pages: bar, spine, finder, notice, hand controls, inspector,
and the start.
"""
