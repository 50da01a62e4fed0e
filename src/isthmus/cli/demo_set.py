"""`isthmus demo-set`: the demo as other programs would be given it, to be tried with it running."""

from __future__ import annotations

import argparse
from typing import Any

from isthmus.cli.common import DONE, Result, made_folder
from isthmus.demo import whole_demo
from isthmus.mvr import write_show
from isthmus.papers.drawn import as_csv, usual_size
from isthmus.papers.rig import by_number
from isthmus.papers.whole import whole_set
from isthmus.render.gltf import rig_gltf
from isthmus.show.container import encode_show
from isthmus.show.files import write_atomically


def demo_set(options: argparse.Namespace) -> Result:
    """The show, its rig as MVR and glTF, its list as CSV, and its papers."""
    folder, show = made_folder(options.folder), whole_demo()
    files = {
        "lantern-tide.isthmus": encode_show(show),
        "lantern-tide.mvr": write_show(show),
        "lantern-tide.glb": rig_gltf(show),
        "lantern-tide.csv": as_csv(by_number(show)).encode(),
        "lantern-tide.pdf": whole_set(show, usual_size()),
    }
    for name, data in files.items():
        write_atomically(folder / name, data)
    saved = [str(folder / name) for name in files]
    return DONE, {"saved": saved}, [f"Saved {name}" for name in saved]


def add_verbs(verbs: Any, verb: Any) -> None:
    one = verb(verbs, "demo-set", demo_set, "the demo as files for other programs", show=False)
    one.add_argument("folder", metavar="DIR", help="it is made")
