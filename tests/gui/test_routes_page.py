"""The Routes page by hand: drawn, typed, pasted, proven; nodes found and set; the network told; watched; the rig broken."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication

from helpers.hands import (
    activate,
    answer_file_dialog,
    cell,
    child,
    choose,
    click,
    dialog,
    drag,
    key,
    press,
    retype,
    shortcut,
    type_in_cell,
    until,
)
from helpers.tools import catches_signals, lit
from isthmus.app.kit.widgets import take_row
from isthmus.demo import lantern_tide
from isthmus.net import Adapter, Choice, View
from isthmus.output import identity
from isthmus.routes import edits as core
from isthmus.show.records import Node, Output, Show
from isthmus.standin import RigClient

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture(autouse=True)
def impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    """A node counts as silent sooner: still more than one poll."""
    monkeypatch.setattr("isthmus.net.found.SILENT", 4.0)


def column(page, name: str) -> int:
    return [
        page.routes.table.model().headerData(x, Qt.Orientation.Horizontal)
        for x in range(page.routes.table.model().columnCount())
    ].index(name)


def test_routes_are_drawn_led_elsewhere_numbered_mirrored_and_pasted(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Routes")
    bench, page = window.bench, window.pages["Routes"]
    picture = page.routes.picture
    drag(
        picture,
        picture.universe_boxes()[4].center(),
        picture.port_boxes()["127.0.0.3", 17].center(),
    )
    fresh = bench.show.outputs[-1]
    assert (fresh.universe, fresh.host, fresh.port_address) == (4, "127.0.0.3", 17)
    core_show = core.add_node(bench.show, "Slipway", "127.0.0.7", "quay", (32, 33), spare=True)
    bench.commit("a spare", core_show)
    drag(
        picture,
        picture.pill_boxes()[fresh.id].center(),
        picture.port_boxes()["127.0.0.7", 33].center(),
    )
    assert bench.show.outputs[-1].id == fresh.id and bench.show.outputs[-1].host == "127.0.0.7"
    shortcut(window, Qt.Key.Key_Z)
    bench.commit(
        "a level line that meets no port", core.change_output(bench.show, "o1", host="127.0.0.50")
    )
    level = picture.lines()["o1"].pointAtPercent(0.5).toPoint()
    drawn = picture.grab().toImage()
    assert drawn.pixelColor(level) != drawn.pixelColor(level.x(), level.y() - 12)
    shortcut(window, Qt.Key.Key_Z)
    click(picture, picture.pill_boxes()["o3"].center())
    assert (
        page.routes.ids() == ["o3"]
        and "Ferry B, port 1" in page.routes.table.model().index(2, 2).data()
    )
    key(picture, Qt.Key.Key_Up)
    assert page.routes.ids() == ["o2"]
    press(window, "Mirror a node…")
    entry = dialog()
    retype(child(entry, "Node"), "Ferry A")
    retype(child(entry, "To"), "no one")
    press(entry, "Mirror it")
    assert "no node of that name" in entry.trouble.text()
    retype(child(entry, "To"), "Slipway")
    retype(child(entry, "As (mirror, sent always; spare, stands by)"), "spare")
    press(entry, "Mirror it")
    assert until(lambda: [o.role for o in bench.show.outputs].count("spare") == 2)
    assert page.routes.table.model().index(4, column(page, "State")).data() == "spare"
    type_in_cell(page.routes.table, 0, column(page, "Protocol"), "sacn")
    type_in_cell(page.routes.table, 0, column(page, "Delivery"), "multicast")
    type_in_cell(page.routes.table, 0, column(page, "Priority"), "250")
    assert "priorities go from 0 to 200" in window.notice.words
    type_in_cell(page.routes.table, 0, column(page, "Priority"), "120")
    first = bench.show.outputs[0]
    assert (first.protocol, first.delivery, first.number, first.priority) == (
        "sacn",
        "multicast",
        1,
        120,
    )
    # a block from a spreadsheet: one edit, told columns passed over, nothing taken when one cell is wrong
    activate(window)
    page.routes.table.setCurrentIndex(page.routes.table.model().index(1, column(page, "Number")))
    before = bench.show
    QGuiApplication.clipboard().setText("0.2.0\tx\t\n99999\tx\t\n")
    key(page.routes.table, Qt.Key.Key_V, CTRL)
    assert bench.show is before and "not an Art-Net port-address" in window.notice.words
    QGuiApplication.clipboard().setText("0.2.0\tx\t\n40\tx\t\n")
    key(page.routes.table, Qt.Key.Key_V, CTRL)
    assert [o.number for o in bench.show.outputs[1:3]] == [
        32,
        40,
    ] and bench.history.undo_name == "paste outputs"
    page.routes.table.selectAll()
    press(window, "Number…")
    assert "numbered apart" in window.notice.words


def test_an_output_is_added_and_changed_with_all_it_has(make_window, demo: Show) -> None:
    window = make_window(demo, page="Routes")
    bench = window.bench
    shortcut(window, Qt.Key.Key_O, CTRL | Qt.KeyboardModifier.ShiftModifier)
    made = dialog()
    retype(child(made, "Universe"), "4-6")
    choose(child(made, "Protocol"), "sACN")
    made.way.setCurrentIndex(made.way.findData("multicast"))
    retype(child(made, "Port-address"), "104")
    retype(child(made, "Step"), "2")
    retype(child(made, "Priority"), "90")
    retype(child(made, "Synchronised by universe"), "300")
    click(made.per_address)
    made.per_address.setChecked(True)
    assert (
        "goes out as sACN 104" in made.told.text()
        and "The last one, 6, goes out as sACN 108" in made.told.text()
    )
    press(made, "Add it")
    assert until(lambda: len(bench.show.outputs) == 6)
    assert [
        (o.universe, o.number, o.priority, o.sync, o.per_address) for o in bench.show.outputs[3:]
    ] == [(4, 104, 90, 300, True), (5, 106, 90, 300, True), (6, 108, 90, 300, True)]
    assert bench.history.undo_name == "route universe 4 to 6"
    chosen = window.pages["Routes"].routes.table.selectionModel()
    for row in (3, 4):
        chosen.select(
            window.pages["Routes"].routes.table.model().index(row, 0),
            chosen.SelectionFlag.Select | chosen.SelectionFlag.Rows,
        )
    window.pages["Routes"].routes.change()
    changed = dialog()
    retype(child(changed, "Label"), "to the quay")
    press(changed, "Change")
    assert until(
        lambda: (
            [o.label for o in bench.show.outputs] == ["", "", "", "to the quay", "to the quay", ""]
        )
    )


def test_dark_hold_and_proofs_reach_the_rig_and_end_as_they_began(
    make_window, demo: Show, rig: RigClient
) -> None:
    window = make_window(demo, rig.address, page="Routes")
    bench, page = window.bench, window.pages["Routes"]
    click(window.bar.sign)
    bench.levels.change(lambda live: live.light_up(["u101", "u401"]))
    assert until(lambda: set(lit(rig)) == {"101", "401"})
    page.routes.choose("o1")
    press(window, "master Dark")
    assert (
        until(lambda: set(lit(rig)) == {"401"})
        and "dark" in page.routes.table.model().index(0, column(page, "State")).data()
    )
    press(window, "master Resume")
    assert until(lambda: set(lit(rig)) == {"101", "401"})
    press(window, "master Hold")
    bench.levels.change(lambda live: live.let_go(["u101", "u401"]))
    assert until(lambda: set(lit(rig)) == {"101"})
    press(window, "master Resume")
    assert until(lambda: not lit(rig))
    shortcut(window, Qt.Key.Key_B, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert "Blackout" in window.output.words()[0][0]
    shortcut(window, Qt.Key.Key_B, CTRL | Qt.KeyboardModifier.ShiftModifier)
    click(page.routes.picture, page.routes.picture.universe_boxes()[3].center())
    press(window, "prove Flash its number")
    assert "Universe 3 flashes its number: 3" in page.routes.seen.text()
    for on in (True, False, True):
        assert until(lambda on=on: ("401" in lit(rig)) == on, 6)
    bench.levels.change(lambda live: live.light_up(["u101"]))
    assert "output test holds the levels" in window.notice.words
    press(window, "end proof")
    assert until(lambda: not lit(rig)) and bench.proving.proof is None
    retype(page.routes.what, "unit 102", Qt.Key.Key_Tab)
    retype(page.routes.what, "102", Qt.Key.Key_Tab)
    press(window, "prove Unit")
    assert until(lambda: set(lit(rig)) == {"102"})
    press(window, "end proof")


def test_a_node_is_found_different_taken_set_from_here_and_read_back(
    make_window, demo: Show, rig: RigClient
) -> None:
    window = make_window(demo, rig.address, page="Routes")
    bench, page = window.bench, window.pages["Routes"]
    shortcut(window, Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    nodes = page.nodes
    assert until(lambda: bench.known.network and bench.known.network.looked)
    assert [row.state for row in nodes.model.rows] == ["as expected", "as expected"]
    rig.do("node", name="Ferry B", ports=[16, 21])
    assert until(lambda: any("listens to Art-Net 0.1.5 = 21" in d.text for d in nodes._found))
    nodes.list.setCurrentRow(0)
    press(window, "Take it into the show")
    assert until(lambda: bench.show.nodes[1].ports == (16, 21) and not nodes._found)
    nodes.table.selectRow(0)
    assert nodes.name.text() == "Ferry A" and until(
        lambda: nodes.mask_.text() == "255.0.0.0" or nodes._row.real.mask
    )
    type_in_cell(nodes.port_table, 0, 3, "5")
    type_in_cell(nodes.port_table, 0, 5, "ltp")
    retype(nodes.name, "Ferry Aft")
    press(window, "Set at the node…")
    asked = dialog("set node")
    words = " ".join(w.text() for w in asked.findChildren(type(nodes.told)))
    assert (
        "Art-Net 0.0.5 = 5" in words
        and "Universe 1 with 10 units would no longer come out of port 1" in words
    )
    press(asked, "Set node")
    assert until(lambda: bench.show.nodes[0].name == "Ferry Aft", 15)
    assert (
        bench.show.nodes[0].ports == (5, 1) and bench.show.outputs[0].port_address == 5
    )  # the show followed
    port = next(p for p in rig.ask("state")["ports"] if p["node"] == "Ferry A" and p["port"] == 1)
    assert (port["port_address"], port["merge"]) == (5, "ltp")
    # switched off: the sign, the snag, and the spare that is offered
    with_spare = core.add_node(bench.show, "Slipway", "127.0.0.7", "", (32, 33), spare=True)
    bench.commit("a spare", core.mirror(with_spare, "ferry-b", with_spare.nodes[-1].id, "spare"))
    rig.do("node", name="Ferry B", on=False)
    assert until(
        lambda: any(
            s.rule == "node-missing" and "Ferry B" in s.text and s.fix for s in bench.known.snags
        ),
        15,
    )
    assert until(lambda: [row.state for row in nodes.model.rows][1] == "does not answer")
    fix = next(s.fix for s in bench.known.snags if s.rule == "node-missing" and "Ferry B" in s.text)
    bench.commit(fix.label, fix.edit(bench.show))
    assert [(o.host, o.enabled) for o in bench.show.outputs if o.universe == 3] == [
        ("127.0.0.3", False),
        ("127.0.0.7", True),
    ]


def test_a_range_fault_shows_its_reckoning_its_fix_and_the_plan(
    make_window, demo: Show, tmp_path: Path
) -> None:
    show = core.add_output(
        core.add_node(demo, "Crane", "10.0.0.21", "on the crane", (0, 1)), 4, "10.0.0.21", 0
    )
    window = make_window(show, page="Routes")
    bench, page = window.bench, window.pages["Routes"]
    view = page.network
    page.show_view("Network")
    bench.known.see_network(
        View(
            (Adapter("eth0", "2.0.0.5", "255.0.0.0"), Adapter("lo", "127.0.0.1", "255.0.0.0")),
            {p: Choice(None, "") for p in ("artnet", "sacn")},
        )
    )
    view.refresh()
    assert "Crane, 10.0.0.21, lies outside" in " ".join(
        view.list.item(i).text() for i in range(view.list.count())
    )
    at = next(i for i in range(view.list.count()) if "Crane" in view.list.item(i).text())
    view.list.setCurrentRow(at)
    assert (
        "The mask 255.0.0.0 compares the first number: eth0 begins 2, Crane begins 10"
        in view.why.text()
    )
    assert "At Crane set the address 2.0.0.21" in view.ways.text()
    press(window, "Copy command")
    assert QGuiApplication.clipboard().text() == "ip address add 10.0.0.22/8 dev eth0"
    view.device_table.selectRow(2)
    assert "Not the same network" in view.calculated.text()
    retype(view.rate["artnet"], "90")
    assert "cannot be sent at 90 Hz" in window.notice.words
    retype(view.rate["artnet"], "30")
    assert bench.show.sending.artnet_rate == 30
    press(window, "Address plan…")
    asked = dialog()
    assert until(
        lambda: any(
            line.name == "Crane" and line.address.startswith("2.") for line in asked.model.rows
        )
    )
    answer_file_dialog(str(tmp_path / "plan.pdf"))
    press(asked, "Save as PDF…")
    assert until(
        lambda: (
            (tmp_path / "plan.pdf").exists()
            and (tmp_path / "plan.pdf").read_bytes().startswith(b"%PDF")
        )
    )
    press(asked, "Set expected addresses")
    assert (
        until(lambda: all(n.ip.startswith("2.0.0.") for n in bench.show.nodes))
        and bench.show.outputs[0].host == bench.show.nodes[0].ip
    )
    assert bench.history.undo_name == "take the address plan"


def test_the_watch_shows_who_sends_and_the_rig_page_breaks_things(
    make_window, demo: Show, rig: RigClient, tmp_path: Path
) -> None:
    window = make_window(demo, rig.address, page="Routes")
    bench, page = window.bench, window.pages["Routes"]
    shortcut(window, Qt.Key.Key_5, Qt.KeyboardModifier.AltModifier)
    view = page.rig
    assert until(lambda: len(view.nodes.rows) == 4 and len(view.units.rows) == 66)
    click(view.unit_table.viewport(), cell(view.unit_table, 0, 0))
    press(window, "rig fault lamp")
    assert until(lambda: rig.ask("state")["units"][0]["faults"] == ["lamp"])
    retype(view.truth, "address=40")
    press(window, "rig change unit")
    assert rig.ask("state")["units"][0]["address"] == 40
    retype(view.truth, "address=900")
    press(window, "rig change unit")
    assert "cannot be like that" in window.notice.words
    click(view.node_table.viewport(), cell(view.node_table, 2, 0))
    press(window, "rig Power off")
    assert until(lambda: [p["on"] for p in view.nodes.rows] == [True, True, False, False])
    rig.do("send", protocol="artnet", number=0, to="127.0.0.1", level=40)
    shortcut(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    watch = page.watch
    assert until(lambda: [s.ip for s, *_ in watch.model.rows] == ["127.0.0.99"])
    assert (
        watch.model.index(0, 7).data() == "our output is off"
        and "40 40 40" in watch.slots.index(0, 3).data()
    )
    assert watch.levels._levels[100] == 40 and watch.levels._differ.any()
    click(window.bar.sign)
    assert until(lambda: watch.model.index(0, 7).data() == "second sender")
    assert until(lambda: any(s.rule == "second-sender" for s in bench.known.snags))
    answer_file_dialog(str(tmp_path / "heard.pcapng"))
    press(window, "Capture…")
    assert until(lambda: window.net.hub.watch.counts().captured > 20)
    press(window, "Capture…")
    rig.do("quiet")
    assert until(lambda: (tmp_path / "heard.pcapng").stat().st_size > 5000)
    answer_file_dialog(str(tmp_path / "heard.pcapng"))
    press(window, "Play back…")
    assert until(lambda: "would fight" in window.notice.words)  # while we send ourselves
    click(window.bar.sign)
    window.notice.clear()
    answer_file_dialog(str(tmp_path / "heard.pcapng"))
    press(window, "Play back…")
    assert until(lambda: "has been played back" in window.notice.words, 15)


def test_a_watch_that_dies_comes_back_and_the_page_goes_on(make_window, rig: RigClient) -> None:
    window = make_window(lantern_tide(), rig.address, page="Routes")
    assert until(lambda: window.bench.known.network and window.bench.known.network.looked)
    os.kill(window.net.hub.watch.pid, signal.SIGKILL)
    assert until(lambda: window.net.hub.watch.restarts == 1, 8)
    time.sleep(0.2)
    assert (
        until(lambda: all(not n.silent for n in window.net.view.nodes))
        and len(window.net.view.nodes) == 2
    )


def test_universes_are_assigned_in_order_and_expected_nodes_changed_with_their_outputs_following(
    make_window, demo: Show
) -> None:
    window = make_window(replace(demo, outputs=()), page="Routes")
    bench, page = window.bench, window.pages["Routes"]
    press(window, "Assign in order…")
    asked = dialog()
    retype(child(asked, "Universes"), "1-4")
    press(asked, "Assign them")
    assert "4 universes need as many ports" in asked.trouble.text()
    retype(child(asked, "Universes"), "1-2")
    retype(child(asked, "Node"), "ferry b")
    press(asked, "Assign them")
    assert until(
        lambda: [(o.universe, o.port_address) for o in bench.show.outputs] == [(1, 16), (2, 17)]
    )
    first = identity(bench.show).cid
    page.show_view("Nodes")
    take_row(page.nodes.table, 1)
    press(window, "nodes Change it…")
    asked = dialog()
    assert (
        child(asked, "Name").text() == "Ferry B"
        and child(asked, "Port-addresses").text() == "16, 17"
    )
    retype(child(asked, "Address"), "127.0.0.2")
    press(asked, "Expect it so")
    assert "listed already" in asked.trouble.text()
    retype(child(asked, "Address"), "127.0.0.30")
    retype(child(asked, "Port-addresses"), "0.2.0, 0.2.1")
    retype(child(asked, "Takes at most (universes)"), "1")
    press(asked, "Expect it so")
    assert until(
        lambda: (
            [(o.host, o.port_address) for o in bench.show.outputs]
            == [("127.0.0.30", 32), ("127.0.0.30", 33)]
        )
    )
    assert any(s.rule == "over-cap" for s in bench.known.snags)
    bench.commit("another name", replace(bench.show, name="Lantern Ebb"))
    assert identity(bench.show).cid == first  # receivers still know who it is
    press(window, "nodes Remove it")
    assert [n.name for n in bench.show.nodes] == ["Ferry A"]
    shortcut(window, Qt.Key.Key_Z)
    assert len(bench.show.nodes) == 2


def test_what_a_node_does_not_take_is_said_and_the_show_does_not_follow(
    make_window, demo: Show, rig: RigClient
) -> None:
    window = make_window(demo, rig.address, page="Routes")
    bench, nodes = window.bench, window.pages["Routes"].nodes
    rig.do("node", name="Ferry A", fixed=True)
    window.pages["Routes"].show_view("Nodes")
    assert until(
        lambda: (
            bench.known.network
            and bench.known.network.looked
            and not bench.known.network.nodes[0].direction_able
        )
    )
    take_row(nodes.table, 0)
    type_in_cell(nodes.port_table, 0, 4, "in")
    press(window, "Set at the node…")
    assert "does not let its ports change direction" in window.notice.words
    type_in_cell(nodes.port_table, 0, 4, "in off")
    assert nodes.ports.index(0, 4).data() == "in off"
    type_in_cell(nodes.port_table, 0, 4, "sideways")
    assert nodes.ports.index(0, 4).data() == "in off"
    type_in_cell(nodes.port_table, 0, 4, "out")
    type_in_cell(nodes.port_table, 0, 3, "not a number")
    assert nodes.ports.index(0, 3).data() == ""  # what cannot be is not taken
    type_in_cell(nodes.port_table, 0, 3, "0.0.7")
    press(window, "Set at the node…")
    asked = dialog("set node")
    rig.do("node", name="Ferry A", on=False)  # its plug is pulled in this very moment
    before = bench.show
    press(asked, "Set node")
    assert until(lambda: "did not take everything" in asked.trouble.text(), 15)
    assert bench.show is before and asked.isVisible()
    asked.reject()
    silent = until(lambda: bench.known.network.nodes[0].silent, 15)
    assert silent and nodes.model.rows[0].state == "does not answer"
    take_row(nodes.table, 0)
    press(window, "Set at the node…") if nodes.set.isEnabled() else None
    assert bench.show is before


def test_an_adapter_is_chosen_kept_and_one_that_is_gone_is_told(make_window, demo: Show) -> None:
    window = make_window(demo, page="Routes")
    bench, view = window.bench, window.pages["Routes"].network
    shortcut(window, Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    assert until(lambda: bench.known.network and bench.known.network.adapters)
    choose(view.by["artnet"], "lo, 127.0.0.1")
    view.by["artnet"].activated.emit(view.by["artnet"].currentIndex())
    assert (
        bench.known.network.choices["artnet"].why == "chosen by you"
        and window.settings.adapters["artnet"] == "127.0.0.1"
    )
    window.net.choose("sacn", "9.9.9.9")  # as it was kept on another day
    view.refresh()
    assert "9.9.9.9 (not there)" in view.by["sacn"].currentText()
    bench.commit(
        "sacn", core.change_output(bench.show, "o1", protocol="sacn", delivery="multicast", sacn=1)
    )
    assert until(
        lambda: any(s.rule == "adapter-gone" and "9.9.9.9" in s.text for s in bench.known.snags)
    )
    window.net.choose("sacn", "")
    assert until(lambda: not any(s.rule == "adapter-gone" for s in bench.known.snags))
    view.source.setFocus()
    retype(view.source, "Barge hub")
    click(view.changed_only)
    view.changed_only.setChecked(True)
    assert bench.show.sending.source == "Barge hub" and identity(bench.show).source == "Barge hub"
    assert until(lambda: bench.show.sending.changed_only)


def test_what_we_send_is_compared_with_what_arrives(make_window, demo: Show) -> None:
    show = core.change_output(
        demo, "o1", protocol="sacn", delivery="unicast", host="127.0.0.1", sacn=1
    )
    window = make_window(show, page="Routes")
    bench, watch = window.bench, window.pages["Routes"].watch
    window.pages["Routes"].show_view("Watch")
    click(window.bar.sign)
    bench.levels.change(lambda live: live.light_up(["u101"]))
    assert until(lambda: [(s.number, own) for s, _, own, _ in watch.model.rows] == [(1, True)])
    assert until(lambda: watch.model.index(0, 7).data() == "arrives as sent")
    assert (
        "Lantern Tide (this show)" in watch.model.index(0, 1).data()
        and watch.slots.index(0, 0).data() == "101"
    )
    arrived = [int(v) for v in watch.slots.index(0, 3).data().split()]
    assert arrived[4] == 255  # its dimmer
    for which, dimmer in (("what we send", 255), ("the difference", 0)):
        choose(watch.which, which)
        assert until(lambda d=dimmer: int(watch.slots.index(0, 3).data().split()[4]) == d)
    click(window.bar.sign)
    assert until(
        lambda: watch.model.index(0, 6).data() == "ended"
    )  # told by the stream itself, not guessed from silence
    assert not any(s.rule == "second-sender" for s in bench.known.snags)


def test_outputs_that_wait_to_be_asked_for_find_their_nodes_and_follow_them(
    make_window, rig: RigClient
) -> None:
    show = lantern_tide()
    for output in ("o1", "o2", "o3"):
        show = core.change_output(show, output, delivery="asked", host="")
    window = make_window(show, page="Routes")  # no one looks for nodes yet
    assert not window.net.view.looking
    click(window.bar.sign)
    window.bench.levels.change(lambda live: live.light_up(["u101", "u401"]))
    assert until(lambda: set(lit(rig)) == {"101", "401"}) and window.net.view.looking
    rig.do("node", name="Ferry B", ports=[40, 41])  # set at the node itself, by hand
    assert until(
        lambda: any(
            s.rule == "no-listener" and "Universe 3" in s.text for s in window.bench.known.snags
        )
    )
    window.bench.commit("follow", core.change_output(window.bench.show, "o3", port_address=40))
    window.bench.levels.change(lambda live: live.set_intensity(["u401"], 0.5))
    assert until(lambda: 0.3 < lit(rig).get("401", 0) < 0.7)


def test_wrong_values_in_the_output_question_are_told_while_they_are_typed_and_change_nothing(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Routes")
    before = window.bench.show
    window.pages["Routes"].routes.add()
    asked = dialog()
    for name, wrong, right, says in (
        ("Universe", "70000", "4", "is not a universe"),
        ("Host", "300.0.0.1", "127.0.0.3", "not an IPv4 address"),
        ("Host", "", "127.0.0.3", "no address to go to"),
        ("Port-address", "0.99.1", "0.1.1", "not an Art-Net port-address"),
        ("Step", "x", "1", "not an sACN universe"),
    ):
        retype(child(asked, name), wrong)
        press(asked, "Add it")
        assert says in asked.trouble.text() and window.bench.show is before and asked.isVisible(), (
            name
        )
        retype(child(asked, name), right)
    assert (
        "Universe 4 goes out as Art-Net 0.1.1 = 17" in asked.told.text()
        and "Counted" not in asked.trouble.text()
    )
    press(asked, "Add it")
    assert until(lambda: len(window.bench.show.outputs) == 4)
    window.pages["Routes"].routes.add()
    again = dialog()
    retype(child(again, "Universe"), "4")
    retype(child(again, "Host"), "127.0.0.3")
    retype(child(again, "Port-address"), "17")
    press(again, "Add it")
    assert "already" in again.trouble.text() and len(window.bench.show.outputs) == 4
    again.reject()


def test_the_stand_in_has_a_window_of_its_own_that_ends_when_told(rig: RigClient) -> None:
    place = f"{rig.address[0]}:{rig.address[1]}"
    with subprocess.Popen(
        [sys.executable, "-m", "isthmus.app.shell.main", "--rig-window", place],
        stderr=subprocess.PIPE,
        text=True,
    ) as window:
        assert until(lambda: catches_signals(window.pid)) and window.poll() is None
        window.terminate()
        assert window.wait(60) == 0 and window.stderr and not window.stderr.read().strip()
    assert len(rig.ask("state")["units"]) == 66


def test_hundreds_of_universes_are_drawn_where_they_are_and_led_all_the_same(
    make_window, demo: Show
) -> None:
    nodes = tuple(
        Node(
            id=f"n{i}",
            name=f"Node {i}",
            ip=f"127.0.1.{i + 1}",
            ports=tuple(range(i * 8, i * 8 + 8)),
        )
        for i in range(40)
    )
    outputs = tuple(
        Output(id=f"x{n}", universe=n + 1, host=f"127.0.1.{n // 8 + 1}", port_address=n)
        for n in range(300)
    )
    window = make_window(replace(demo, nodes=nodes, outputs=outputs), page="Routes")
    picture, bench = window.pages["Routes"].routes.picture, window.bench
    assert len(picture.lines()) == 300 and all(
        not path.isEmpty() for path in picture.lines().values()
    )
    boxes = list(picture.universe_boxes().values())
    assert (
        all(a.bottom() < b.top() for a, b in zip(boxes, boxes[1:], strict=False))
        and picture.height() >= boxes[-1].bottom()
    )
    key(picture, Qt.Key.Key_Down)
    assert window.pages["Routes"].routes.ids() == ["x0"]
    free = picture.port_boxes()["127.0.1.40", 319]
    drag(picture, picture.pill_boxes()["x299"].center(), free.center())
    moved = bench.show.outputs[-1]
    assert (moved.host, moved.port_address) == ("127.0.1.40", 319)
    assert (
        picture.lines()["x299"].currentPosition().y() == free.center().y()
    )  # laid out again after the edit
