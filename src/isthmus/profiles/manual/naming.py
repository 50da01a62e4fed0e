"""From the names in manuals to attributes of the standard, each with a confidence."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache

from rapidfuzz import fuzz, process

from isthmus.profiles.attributes import KNOWN, Known, numbered

_FINE = re.compile(r"\b(fine|lsb|low byte|fein|fin|fino|16 ?bit|\(?ls\)?|ultra ?fine|24 ?bit)\b")
_COARSE = re.compile(r"\b(coarse|msb|high byte|8 ?bit|grob)\b")
_NOISE = frozenset(
    [
        "ch",
        "channel",
        "kanal",
        "canal",
        "the",
        "of",
        "and",
        "with",
        "und",
        "de",
        "la",
        "le",
        "von",
        "to",
        "from",
        "0",
        "100",
        "255",
        "slow",
        "fast",
        "control",
        "adjustment",
        "value",
        "level",
        "led",
        "leds",
        "select",
        "selection",
    ]
)
_OPEN = re.compile(r"\b(open|offen|ouvert|abierto|no function|full on)\b")


@dataclass(frozen=True)
class Guess:
    """`attribute` is empty when nothing fits; `fine` marks the second byte of the channel
    before.
    """

    attribute: str
    confidence: float
    fine: bool = False


def words_of(text: str) -> list[str]:
    """Lower-case words without accents; numbers are words of their own."""
    flat = (
        unicodedata.normalize("NFKD", text.replace("ß", "ss").replace("&", " "))
        .encode("ascii", "ignore")
        .decode()
        .lower()
    )
    return re.findall(r"[a-z]+|\d+", flat)


@cache
def _phrases() -> dict[tuple[str, ...], list[tuple[Known, tuple[str, ...]]]]:
    """Phrases by their first word that is not a placeholder."""
    made: dict[tuple[str, ...], list[tuple[Known, tuple[str, ...]]]] = {}
    for row in KNOWN.values():
        for phrase in (*row.says, tuple(row.words.split())):
            clean = tuple(
                words_of(
                    " ".join(word if word != "(n)" else "(n)" for word in phrase).replace(
                        "(n)", "0"
                    )
                )
            )
            made.setdefault((clean[0],), []).append((row, clean))
    return made


@cache
def _vocabulary() -> tuple[list[str], list[Known]]:
    texts, rows = [], []
    for row in KNOWN.values():
        for phrase in (*row.says, (row.words,)):
            text = " ".join(word for word in phrase if word != "(n)")
            if len(text) >= 5:
                texts.append(text)
                rows.append(row)
    return texts, rows


def _match(words: Sequence[str]) -> tuple[Known, int, int] | None:
    """The longest phrase found in order: its row, how many words it takes, and the number beside it
    (0: none).
    """
    best: tuple[int, int, Known, int] | None = None
    for start in range(len(words)):
        for row, phrase in _phrases().get((words[start],), ()):
            number = _follows(words[start:], phrase)
            size = sum(1 for word in phrase if word != "0")
            if number is not None and (best is None or (size, -start) > best[:2]):
                best = (size, -start, row, number)
    if best is None:
        return None
    size, _, row, number = best
    if not number:
        number = next((int(word) for word in words if word.isdigit() and 1 <= int(word) <= 8), 0)
    return row, size, number


def _follows(words: Sequence[str], phrase: Sequence[str]) -> int | None:
    """The number inside a name (“gobo wheel 2 rotation”), 0 when there is none, or None when words
    do not begin with the phrase. Its placeholder 0 takes a number, or nothing.
    """
    at = number = 0
    for word in phrase:
        if at < len(words) and words[at].isdigit() and word != words[at]:
            number = number or int(words[at])
            at += 1
            if word == "0":
                continue
        if at < len(words) and words[at] == word:
            at += 1
        elif word != "0":
            return None
    return number


@lru_cache(4096)
def _propose_name(name: str) -> Guess:
    text = " ".join(words_of(name))
    fine = bool(_FINE.search(text)) and not _COARSE.search(text)
    text = _COARSE.sub(" ", _FINE.sub(" ", text))
    words = [word for word in text.split() if word not in _NOISE or word.isdigit()]
    words = [word for word in words if not (word.isdigit() and int(word) > 16)]
    if not words:
        return Guess("", 0.9 if fine else 0.0, fine)
    found = _match(words)
    if found is not None:
        row, size, number = found
        meaning = [word for word in words if not word.isdigit()]
        cover = min(1.0, size / max(1, len(meaning)))
        return Guess(numbered(row.name, number or 1), round(0.5 + 0.5 * cover, 2), fine)
    texts, rows = _vocabulary()
    near = process.extractOne(
        " ".join(w for w in words if not w.isdigit()), texts, scorer=fuzz.ratio, score_cutoff=80
    )
    if near is None:
        return Guess("", 0.0, fine)
    return Guess(numbered(rows[near[2]].name), round(near[1] / 100 - 0.35, 2), fine)


def propose(name: str, band_names: Iterable[str] = ()) -> Guess:
    """The attribute a channel's name speaks of; its ranges help where the name alone is open."""
    guess = _propose_name(name[:200])
    bands = [band for band in band_names if band]
    if guess.attribute == "Shutter1Strobe" and any(
        _OPEN.search(" ".join(words_of(band))) for band in bands
    ):
        return Guess(
            "Shutter1", guess.confidence, guess.fine
        )  # a strobe that can stand open is a shutter
    if guess.attribute or not bands or name.strip():
        return guess
    votes: dict[str, float] = {}
    for band in bands:
        one = _propose_name(band[:200])
        if one.attribute and one.attribute != "NoFeature":
            # several colours among the ranges of one channel are a wheel's
            holder = "Color1" if one.attribute.startswith("Color") else _whole(one.attribute)
            votes[holder] = votes.get(holder, 0) + one.confidence
    if not votes:
        return guess
    best = max(votes, key=lambda attribute: votes[attribute])
    return Guess(best, round(0.8 * votes[best] / len(bands), 2), guess.fine)


def _whole(attribute: str) -> str:
    """The attribute of the channel that holds a range: a shutter for a strobe, a wheel for its
    spin.
    """
    return re.sub(r"^(Shutter\d|Gobo\d|Color\d|Prism\d)[A-Z]\w*$", r"\1", attribute)


def propose_band(name: str, channel_attribute: str) -> str:
    """The attribute of one range of a channel: a strobe among the ranges of a shutter, else the
    channel's own.
    """
    own = _whole(channel_attribute)
    guess = _propose_name(name[:200])
    family = re.sub(r"\d.*", "", own)
    if guess.attribute != own and guess.attribute and guess.confidence >= 0.6:
        if guess.attribute.startswith(own) or (
            own == "Dimmer" and guess.attribute.startswith("Shutter")
        ):
            return guess.attribute
        if family == "Shutter" and guess.attribute.startswith("Shutter1"):
            return guess.attribute
    return channel_attribute
