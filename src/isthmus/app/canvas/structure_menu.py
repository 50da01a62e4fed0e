"""The menu of structures on plan and stage: select one, put one up, bring a mesh in."""

from __future__ import annotations

import hashlib
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from isthmus.app.model.workbench import Workbench
from isthmus.layout import structures
from isthmus.show.files import read_file
from isthmus.show.records import StoredFile
from isthmus.stage.meshes_in import MAX_FILE, read_mesh

WORDS = {
    "truss": "Straight truss",
    "circle": "Circle truss",
    "corner": "Corner truss",
    "pipe": "Pipe",
    "rail": "Rail",
    "boom": "Boom",
    "mast": "Mast",
    "tower": "Tower",
    "deck": "Deck",
    "wall": "Wall",
    "drape": "Drape",
    "screen": "Screen",
    "hull": "Hull",
}


def structure_menu(parent: QWidget, bench: Workbench) -> QMenu:
    menu = QMenu(parent)
    menu.setObjectName("structures")
    for one in bench.show.structures:
        act = menu.addAction(f"{one.name or one.kind}")
        act.setCheckable(True)
        act.setChecked(one.id in bench.selection.structures)
        act.triggered.connect(lambda _=False, i=one.id: bench.selection.hold(i))
    menu.addSeparator()
    beside = menu.addMenu("Select one more")
    for one in bench.show.structures:
        if one.id not in bench.selection.structures:
            beside.addAction(one.name or one.kind).triggered.connect(
                lambda _=False, i=one.id: bench.selection.hold(i, True)
            )
    menu.addAction("Select all structures").triggered.connect(
        lambda _=False: bench.selection.hold_all(s.id for s in bench.show.structures)
    )
    menu.addSeparator()
    fresh = menu.addMenu("Add")
    for kind, words in WORDS.items():
        fresh.addAction(words).triggered.connect(lambda _=False, k=kind: put_up(bench, k))
    menu.addAction("Import mesh…").triggered.connect(
        lambda _=False: bench.guard(lambda: bring_in(parent, bench))
    )
    return menu


def put_up(bench: Workbench, kind: str) -> None:
    def run() -> None:
        show, made = structures.add(bench.show, kind)
        bench.commit(f"add a {WORDS[kind].lower()}", show)
        bench.plan.rearrange(True)
        bench.selection.hold(made)

    bench.guard(run)


def bring_in(parent: QWidget, bench: Workbench) -> None:
    """A mesh from a file as a set piece, at its own measures."""
    name, _ = QFileDialog.getOpenFileName(
        parent,
        "Import mesh",
        "",
        "Meshes (*.glb *.3ds *.obj)",
        options=QFileDialog.Option.DontUseNativeDialog,
    )
    if not name:
        return
    path = Path(name)
    data = read_file(path, MAX_FILE)
    found = read_mesh(data, path.name)
    x, y, z = (max(float(v), 0.01) for v in np.ptp(found.reshape(-1, 3), axis=0))
    kept = StoredFile(
        name=f"{hashlib.sha256(data).hexdigest()[:16]}{path.suffix.lower()}", data=data
    )
    show = bench.show
    if all(f.name != kept.name for f in show.files):
        show = replace(show, files=(*show.files, kept))
    title = path.stem[:60]
    if any(s.name.lower() == title.lower() for s in show.structures):
        title = structures.free_name(show, "mesh")
    show, made = structures.add(show, "mesh", size=(x, y, z), name=title, mesh=kept.name)
    bench.commit(f"import {path.name}", show)
    bench.plan.rearrange(True)
    bench.selection.hold(made)
