"""Phones: who may come in, what they may do, and that nothing marked is lost or counted twice."""

from __future__ import annotations

import asyncio
import io
import json
import threading
import time
from collections.abc import Awaitable, Callable

import aiohttp
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from helpers.browser import BROWSER, TAKE_PICTURE, Browser, Cut
from helpers.tools import until
from isthmus.check import Manner, begin, jump, mark, step
from isthmus.check.verdicts import tally
from isthmus.demo import lantern_tide
from isthmus.errors import EntryFault, IsthmusError, NetworkFault
from isthmus.output import Live
from isthmus.phone.door import LONGEST, MAX_PHONES, Door, Phone
from isthmus.phone.pace import A_SECOND, AT_ONCE
from isthmus.phone.server import Op, PhoneServer, clean_picture, read_op
from isthmus.phone.shown import is_stop, state_of, take_mark, take_picture, unit_called
from isthmus.show import Show


class Hub:
    """What the window does with operations, without a window: applied one by one, then acknowledged."""

    def __init__(self, show: Show) -> None:
        self.show, self.live = show, Live(show)
        self.call = begin(show, self.live, Manner())
        self.applied: list[Op] = []
        self.sending = True
        self._lock = threading.Lock()
        self.server = PhoneServer("127.0.0.1", self.take, port=0)
        self.server.start()
        self.say()

    def say(self) -> None:
        self.server.publish(state_of(self.show, self.call, self.sending))

    def take(self, op: Op) -> None:
        with self._lock:
            try:
                if op.do == "mark":
                    self.show = take_mark(self.show, op)
                    if is_stop(self.call.stop, op):
                        self.call = step(self.call, self.show, self.live, 1)
                elif op.do == "picture":
                    self.show = take_picture(self.show, op)
                elif op.do == "step":
                    self.call = step(self.call, self.show, self.live, op.data["by"])
                elif op.do == "jump":
                    self.call = jump(self.call, self.show, self.live, unit_called(self.show, op))
                self.applied.append(op)
            except IsthmusError as error:
                self.server.acknowledge(op, False, str(error))
            else:
                self.server.acknowledge(op, True)
        self.say()


@pytest.fixture
def hub(demo: Show):
    made = Hub(demo)
    yield made
    made.server.stop()


# ---------------------------------------------------------------- the door


def test_a_code_lets_one_in_and_wrong_ones_cost_ever_more_time() -> None:
    now = [0.0]
    door = Door(lambda: now[0])
    code = door.code
    ada = door.join(code.lower() + " ", "Ada", "10.0.0.1")
    assert ada is not None and door.code != code and door.join(code, "Eve", "10.0.0.2") is None
    waits = []
    for _ in range(12):
        now[0] += door.wait_of("10.0.0.2")
        assert door.join("WRONG!", "Eve", "10.0.0.2") is None
        waits.append(door.wait_of("10.0.0.2"))
    assert waits == sorted(waits) and waits[-1] == LONGEST and waits[0] == 0
    assert (
        door.join(door.code, "Eve", "10.0.0.2") is None
    )  # even the right one, as long as it must wait
    assert door.join(door.code, "Ada", "10.0.0.3").name == "Ada′"  # others are not kept waiting
    assert {r.why for r in door.refused} == {"a wrong code", "tried again too soon"}
    for n in range(MAX_PHONES):
        door.join(door.code, f"P{n}", "10.0.0.4")
    assert len(door.phones) == MAX_PHONES and "phones already" in door.refused[-1].why
    door.leave(ada.token)
    assert door.of(ada.token) is None and door.of("") is None


@given(
    st.one_of(
        st.text(max_size=200),
        st.dictionaries(
            st.sampled_from(["id", "do", "ago", "units"]), st.integers() | st.text(max_size=5)
        ).map(json.dumps),
    )
)
@settings(max_examples=15)
def test_nothing_a_phone_can_say_upsets_the_desk(text: str) -> None:
    op = read_op(Phone("t", "Ada", "10.0.0.1", 0, 0), text)
    assert op is None or (op.do in ("mark", "begin", "step", "jump", "act") and op.ago >= 0)
    for data in (
        {},
        {"units": "u101"},
        {"units": [], "result": "works"},
        {"units": [7], "result": "works"},
        {"units": ["u101"], "result": text},
    ):
        with pytest.raises(EntryFault):
            take_mark(lantern_tide(), Op("Ada", "t", "1", "mark", data, 0.0))


def test_an_older_mark_never_hides_a_newer_one_and_is_not_lost_either(demo: Show) -> None:
    show = take_mark(demo, Op("Ada", "a", "1", "mark", {"units": ["u101"], "result": "works"}, 0.0))
    late = Op(
        "Ben",
        "b",
        "2",
        "mark",
        {"units": ["u101"], "result": "silent", "note": "dark from here"},
        3600.0,
    )
    kept = next(v for v in take_mark(show, late).verdicts if v.unit == "u101")
    assert (
        kept.result == "works"
        and kept.by == "Ada"
        and "Ben" in kept.note
        and "silent; dark from here" in kept.note
    )
    newer = Op(
        "Ben", "b", "3", "mark", {"units": ["u101"], "result": "wrong", "what": ["tilt", 5]}, 0.0
    )
    again = next(
        v
        for v in take_mark(mark(show, "u101", "works", at="2020-01-01T00:00:00"), newer).verdicts
        if v.unit == "u101"
    )
    assert again.result == "wrong" and again.what == ("tilt",) and again.by == "Ben"
    # the clock was set back since: what is marked now is newer all the same
    ahead = mark(show, "u101", "works", at="2099-01-01T00:00:00")
    assert next(v for v in take_mark(ahead, newer).verdicts if v.unit == "u101").by == "Ben"


def test_pictures_are_made_small_and_stripped_and_kept_with_the_verdict(demo: Show) -> None:
    big = io.BytesIO()
    exif = Image.Exif()
    exif[0x010E] = "where I live"
    Image.new("RGB", (3000, 1000), (90, 20, 10)).save(big, "JPEG", exif=exif)
    made = clean_picture(big.getvalue())
    with Image.open(io.BytesIO(made)) as picture:
        assert picture.size == (1600, 533) and not picture.getexif()
    for bad in (b"", b"GIF89a", made[:200], b"\xff\xd8" + bytes(500)):
        assert clean_picture(bad) == b""
    op = Op("Ada", "a", "1", "picture", {"unit": "u101"}, 0.0, made)
    seen = take_picture(demo, op)  # taken before anything was marked
    assert seen.verdicts[0].result == "skipped" and tally(seen)["left"] == len(demo.units)
    show = take_mark(
        seen,
        Op("Ada", "a", "2", "mark", {"units": ["u101"], "result": "wrong", "others": "105"}, 0.0),
    )
    assert show.files[-1].data == made and show.verdicts[0].picture == show.files[-1].name
    assert show.verdicts[0].what == ("other",) and show.verdicts[0].others == ("u105",)
    assert take_picture(show, op).files == show.files
    with pytest.raises(EntryFault):
        take_picture(demo, Op("Ada", "a", "3", "picture", {"unit": "no one"}, 0.0, made))


# ---------------------------------------------------------------- the server, asked without a page


def talk(work: Callable[[aiohttp.ClientSession], Awaitable[object]]) -> object:
    async def go() -> object:
        async with aiohttp.ClientSession(cookie_jar=aiohttp.CookieJar(unsafe=True)) as session:
            return await work(session)

    return asyncio.run(go())


def test_only_what_roll_call_needs_is_reachable_and_only_for_those_who_joined(hub: Hub) -> None:
    url = hub.server.url

    async def work(session: aiohttp.ClientSession) -> None:
        for path in ("", "page.js", "page.css"):
            async with session.get(url + path) as got:
                assert (
                    got.status == 200
                    and "default-src 'none'" in got.headers["Content-Security-Policy"]
                )
        for path in (
            "etc/passwd",
            "../server.py",
            "page/../../door.py",
            "%2e%2e/door.py",
            "show.json",
        ):
            async with session.get(url + path) as got:
                assert got.status == 404
        async with session.get(url + "ws") as got:
            assert got.status == 401
        async with session.post(url + "picture?unit=u101&id=1", data=b"x") as got:
            assert got.status == 401
        async with session.get(url, headers={"Host": "quay.example"}) as got:
            assert got.status == 421  # a name of elsewhere that was made to lead here
        for body in ("{", '{"code": "nope"}', "[]", "x" * 5000, "[" * 1900, "7"):
            async with session.post(url + "join", data=body) as got:
                assert got.status in (400, 403)
        async with session.post(
            url + "join", json={"code": hub.server.door.code, "name": "Ada"}
        ) as got:
            assert (
                got.status == 200
                and "HttpOnly" in got.headers["Set-Cookie"]
                and "SameSite=Strict" in got.headers["Set-Cookie"]
            )
        async with session.get(url + "ws", headers={"Origin": "http://elsewhere.example"}) as got:
            assert got.status == 401  # another page in the same browser
        async with session.post(url + "picture?unit=u101&id=2", data=b"no picture") as got:
            assert got.status == 400
        async with session.ws_connect(url + "ws") as ws:
            assert json.loads((await ws.receive()).data) == {"kind": "hello", "name": "Ada"}
            state = json.loads((await ws.receive()).data)
            assert state["number"] == "101" and state["on"] and "profiles" not in state
            op = {"id": "same", "do": "mark", "units": ["u101"], "result": "works", "ago": 0}
            for text in ("{", json.dumps({**op, "do": "save"}), json.dumps(op), json.dumps(op)):
                await ws.send_str(text)
            told = [json.loads((await ws.receive()).data) for _ in range(5)]
            assert [t["kind"] for t in told].count("odd") == 2 and sum(
                t["kind"] == "done" for t in told
            ) >= 1

    talk(work)
    assert until(lambda: len(hub.applied) == 1) and tally(hub.show)["works"] == 1
    token = next(iter(hub.server.door.phones))
    hub.server.put_out(token)
    assert hub.server.door.of(token) is None
    busy = PhoneServer("127.0.0.1", lambda op: None, port=hub.server.port)
    with pytest.raises(NetworkFault, match="cannot be served"):
        busy.start()
    hub.server.stop()
    hub.server.publish({"on": False})  # after the end nothing is upset


# ---------------------------------------------------------------- two phones in a real browser


@pytest.mark.skipif(BROWSER is None, reason="no browser here: apt-get install chromium")
@pytest.mark.network
def test_a_phone_that_marks_without_end_waits_its_turn_and_loses_nothing(hub: Hub) -> None:
    """A hundred at once: those kept while it was away, the rest as fast as hands mark."""

    async def work(session: aiohttp.ClientSession) -> None:
        url = hub.server.url
        async with session.post(
            url + "join", json={"code": hub.server.door.code, "name": "Ada"}
        ) as got:
            assert got.status == 200
        async with session.ws_connect(url + "ws") as ws:
            for at in range(100):
                data = {"units": ["u101"], "result": "works"}
                await ws.send_str(json.dumps({"id": f"m{at}", "do": "mark", **data}))
            await asyncio.sleep(0.5)
            assert len(hub.applied) <= AT_ONCE + 0.6 * A_SECOND
            done: set[str] = set()
            while len(done) < 100:
                told = json.loads((await ws.receive(20)).data)
                if told["kind"] == "done":
                    done.add(told["id"])

    talk(work)
    assert [op.id for op in hub.applied] == [f"m{at}" for at in range(100)]


def test_two_phones_mark_at_once_while_one_loses_its_connection(hub: Hub, tmp_path) -> None:
    line = Cut(("127.0.0.1", hub.server.port))
    browser = Browser(tmp_path / "profile")
    try:
        ada = browser.page(hub.server.join_url)
        ada.until(
            "document.body.dataset.ready && document.querySelector('#code').value.length == 6"
        )
        ada.type("#name", "Ada")
        ada.click("#join button")
        ada.until("document.querySelector('#number').innerText == '101'")
        ben = browser.page(f"http://127.0.0.1:{line.port}/")
        ben.until("document.body.dataset.ready && !document.querySelector('#join').hidden")
        ben.type("#name", "Ben")
        ben.type("#code", "XXXXXX")
        ben.click("#join button")
        ben.until("document.querySelector('#refused').innerText.includes('Wrong code')")
        assert hub.server.door.refused[-1].why == "a wrong code"
        ben.type("#code", hub.server.door.code)
        ben.click("#join button")
        ben.until("document.querySelector('#number').innerText == '101'")
        assert {p.name for p in hub.server.door.phones.values()} == {"Ada", "Ben"}

        ada.click("[data-mark=works]")
        ben.until("document.querySelector('#number').innerText == '102'")
        assert ben.run("document.body.dataset.changes") == "1"  # it has shaken

        line.cut()
        ben.until("document.querySelector('#state').innerText.startsWith('No connection')")
        ben.type("#note", "flickers")
        ben.click("[data-mark=wrong]")
        ben.click("[data-way=colour]")
        ben.click("[data-how='colour red']")
        ben.click("[data-way=too]")
        ben.type("#others", "105, 9999")
        ben.click("[data-mark=wrong]")  # of 102, kept on the phone
        ben.until("document.querySelector('#state').innerText.includes('1 kept here')")
        ben.run(TAKE_PICTURE)
        ben.until("document.querySelector('#state').innerText.includes('2 kept here')")
        time.sleep(1.1)  # marks are told apart by the second
        for number in ("103", "104"):
            ada.until("!document.querySelector('[data-mark=silent]').disabled")
            before = ada.text("#number")
            ada.click("[data-mark=silent]")
            ada.until(
                f"document.querySelector('#number').innerText == '{number}' && '{before}' != '{number}'"
            )
        # a page that is loaded again has still what it kept
        assert ben.run("JSON.parse(localStorage.getItem('line')).length") == 1
        line.join()
        ben.until(
            "document.querySelector('#state').innerText == 'Connected' && JSON.parse(localStorage.getItem('line')).length == 0",
            30,
        )
        assert until(lambda: len(hub.applied) == 5)
        by = {v.unit: v for v in hub.show.verdicts}
        assert by["u101"].by == "Ada" and by["u103"].result == "silent"
        assert (
            by["u102"].result == "silent" and "Ben" in by["u102"].note
        )  # the older is kept beside
        assert (
            "wrong: 105 lights too, colour (red); flickers; lit: 9999, which no unit has"
            in by["u102"].note
            and by["u102"].picture
        )
        ben.until("document.querySelector('#state').innerText == 'Connected'")
        ben.until("document.querySelector('#number').innerText == '104'")
        ben.click("[data-step='-1']")
        ada.until("document.querySelector('#number').innerText == '103'")
        # the same mark delivered twice counts once
        sent = len(hub.applied)
        ben.run(
            "socket.send(JSON.stringify({id: 'twice', do: 'mark', units: ['u103'], result: 'works', ago: 0}))"
        )
        ben.run(
            "socket.send(JSON.stringify({id: 'twice', do: 'mark', units: ['u103'], result: 'works', ago: 0}))"
        )
        assert until(lambda: len(hub.applied) == sent + 1)
        assert len([v for v in hub.show.verdicts if v.unit == "u103"]) == 1
        ada.type("#wanted", "207")
        ada.click("#jump button")
        ben.until("document.querySelector('#number').innerText == '207'")
        hub.sending = False
        hub.say()
        ada.until("document.querySelector('#see').innerText.startsWith('Output is off')")
        # keys are large, nothing is cut off
        sizes = ada.run(
            "[...document.querySelectorAll('[data-mark]')].map(b => b.getBoundingClientRect().height)"
        )
        assert min(sizes) >= 80 and ada.run("document.documentElement.scrollWidth <= innerWidth")
        hub.server.stop()
        ada.until("document.querySelector('#state').className == 'off'")
    finally:
        browser.close()
        line.close()
