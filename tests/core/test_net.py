"""The network by calculating: same network or not, the nearest change, the address plan, found against expected, settings."""

from __future__ import annotations

import ipaddress

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.demo import lantern_tide
from isthmus.errors import EntryFault
from isthmus.net import Adapter, Choice, FoundNode, FoundPort, View, check, choose, compare, ipv4
from isthmus.net.found import Finder
from isthmus.net.plan import RANGES, plan, sheet
from isthmus.net.setting import (
    PortWish,
    Wish,
    after,
    before_after,
    expected_after,
    left_undone,
    packets,
    silences,
)
from isthmus.routes import add_output
from isthmus.routes import edits as route_edits
from isthmus.show.records import Node, Show
from isthmus.snags import SnagBook
from isthmus.standin.node import Node as SimNode
from isthmus.standin.scenario import SimNode as SimSettings
from isthmus.watch import Source
from isthmus.wire import artnet

addresses = st.integers(1 << 24, (224 << 24) - 1).map(lambda n: str(ipaddress.IPv4Address(n)))
masks = st.integers(8, 30).map(ipv4.mask_of)
ETH = Adapter("eth0", "2.0.0.5", "255.0.0.0", True, 1000, "02:00:00:00:00:05")
LO = Adapter("lo", "127.0.0.1", "255.0.0.0")


@given(addresses, masks, addresses)
def test_same_network_is_what_the_standard_library_says_and_the_words_say_it_too(
    a: str, mask: str, b: str
) -> None:
    oracle = ipaddress.ip_address(b) in ipaddress.ip_network(f"{a}/{mask}", strict=False)
    assert ipv4.same(a, mask, b) == oracle
    assert ipv4.broadcast(a, mask) == str(
        ipaddress.ip_network(f"{a}/{mask}", strict=False).broadcast_address
    )
    words = ipv4.explain("eth0", a, mask, "the node", b)
    assert ("The same network" in words) == oracle and mask in words


@given(addresses, masks, addresses, st.sampled_from(["", *map(ipv4.mask_of, (8, 16, 24))]))
def test_every_way_offered_does_bring_the_two_together(
    a: str, mask: str, b: str, node_mask: str
) -> None:
    assume(not ipv4.same(a, mask, b))
    ways = ipv4.ways_to_meet("eth0", a, mask, "the node", b, node_mask, frozenset({a, b}))
    assert ways and [w.bits for w in ways] == sorted(w.bits for w in ways)
    for way in ways:
        net = ipaddress.ip_network(f"{way.address}/{way.mask}", strict=False)
        assert ipaddress.ip_address(a if way.end == "node" else b) in net
        if way.address != a:
            assert way.address not in (a, b, str(net.network_address), str(net.broadcast_address))
        assert all("ip address" in command for command in way.commands) and (
            way.end == "node" or way.commands
        )


def test_masks_with_holes_are_told_and_a_wrong_range_gets_the_nearest_fix() -> None:
    with pytest.raises(EntryFault, match="gap"):
        ipv4.prefix("255.0.255.0")
    node = ipv4.ways_to_meet("eth0", "192.168.1.5", "255.255.255.0", "Ferry A", "192.168.0.20")
    assert node[0].end == "node" and node[0].address == "192.168.1.20"  # one number of it changes
    assert "ip address add 192.168.1.5/16 dev eth0" in [
        c for w in node for c in w.commands
    ]  # or the mask is widened


def test_adapters_are_chosen_by_what_they_reach_and_never_by_chance() -> None:
    other = Adapter("eth1", "10.0.0.5", "255.0.0.0")
    assert choose([other, ETH, LO], "", ["2.0.0.9", "2.1.1.1", "10.0.0.9"]).adapter is ETH
    assert (
        choose([ETH, LO], "", ["127.0.0.2"]).adapter is LO
    )  # nothing leaves the machine that need not
    assert (
        choose([ETH, LO], "", ["10.0.0.9"]).adapter is LO
        and choose([ETH, LO], "eth0", ["10.0.0.9"]).adapter is ETH
    )
    gone = choose([LO], "eth0", ["2.0.0.9"])
    assert gone.adapter is None and "not there" in gone.why


def show_with(*nodes: Node) -> Show:
    show = replace(Show(), nodes=nodes)
    for at, node in enumerate(nodes):
        show = add_output(show, at + 1, node.ip, node.ports[0])
    return show


A = Node(id="a", name="Ferry A", ip="2.0.0.10", ports=(0, 1))


def test_troubles_are_told_with_their_reckoning_and_go_when_they_are_fixed() -> None:
    def kinds(
        show: Show, *adapters: Adapter, wanted: str = "", found: tuple[FoundNode, ...] = ()
    ) -> list[str]:
        choices = {
            p: choose(adapters, wanted, [h for o in show.outputs for h in o.hosts])
            for p in ("artnet", "sacn")
        }
        return [t.kind for t in check(show, adapters, choices, found)]

    away = replace(A, ip="10.0.0.10")
    assert kinds(show_with(A), ETH, LO) == []
    assert kinds(show_with(away), ETH, LO) == ["outside"]
    fix = next(t for t in check(show_with(away), [ETH], {}, ()) if t.kind == "outside").ways
    here = next(w for w in fix if w.end == "here")
    assert kinds(show_with(away), ETH, Adapter("eth0", here.address, here.mask), LO) == []
    assert kinds(
        show_with(A), Adapter("eth0", "2.0.0.5", "255.0.0.0", up=False), LO, wanted="eth0"
    ) == ["link-down"]
    assert kinds(show_with(A), ETH, LO, wanted="eth7") == ["adapter-gone"]
    assert "leads-nowhere" in kinds(
        show_with(away), ETH, Adapter("eth1", "10.0.0.1", "255.0.0.0"), LO, wanted="eth0"
    )
    assert kinds(show_with(replace(A, mask="255.255.255.0")), ETH, LO) == ["mask"]
    twin = FoundNode("2.0.0.10", "Ferry A", "", (), ("02:00", "02:01"))
    assert "twice" in kinds(show_with(A), ETH, LO, found=(twin,)) and "twice" in kinds(
        show_with(replace(A, ip="2.0.0.5")), ETH, LO
    )


@given(st.lists(addresses, max_size=30), st.sampled_from(list(RANGES)))
def test_an_address_plan_gives_each_device_an_address_of_its_own_in_the_range(
    ips: list[str], wanted: str
) -> None:
    nodes = [Node(id=str(i), name=f"Node {i}", ip=ip, ports=(0,)) for i, ip in enumerate(ips)]
    lines = plan([ETH, LO], nodes, wanted)
    base, bits = RANGES[wanted]
    net = ipaddress.ip_network(f"{base}/{bits}")
    assert len(lines) == len(nodes) + 1 and len({line.address for line in lines}) == len(lines)
    assert all(
        ipaddress.ip_address(line.address) in net and line.mask == str(net.netmask)
        for line in lines
    )
    kept = [line for line in lines if line.stays]
    assert all(ipaddress.ip_address(line.now) in net for line in kept) and all(
        line.name in sheet("x", lines) for line in lines
    )
    again = plan(
        [replace_adapter(lines[0].address, lines[0].mask)],
        [replace(n, ip=x.address) for n, x in zip(nodes, lines[1:], strict=True)],
        wanted,
    )
    assert all(line.stays for line in again)  # a plan that is kept to asks nothing more


def replace_adapter(ip: str, mask: str) -> Adapter:
    return Adapter("eth0", ip, mask)


# ---------------------------------------------------------------- found against expected


def answering(*nodes: SimNode, now: float = 100.0) -> tuple[FoundNode, ...]:
    """What a finder makes of the answers of simulated nodes."""
    finder = Finder()
    for node in nodes:
        for packet, _ in node.handle(artnet.encode_poll(), "127.0.0.1", now):
            reply = artnet.decode(packet)
            assert isinstance(reply, artnet.ArtPollReply)
            finder.take(reply, node.ip, now)
    return finder.nodes(now)


def sim(**changes: object) -> SimNode:
    return SimNode(
        SimSettings(**{"name": "Ferry A", "ip": "127.0.0.2", "ports": (0, 1), **changes})
    )


def test_a_node_with_many_ports_answers_in_pages_that_are_put_together() -> None:
    ports = (*range(6), 16, 17, 300)
    (found,) = answering(sim(ports=ports, inputs=(2,)))
    assert [p.number for p in found.ports] == list(ports) and [
        p.index for p in found.ports
    ] == list(range(1, 10))
    assert [p.bind_index for p in found.ports] == [1, 1, 1, 1, 2, 2, 3, 3, 4] and [
        p.direction for p in found.ports
    ].count("in") == 1


@pytest.mark.parametrize(
    ("reality", "kind", "says"),
    [
        ({}, "", ""),
        ({"ports": (0, 5)}, "universe", "listens to Art-Net 0.0.5 = 5"),
        ({"inputs": (1,)}, "direction", "takes DMX in"),
        ({"ip": "127.0.0.9"}, "moved", "answers at 127.0.0.9"),
        ({"ip": "127.0.0.9", "name": "Skiff"}, "missing", "does not answer"),
        ({"twin": True}, "twice", "2 devices have the address"),
        ({"ports": (0,)}, "fewer", "has 1 port;"),
    ],
)
def test_what_answers_is_compared_with_what_is_expected_and_can_be_taken(
    reality: dict, kind: str, says: str
) -> None:
    show = add_output(
        replace(Show(), nodes=(Node(id="a", name="Ferry A", ip="127.0.0.2", ports=(0, 1)),)),
        1,
        "127.0.0.2",
        0,
    )
    found = answering(sim(**reality))
    differences = compare(show, found)
    assert [d.kind for d in differences if d.kind != "new"] == ([kind] if kind else [])
    if kind:
        first = next(d for d in differences if d.kind == kind)
        assert says in first.text
        if first.edit:
            taken = first.edit(show)
            assert not [d for d in compare(taken, found) if d.kind == kind]
            assert (
                taken.outputs[0].host == taken.nodes[0].ip
                and taken.outputs[0].port_address == taken.nodes[0].ports[0]
            )  # the output follows
    new = [d for d in differences if d.kind == "new"]
    assert bool(new) == (reality.get("name") == "Skiff")
    for d in new:
        assert d.edit and not [x for x in compare(d.edit(show), found) if x.kind == "new"]


# ---------------------------------------------------------------- setting a node


def set_it(node: SimNode, found: FoundNode, wish: Wish) -> FoundNode:
    for packet in packets(found, wish):
        node.handle(packet, "127.0.0.1", 100.0)
    return answering(node)[0]


@given(
    st.lists(st.integers(0, 0x7FFF), min_size=1, max_size=9),
    st.integers(1, 9),
    st.integers(0, 0x7FFF),
    st.sampled_from([None, "in", "out"]),
    st.sampled_from([None, "htp", "ltp"]),
)
def test_a_node_that_is_set_becomes_what_the_after_column_promised(
    ports: list[int], index: int, number: int, way: str | None, merge: str | None
) -> None:
    node = sim(ports=tuple(ports))
    (found,) = answering(node)
    assume(index <= len(found.ports))
    wish = Wish("Skiff", "", (PortWish(index, number, way, merge),))
    promised = after(found, wish)
    real = set_it(node, found, wish)
    assert real.name == "Skiff" and left_undone([real], found, wish) == []
    assert sorted(p.number for p in real.ports) == sorted(p.number for p in promised)
    lines = before_after(found, wish)
    assert (any(not x.along for x in lines if x.what == f"Port {index}")) == (
        promised[index - 1] != found.ports[index - 1]
    )
    assert not left_undone([found], found, Wish()) and (
        lines == before_after(found, Wish()) or lines
    )


def test_setting_tells_what_goes_dark_what_goes_along_and_what_cannot_be() -> None:
    node = sim(ports=(0, 1, 2, 3))
    (found,) = answering(node)
    show = replace(
        Show(), nodes=(Node(id="a", name="Ferry A", ip="127.0.0.2", ports=(0, 1, 2, 3)),)
    )
    show = add_output(add_output(show, 7, "127.0.0.2", 1), 8, "127.0.0.2", 2)
    wish = Wish(ports=(PortWish(1, number=0x25),))
    lines = before_after(found, wish)
    assert [(x.what, x.along) for x in lines] == [
        ("Port 1", False),
        ("Port 2", True),
        ("Port 3", True),
        ("Port 4", True),
    ]  # one page, one sub-net
    assert [words.split(" with")[0] for words in silences(show, found, wish)] == [
        "Universe 7",
        "Universe 8",
    ]
    followed = expected_after(show, found, wish)
    assert followed.nodes[0].ports == (0x25, 0x21, 0x22, 0x23) and [
        o.port_address for o in followed.outputs
    ] == [0x21, 0x22]
    with pytest.raises(EntryFault, match="share net and sub-net"):
        packets(found, Wish(ports=(PortWish(1, number=0x25), PortWish(2, number=0x35))))
    with pytest.raises(EntryFault, match="does not let its ports change direction"):
        packets(answering(sim(fixed=True))[0], Wish(ports=(PortWish(1, direction="in"),)))
    moved = Wish(ip="127.0.0.8", mask="255.0.0.0")
    assert len(silences(show, found, moved)) == 2
    for packet in packets(found, moved):
        node.handle(packet, "127.0.0.1", 100.0)
    assert (
        node.ip == "127.0.0.8" and expected_after(show, found, moved).outputs[0].host == "127.0.0.8"
    )
    assert left_undone([found], found, Wish("Skiff"))[0].startswith("its name is still")
    silenced = set_it(
        node, answering(node)[0], Wish(ports=(PortWish(2, direction="in", disabled=True),))
    )  # ArtAddress, then ArtInput
    assert (
        silenced.ports[1].direction == "in"
        and silenced.ports[1].disabled
        and not silenced.ports[0].disabled
    )
    assert ("Port 2", "input off", "input on") in {
        (x.what, x.before, x.after)
        for x in before_after(silenced, Wish(ports=(PortWish(2, disabled=False),)))
    }
    deaf = FoundPort(1, 1, 1, "out", 0)
    assert not silences(
        show, FoundNode("127.0.0.2", "x", "", (deaf,)), Wish(ports=(PortWish(1, merge="ltp"),))
    )


def test_a_spare_is_offered_takes_over_and_two_may_change_places() -> None:
    show = replace(
        Show(), nodes=(A, Node(id="b", name="Ferry B", ip="2.0.0.11", ports=(16, 17), spare=True))
    )
    show = add_output(add_output(show, 1, A.ip, 0), 2, A.ip, 1)
    with pytest.raises(EntryFault, match="Nothing stands by"):
        route_edits.take_over(show, "a")
    spared = route_edits.mirror(show, "a", "b", "spare")
    assert [o.enabled for o in spared.outputs] == [True, True, False, False] and len(
        route_edits.spares_for(spared, "a")
    ) == 2
    taken = route_edits.take_over(spared, "a")
    assert [o.enabled for o in taken.outputs] == [False, False, True, True] and {
        o.host for o in taken.outputs if o.enabled
    } == {"2.0.0.11"}
    both = route_edits.mirror(show, "a", "b")
    assert all(o.enabled for o in both.outputs) and [o.number for o in both.outputs if o.role] == [
        16,
        17,
    ]
    with pytest.raises(EntryFault, match="left to be mirrored"):
        route_edits.mirror(both, "a", "b")


# ---------------------------------------------------------------- what is known, and the snags that rest on it

found_ports = st.builds(
    FoundPort,
    index=st.integers(1, 3),
    bind_index=st.just(1),
    slot=st.integers(1, 3),
    direction=st.sampled_from(["in", "out"]),
    number=st.integers(0, 18),
    protocol=st.sampled_from(["artnet", "sacn"]),
    merging=st.booleans(),
)
found_nodes = st.builds(
    FoundNode,
    ip=st.sampled_from(["127.0.0.2", "127.0.0.3", "127.0.0.9", "10.0.0.4"]),
    name=st.sampled_from(["Ferry A", "Ferry B", "Skiff", ""]),
    long_name=st.just(""),
    ports=st.lists(found_ports, max_size=3).map(tuple),
    macs=st.sampled_from([(), ("02:00",), ("02:00", "02:01")]),
    mask=st.sampled_from(["", "255.0.0.0", "255.255.255.0"]),
    age=st.sampled_from([0.0, 20.0]),
)
sources = st.builds(
    Source,
    kind=st.sampled_from([1, 2]), number=st.integers(0, 4), ip=st.sampled_from(["127.0.0.1", "127.0.0.99"]), port=st.just(6454),
    name=st.sampled_from(["", "Quay desk"]), cid=st.just("00" * 16), priority=st.integers(0, 200), rate=st.just(40.0), packets=st.just(1),
    lost=st.just(0), age=st.sampled_from([0.0, 9.0]), since=st.just(1.0), length=st.just(512), sync=st.just(0), preview=st.booleans(),
    ended=st.booleans(), per_address=st.booleans(), row=st.just(0),
)  # fmt: skip
views = st.builds(
    View,
    adapters=st.sampled_from(
        [(), (LO,), (ETH, LO), (Adapter("eth0", "10.0.0.5", "255.0.0.0", up=False), LO)]
    ),
    choices=st.sampled_from(
        [
            {p: Choice(a, "", w) for p in ("artnet", "sacn")}
            for a in (None, ETH, LO)
            for w in ("", "eth0")
        ]
    ),
    nodes=st.lists(found_nodes, max_size=4, unique_by=lambda n: n.ip).map(tuple),
    sources=st.lists(sources, max_size=4).map(tuple),
    looked=st.booleans(),
)
steps = st.one_of(
    st.tuples(st.just("view"), views),
    st.tuples(st.just("number"), st.integers(0, 20)),
    st.tuples(st.just("off"), st.sampled_from(["o1", "o2", "o3"])),
    st.tuples(st.just("node"), st.sampled_from(["127.0.0.9", "10.0.0.4", "127.0.0.2"])),
)


@pytest.mark.slow
@given(st.lists(steps, min_size=1, max_size=8))
@settings(max_examples=10)
def test_snags_kept_in_step_with_show_and_network_are_those_made_anew(
    run: list[tuple[str, object]],
) -> None:
    """Whatever is heard and edited, in any order; and every fix that is offered can be done."""
    show, view, book = lantern_tide(), None, SnagBook()
    for kind, value in run:
        try:
            if kind == "view":
                view = value
            elif kind == "number":
                show = route_edits.change_output(show, "o2", port_address=value)
            elif kind == "off":
                show = route_edits.change_output(show, str(value), enabled=False)
            else:
                show = route_edits.change_node(show, "ferry-b", ip=str(value))
        except EntryFault:
            continue
        kept = book.update(show, view).snags
        fresh = SnagBook().update(show, view).snags
        assert sorted((s.rule, s.text, s.severity, s.universe) for s in kept) == sorted(
            (s.rule, s.text, s.severity, s.universe) for s in fresh
        )
    for snag in book.snags:
        assert snag.text.strip() and (snag.page != "Routes" or snag.text.endswith("."))
        if snag.fix and snag.page == "Routes":
            try:
                assert snag.fix.edit(show) != show
            except EntryFault as error:
                assert str(error)
