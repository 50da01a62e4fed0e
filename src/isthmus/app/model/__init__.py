"""What the pages look at: the workbench, the links to engine, network, library and simulator, and
the journal.
"""
