"""The window and what is around the pages: bar, spine, palette, notice, hand controls, inspector,
and the start.
"""
