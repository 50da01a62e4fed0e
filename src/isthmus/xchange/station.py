"""One station of a group: who is there, what they offer, what we offer. It sends nothing itself:
it takes messages and says what is to be answered, whatever carries them.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from dataclasses import replace as with_
from pathlib import Path

from isthmus.errors import EntryFault
from isthmus.xchange import messages as m

MAX_FILE = 256 << 20  # bytes
MAX_OURS = 10
MAX_OURS_BYTES = 512 << 20


@dataclass(frozen=True)
class Me:
    """How this station is called. `uuid` stays the same over starts of the program."""

    uuid: str
    name: str


@dataclass
class Other:
    """Another station. `where` is host and port where it listens; None where only it can call."""

    uuid: str
    name: str
    provider: str = ""
    where: tuple[str, int] | None = None
    seen_from: str = ""
    joined: bool = False
    commits: tuple[m.Commit, ...] = ()


@dataclass
class Station:
    """`changed` is called whenever something of this is other than before; `told` with a sentence
    that a person should read.
    """

    me: Me
    changed: Callable[[], None] = lambda: None
    told: Callable[[str], None] = lambda words: None
    others: dict[str, Other] = field(default_factory=dict)
    ours: dict[str, tuple[m.Commit, bytes]] = field(default_factory=dict)
    asked_to: m.NewHost | None = None  # where another wishes all to go

    # ------------------------------------------------------------ what we say

    def join(self) -> m.Join:
        offered = tuple(commit for commit, _ in self.ours.values())
        return m.Join(self.me.uuid, self.me.name, commits=offered)

    def offer(
        self, data: bytes, name: str, comment: str = "", wanted: tuple[str, ...] = ()
    ) -> m.Commit:
        """A file that others may request. Of many, the oldest are offered no longer. Raises
        EntryFault.
        """
        if len(data) > MAX_FILE:
            most = MAX_FILE >> 20
            raise EntryFault(f"the file has {len(data) >> 20} MB; {most} MB are the most.")
        key = str(uuid.uuid4())
        shown = Path(name).name[: m.MAX_NAME]
        made = m.Commit(key, self.me.uuid, len(data), comment[: m.MAX_WORDS], shown, wanted=wanted)
        self.ours[key] = made, data
        while len(self.ours) > MAX_OURS or sum(c.size for c, _ in self.ours.values()) > (
            MAX_OURS_BYTES
        ):
            del self.ours[next(iter(self.ours))]
        self.changed()
        return made

    # ------------------------------------------------------------ what we hear

    def hear(self, message: m.Message, source: str) -> m.Answer | bytes | None:
        """What is to be sent back: an answer, the bytes of a file, or nothing. `source` is the
        address it came from.
        """
        match message:
            case m.Join():
                return self._joined(message, source)
            case m.Leave(station):
                self.leave(station)
                return m.Answer(m.LEAVE)
            case m.Commit():
                return self._committed(message, source)
            case m.Request(file, stations):
                return self.file(file, stations)
            case m.NewHost():
                self.asked_to = message
                where = message.url or message.group or "nowhere"
                self.told(f"{source} asks all to go to {where}. Nothing is done until you say so.")
                self.changed()
                return m.Answer(m.NEW_HOST)
            case m.Answer(_, _, _, join):
                if join is not None:
                    self.know(join, source)
                return None

    def file(self, file: str, stations: tuple[str, ...] = ()) -> m.Answer | bytes:
        """One of ours; the last where none is named."""
        named = not stations or self.me.uuid in stations
        held = self.ours.get(file) if file else next(reversed(self.ours.values()), None)
        if held is None or not named:
            return m.Answer(m.REQUEST, False, "The MVR is not available on this client")
        return held[1]

    def know(self, join: m.Join, source: str, where: tuple[str, int] | None = None) -> bool:
        """A station and what it offers. False where there are too many already."""
        if not join.station or join.station == self.me.uuid:
            return False
        other = self.others.get(join.station)
        if other is None:
            if len(self.others) >= m.MAX_STATIONS:
                return False
            other = self.others[join.station] = Other(join.station, join.name)
        other.name, other.provider = join.name, join.provider
        other.seen_from, other.joined = source, True
        other.where = where or other.where
        mine = tuple(with_(one, station=join.station) for one in join.commits)
        new = {one.file for one in mine}
        other.commits = (*(one for one in other.commits if one.file not in new), *mine)
        other.commits = other.commits[-m.MAX_COMMITS :]
        self.changed()
        return True

    def found(self, key: str, name: str, where: tuple[str, int]) -> bool:
        """A station of the group that was found on the network. True where it is to be joined."""
        if key == self.me.uuid or not key:
            return False
        other = self.others.get(key)
        if other is None:
            if len(self.others) >= m.MAX_STATIONS:
                return False
            other = self.others[key] = Other(key, name)
        new = not other.joined or other.where != where
        other.where = where
        self.changed()
        return new

    def leave(self, key: str) -> None:
        if self.others.pop(key, None) is not None:
            self.changed()

    def _joined(self, message: m.Join, source: str) -> m.Answer:
        if message.station == self.me.uuid:
            return m.Answer(m.JOIN, False, "That is the UUID of this station.", self.join())
        if not self.know(message, source):
            return m.Answer(m.JOIN, False, "There are too many stations.", self.join())
        return m.Answer(m.JOIN, join=self.join())

    def _committed(self, message: m.Commit, source: str) -> m.Answer:
        other = self.others.get(message.station)
        if not message.file or not message.station or message.station == self.me.uuid:
            return m.Answer(m.COMMIT, False, "FileUUID and StationUUID are needed.")
        if other is None:  # it joined before we were there
            other = Other(message.station, f"Station at {source}", seen_from=source)
            if len(self.others) >= m.MAX_STATIONS:
                return m.Answer(m.COMMIT, False, "There are too many stations.")
            self.others[message.station] = other
        if message.wanted and self.me.uuid not in message.wanted:
            return m.Answer(m.COMMIT)
        rest = tuple(one for one in other.commits if one.file != message.file)
        other.commits = (*rest, message)[-m.MAX_COMMITS :]
        words = f": {message.comment}" if message.comment else "."
        self.told(f"{other.name} offers {message.name or 'a file'}{words}")
        self.changed()
        return m.Answer(m.COMMIT)
