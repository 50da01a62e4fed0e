"""Who may come in: one-time codes, what wrong ones cost, and the phones that have joined. No
network here.
"""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable
from dataclasses import dataclass, field

LETTERS = "ACDEFHJKLMNPRTUVWXY3479"  # nothing that reads like something else in the dark
CODE = 6
FREE_TRIES, LONGEST = 3, 60.0  # wrong codes before anybody waits, and the longest wait, seconds
MAX_PHONES, MAX_NAMES, MAX_IDS = 32, 40, 4000
MAX_REFUSED = 200


@dataclass
class Phone:
    """One that has joined. `ids` are the operations it has delivered, so that none counts twice."""

    token: str
    name: str
    ip: str
    joined: float
    seen: float
    marks: int = 0
    ids: dict[str, tuple[bool, str] | None] = field(default_factory=dict)
    on: bool = False


@dataclass(frozen=True)
class Refused:
    ip: str
    at: float
    why: str


class Door:
    """`now` is a monotonic clock."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self.code = self._fresh()
        self.phones: dict[str, Phone] = {}
        self.refused: list[Refused] = []
        self._wrong: dict[str, tuple[int, float]] = {}  # address → wrong codes, may try again at

    @staticmethod
    def _fresh() -> str:
        return "".join(secrets.choice(LETTERS) for _ in range(CODE))

    def wait_of(self, ip: str) -> float:
        """Seconds an address must wait before it may try a code."""
        return max(0.0, self._wrong.get(ip, (0, 0.0))[1] - self._now())

    def join(self, code: str, name: str, ip: str) -> Phone | None:
        """A phone for the right code, which then is used up. None for a wrong one, or while one
        must wait.
        """
        now = self._now()
        if self.wait_of(ip) > 0:
            self._refuse(ip, "tried again too soon")
            return None
        if not secrets.compare_digest(code.strip().upper().encode(), self.code.encode()):
            count = self._wrong.get(ip, (0, 0.0))[0] + 1
            wait = 0.0 if count < FREE_TRIES else min(LONGEST, 2.0 ** (count - FREE_TRIES + 1))
            if len(self._wrong) > 1000:
                self._wrong.clear()
            self._wrong[ip] = count, now + wait
            self._refuse(ip, "a wrong code")
            return None
        if len(self.phones) >= MAX_PHONES:
            self._refuse(ip, f"there are {MAX_PHONES} phones already")
            return None
        self._wrong.pop(ip, None)
        self.code = self._fresh()
        named = (
            "".join(c for c in name if c.isprintable()).strip()[:MAX_NAMES]
            or f"Phone {len(self.phones) + 1}"
        )
        taken = {p.name for p in self.phones.values()}
        while named in taken:
            named += "′"
        phone = Phone(secrets.token_urlsafe(24), named, ip, now, now)
        self.phones[phone.token] = phone
        return phone

    def _refuse(self, ip: str, why: str) -> None:
        self.refused = [*self.refused[-MAX_REFUSED:], Refused(ip, time.time(), why)]

    def of(self, token: str) -> Phone | None:
        phone = self.phones.get(token)
        if phone is not None:
            phone.seen = self._now()
        return phone

    def leave(self, token: str) -> None:
        self.phones.pop(token, None)

    def take(self, phone: Phone, id_: str) -> tuple[bool, str] | bool | None:
        """Whether an operation is new: True. Otherwise what came of it when it came first, None
        while it is under way.
        """
        if id_ in phone.ids:
            return phone.ids[id_]
        if len(phone.ids) >= MAX_IDS:
            for old in list(phone.ids)[: MAX_IDS // 4]:
                del phone.ids[old]
        phone.ids[id_] = None
        return True
