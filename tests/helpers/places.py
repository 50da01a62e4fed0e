"""Every dialog of the application, and how a person comes to it."""

from __future__ import annotations

from collections.abc import Callable

from helpers.rigs import all_answer
from isthmus.app.pages.plan.dialogs.sheets import LabelsDialog
from isthmus.app.pages.plan.underlays import UnderlayDialog
from isthmus.app.pages.profiles.dialogs.questions import NameDialog
from isthmus.app.pages.roll_call.views.discovery import SettingsDialog
from isthmus.app.pages.routes.dialogs.set import SetDialog
from isthmus.app.shell.window import Window
from isthmus.check.devices import Device
from isthmus.check.setting import Change
from isthmus.demo import EXTRA_LIST, as_hung
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.net.found import FoundNode, FoundPort
from isthmus.net.setting import PortWish, Wish
from isthmus.patch.addresses import place
from isthmus.patch.groups import propose_groups
from isthmus.patch.limits import set_limit
from isthmus.show import Show

Opens = Callable[[], object]


def show_of() -> Show:
    """The demo as it hangs, with looks, cues, a wall, groups, a limit, verdicts and what findings say."""
    show = all_answer(
        with_wall(with_evening(as_hung())),
        {
            "u105": {"result": "silent"},
            "u203": {"result": "wrong", "what": ["pan", "too"], "others": ["u204"]},
        },
    )
    return propose_groups(set_limit(show, ["u101"], "Tilt", "-90", "45"))


def dialogs_of(window: Window) -> list[tuple[str, Opens]]:
    bench, acts = window.bench, window.actions_.trigger
    patch, routes, plan = window.pages["Patch"], window.pages["Routes"], window.pages["Plan"]
    profiles, over = window.pages["Profiles"], window
    ports = (FoundPort(1, 1, 1, "out", 16), FoundPort(2, 1, 2, "out", 17))
    node = FoundNode("127.0.0.2", "Ferry A", "Ferry A, bow store", ports, direction_able=True)
    wish = Wish(name="Ferry A", ports=(PortWish(1, number=18, direction="in"),))
    device = Device(b"123456", "127.0.0.2", "Ferry A", 1, 16, model="Lapwing 19")
    changes = [Change(device, "address", "001", "101", 101)]

    def with_units(run: Opens) -> Opens:
        def opened() -> None:
            bench.selection.select(["u101", "u102", "u103"])
            run()

        return opened

    def of_output(run: Opens) -> Opens:
        def opened() -> None:
            routes.show_view("Routes")
            routes.routes.choose("o1")
            run()

        return opened

    def borrow() -> None:
        profiles.borrow()

    def name() -> None:
        NameDialog(over, "Make a profile", "Save", lambda *_: None, "Halyard", "", "22 ch").open()

    return [
        ("log", lambda: acts("help.log")),
        ("keys", window.show_keys),
        ("finder", window.find),
        ("add units", patch.add_units),
        ("change profile", with_units(patch.swap)),
        ("find and replace", patch.replace),
        ("hang list", lambda: patch.open_list(EXTRA_LIST)),
        ("address in use", lambda: bench.place("x", place(bench.show, {"u203": [(2, 60)]}))),
        ("re-address", patch.readdress),
        ("add output", of_output(routes.routes.add)),
        ("change output", of_output(routes.routes.change)),
        ("number outputs", of_output(routes.routes.number)),
        ("mirror a node", of_output(routes.routes.mirror)),
        ("add a node", routes.routes.add_node),
        ("address plan", routes.network.plan),
        ("set node", lambda: SetDialog(over, bench, window.net, node, wish, lambda: None).open()),
        ("new sheet", with_units(plan.new_sheet)),
        ("labels", lambda: LabelsDialog(over, bench, bench.plan.sheet).open()),
        ("print", plan.print),
        ("background drawing", lambda: UnderlayDialog(over, bench, plan.canvas).show()),
        ("picture", lambda: acts("stage.picture")),
        ("drawing", lambda: acts("stage.look")),
        ("fan", with_units(lambda: (window.go("Stage"), acts("units.fan")))),
        ("hand over", lambda: acts("handover.over")),
        ("set devices", lambda: SettingsDialog(over, changes, lambda: True).open()),
        ("name a profile", name),
        ("grid by hand", with_units(lambda: acts("pixels.by_hand"))),
        ("borrow", borrow),
        ("generic profile", profiles.compose_generic),
    ]
