"""Isthmus: a lighting programmer prepares a show's rig, from paper to an answering rig."""

import os

# Matrices here are small. Before NumPy is loaded, for then it has made its threads, which cost each
# process 0.2 s of the processor at its start.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
