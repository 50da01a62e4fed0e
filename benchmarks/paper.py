"""Hang lists of strangers: clerks type a hidden rig by habits of their own, and the reader is
judged on those of them it was not made with.

`ISTHMUS_CLERKS` names some of them (by a part of their name; `seen`, `unseen`, `all`, `new`),
`ISTHMUS_ROWS` says how many units each types (400), `ISTHMUS_FROM` the first seed and
`ISTHMUS_TIMES` how many lists each types; `ISTHMUS_TELL` prints what went wrong.
"""

from __future__ import annotations

import dataclasses
import os
import random
import sys
import time
from collections import Counter
from collections.abc import Iterator

from tools.strangers.files import written
from tools.strangers.habits import CLERKS, NEWCOMERS, SEEN, UNSEEN, Habits
from tools.strangers.rig import Kind, make_rig
from tools.strangers.surprise import surprising
from tools.strangers.tongues import TONGUES
from tools.strangers.typed import Clerk, Fact, Page

from isthmus.hanglist import Answers, HangList, Reading
from isthmus.library.at_hand import at_hand
from isthmus.patch.models import Library
from isthmus.profiles import chart
from isthmus.show.records import PaperRow, Show

CORRECTIONS = 3
GELS = ("Tidewater 104", "Tidewater 118", "Tidewater 201", "Pearl 12")
# what a slip may be told as
AS = {
    "twice": {"duplicate number"},
    "overlap": {"overlap"},
    "past": {"past 512", "out of range"},
    "letter": {"slip", "bad address"},
    "blank type": {"no type"},
    "no number": {"no number"},
    "foreign mode": {"mode"},
    "sum": {"sum"},
}


def stock_of(library: Library) -> tuple[Kind, ...]:
    """Models with several channels whose modes differ in size, as plain data for the clerks."""
    made = []
    for profile in library.profiles.profiles.values():
        sizes: dict[int, str] = {}
        for mode in profile.modes:
            sizes.setdefault(chart(profile, mode).footprint, mode.name)
        names = [mode.name for mode in profile.modes]
        if len(sizes) == len(names) and 0 not in sizes:
            made.append(Kind(profile.maker, profile.name, tuple((n, s) for s, n in sizes.items())))
    counted = Counter(kind.model for kind in made)
    return tuple(kind for kind in made if counted[kind.model] == 1)


@dataclasses.dataclass
class Score:
    """What became of the units of some lists."""

    units: int = 0
    alone: int = 0
    after: int = 0
    wrong: int = 0
    slips: int = 0
    told: int = 0
    false: int = 0
    rows: int = 0
    seconds: float = 0.0
    examples: list[str] = dataclasses.field(default_factory=list)


def same(fact: Fact, row: PaperRow, full: bool = True) -> bool:
    """Whether a row has what the paper says of a unit. Without `full`, where nothing is said wrong:
    a field that is left open is not.
    """
    number = (
        fact.number == row.number
        if fact.number is not None
        else row.fixture_id.casefold() == fact.ident.casefold()
    )
    model = row.type in (fact.model, f"{fact.maker} {fact.model}")
    spot = (fact.universe, fact.address) == (row.universe, row.address)
    if not full:
        spot = spot or not row.universe
    words = all(
        mine.casefold() == theirs.casefold() or (not full and not mine)
        for mine, theirs in (
            (row.hangs_on, fact.position), (row.purpose, fact.purpose), (row.gel, fact.gel)
        )
    )  # fmt: skip
    return number and model and row.mode == fact.mode and spot and words


def rightly(
    page: Page, lines: dict[int, int], found: HangList, kept: bool = False
) -> tuple[int, int, list[str]]:
    """Units right, units taken wrongly, and examples."""
    taken = {(r.fixture_id or str(r.number)).casefold(): r for r in found.paper.rows}
    right = wrong = 0
    examples = []
    told = {f.line for f in found.faults}
    open_ = bool(found.questions) or bool(found.lacking)
    known: set[str] = set()
    for fact in page.facts:
        row = taken.get(fact.ident.casefold())
        known.add(fact.ident.casefold())
        if row is None:
            continue
        if fact.told:
            spoilt = not same(fact, row, False) and lines.get(fact.row, 0) not in told and lines
            wrong += bool(spoilt)
            if spoilt:
                examples.append(f"WRONG {fact} took {row}")
            continue
        if same(fact, row):
            right += not open_
        elif not same(fact, row, False) and lines.get(fact.row, 0) not in told:
            wrong += 1
            examples.append(f"WRONG {fact} took {row}")
        elif len(examples) < 3:
            examples.append(f"short {fact} took {row}")
    for name, row in taken.items():
        if name not in known and not any(
            f.told for f in page.facts if lines.get(f.row) == row.line
        ):
            wrong += 1
            examples.append(f"WRONG nobody wrote {row}")
    return right, wrong, examples


READ = (
    "number",
    "type",
    "mode",
    "address",
    "universe",
    "position",
    "purpose",
    "gel",
    "feet",
    "count",
)


def true_columns(habits: Habits, found: HangList) -> dict[str, int]:
    """Where the fields really are, as somebody sees who knows what the clerk means."""
    named = {("number" if role == "channel" else role): n for n, role in enumerate(habits.columns)}
    if "channel" in habits.columns:
        named["number"] = habits.columns.index("channel")
    truth = {name: at for name, at in named.items() if name in READ}
    if habits.headless:
        return truth
    tongue = TONGUES[habits.tongue].heads
    now = [head.casefold() for head in found.heads]
    for role in habits.columns:
        head = tongue[role][habits.heads % len(tongue[role])].casefold()
        fits = [n for n, have in enumerate(now) if have == head]
        fits += [n for n, have in enumerate(now) if have.endswith(f" {head}")]
        name = "number" if role == "channel" else role
        if fits and name in truth:
            truth[name] = fits[0]
    return truth


def person(
    habits: Habits, page: Page, found: HangList, answers: Answers, library: Library
) -> Answers | None:
    """One correction by somebody who knows the rig; None when there is nothing left to do."""
    truth = true_columns(habits, found)
    asked = [question.field for question in found.questions]
    off = [name for name in sorted(truth) if found.at.get(name) != truth[name]]
    if found.lacking or off or "address" in asked:
        at = dict(found.at)
        for name in off[:1]:
            at = {n: a for n, a in at.items() if a != truth[name]} | {name: truth[name]}
        if dict(found.at) != at or answers.columns is None:
            return dataclasses.replace(answers, columns=at)
    if "way" in asked and not answers.way:
        flat = habits.address.startswith("flat")
        return dataclasses.replace(answers, way="through" if flat else "pair")
    if "universe" in asked and not answers.universe:
        return dataclasses.replace(answers, universe=page.facts[0].universe)
    return every_proposal(page, found, answers, library) or one_proposal(
        page, found, answers, library
    )


def one_proposal(page: Page, found: HangList, answers: Answers, library: Library) -> Answers | None:
    """The first that is right and not agreed to yet."""
    names = {key: profile.name for key, profile in library.profiles.profiles.items()}
    for unknown in found.unknown:
        if not unknown.key:
            continue
        if not unknown.of and unknown.text not in answers.models:
            if names[unknown.key] in {f.model for f in page.facts}:
                models = {**answers.models, unknown.text: unknown.key}
                return dataclasses.replace(answers, models=models)
        elif unknown.of and (unknown.of, unknown.text) not in answers.modes:
            meant = {(fact.model, fact.mode) for fact in page.facts}
            if (names[unknown.of], unknown.key) in meant:
                modes = {**answers.modes, (unknown.of, unknown.text): unknown.key}
                return dataclasses.replace(answers, modes=modes)
    return None


def every_proposal(
    page: Page, found: HangList, answers: Answers, library: Library
) -> Answers | None:
    """All that is proposed agreed to at once, where somebody who looks sees that it is right."""
    names = {key: profile.name for key, profile in library.profiles.profiles.items()}
    models, modes = dict(answers.models), dict(answers.modes)
    for unknown in found.unknown:
        if not unknown.key:
            continue
        if unknown.of:
            fits = {f.mode for f in page.facts if f.model == names[unknown.of]}
            if unknown.key not in fits:
                return None
            modes[unknown.of, unknown.text] = unknown.key
        else:
            if names[unknown.key] not in {f.model for f in page.facts}:
                return None
            models[unknown.text] = unknown.key
    made = dataclasses.replace(answers, models=models, modes=modes)
    return made if made != answers else None


def judge(
    habits: Habits, seed: int, size: int, library: Library, stock: tuple[Kind, ...], score: Score
) -> None:
    """One list typed, read, and corrected by somebody."""
    rng = random.Random(f"{habits.name} {seed}")
    tongue = TONGUES[habits.tongue]
    lamps = make_rig(rng, stock, size, tongue.positions, tongue.purposes, GELS)
    page = Clerk(habits, rng).type_all(lamps, "Lantern Tide, hang list")
    data, ending, lines = written(page, habits)
    begun = time.perf_counter()
    reading = Reading(data, f"list.{ending}", library)
    answers = Answers()
    found = reading.read(answers)
    score.seconds += time.perf_counter() - begun
    score.rows += len(page.rows)
    units = sum(not fact.told for fact in page.facts)
    right, wrong, examples = rightly(page, lines, found)
    score.units, score.alone, score.wrong = (
        score.units + units,
        score.alone + right,
        score.wrong + wrong,
    )
    if lines:
        examples += judge_faults(page, lines, found, score)
    if right < units:
        examples.append(
            f"at {dict(found.at)} lacking {found.lacking} guessed {dict(found.guessed)} "
            f"questions {[q.words for q in found.questions]} unknown {found.unknown[:2]}"
        )
    for _ in range(CORRECTIONS):
        more = person(habits, page, found, answers, library) if right < units else None
        if more is None:
            break
        answers = more
        found = reading.read(answers)
        right, wrong, told = rightly(page, lines, found)
        score.wrong += wrong
        examples += [text for text in told if text.startswith("WRONG")]
    score.after += right
    if right < units:
        examples.append(f"after: {right} of {units}; at {dict(found.at)}")
        examples += [f"fault {fault}" for fault in found.faults[:4]]
    score.examples += [f"{habits.name}/{seed}: {text}" for text in examples[:12]]


def judge_faults(page: Page, lines: dict[int, int], found: HangList, score: Score) -> list[str]:
    """Slips that were told, and alarms where there was none."""
    if found.lacking or found.questions:
        return []
    examples = []
    spoilt = {lines[fact.row]: fact.told for fact in page.facts if fact.told}
    spoilt |= {lines[row]: kind for kind, row in page.others}
    heard: dict[int, set[str]] = {}
    for fault in found.faults:
        heard.setdefault(fault.line, set()).add(fault.kind)
    unread = {line.line for line in found.paper.unread}
    for line, kind in spoilt.items():
        hit = heard.get(line, set()) & AS[kind] or (kind == "foreign mode" and line in unread)
        score.slips += 1
        score.told += bool(hit)
        if not hit:
            examples.append(f"NOT TOLD {kind} in {line}: {heard.get(line)}")
    for line, kinds in heard.items():
        odd = kinds - {"unknown type", "mode", "no mode"}
        # what a slip is found by may stand in the line it disagrees with
        if odd and not any(abs(line - other) <= 4 for other in spoilt):
            score.false += 1
            examples.append(f"FALSE {odd} in {line}")
    return examples


def clerks_named(which: str) -> tuple[Habits, ...]:
    known = {"seen": SEEN, "unseen": UNSEEN, "all": CLERKS, "new": NEWCOMERS}.get(which)
    return known or tuple(clerk for clerk in CLERKS if which in clerk.name)


def run() -> Iterator[tuple[str, float, float, str, str]]:
    which = os.environ.get("ISTHMUS_CLERKS", "unseen")
    size = int(os.environ.get("ISTHMUS_ROWS", "400"))
    first = int(os.environ.get("ISTHMUS_FROM", "0"))
    times = int(os.environ.get("ISTHMUS_TIMES", "5"))
    library = at_hand(Show())
    stock = stock_of(library)
    scores: dict[str, Score] = {}
    for habits in clerks_named(which):
        for seed in range(first, first + times):
            score = scores.setdefault(habits.name, Score())
            judge(habits, seed, size, library, stock, score)
    if which in ("seen", "unseen", "all", "new"):
        chance = scores["combinations nobody planned for"] = Score()
        for seed in range(2 * first, 2 * (first + 8 * times), 2):
            mine = seed + (which != "seen")
            judge(surprising(mine), mine, size, library, stock, chance)
    whole = Score()
    for name, score in sorted(scores.items(), key=lambda item: item[1].alone / item[1].units):
        for key in ("units", "alone", "after", "wrong", "slips", "told", "false", "rows"):
            setattr(whole, key, getattr(whole, key) + getattr(score, key))
        after = 100 * score.after / score.units
        told = f"{name}: {after:.1f} % after, {score.wrong} wrong, {score.false} false; alone"
        yield told, 100 * score.alone / score.units, 0.0, "%", ""
        if os.environ.get("ISTHMUS_TELL"):
            for text in score.examples:
                print("   ", name, "|", text[:700], file=sys.stderr)
    yield f"units right alone, of {whole.units}", 100 * whole.alone / whole.units, 0.0, "%", "97 %"
    yield "units right after three answers", 100 * whole.after / whole.units, 0.0, "%", "99.9 %"
    yield "units taken wrongly", whole.wrong, 0.0, "", "0"
    told_ = 100 * whole.told / max(1, whole.slips)
    yield f"slips told, of {whole.slips}", told_, 0.0, "%", "98 %"
    yield "false alarms in 100 rows", 100 * whole.false / max(1, whole.rows), 0.0, "", "1"
