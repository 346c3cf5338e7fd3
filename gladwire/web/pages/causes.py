"""The catalogue of the judge: every cause with what it is told by, every test with what it tells."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fastapi import APIRouter
from markupsafe import Markup
from starlette.responses import Response

from gladwire.core.case.checklist.steps import step_of
from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.answers import outcomes, points_at, words
from gladwire.core.diagnosis.cause import OWNER_WORDS, Cause, Owner
from gladwire.core.diagnosis.causes import BY_CODE, CAUSES, stage_of
from gladwire.core.diagnosis.evidence import ONE_FACT, Item, sign
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.diagnosis.tests import GROUPS, TOOLS, Test
from gladwire.core.rulebook import BY_CODE as RULES
from gladwire.core.scene.spine import AC_SPINE, DC_SPINE
from gladwire.store.judgements import sessions_led_by
from gladwire.web.errors import RefusedError
from gladwire.web.pages.rows import SessionRow, session_row
from gladwire.web.services import Database
from gladwire.web.templating import render

router = APIRouter()
_MOST_SESSIONS = 20
_DRAWN = Path(__file__).parents[1] / "static" / "causes"
_STAGE = "stage"
TITLES = {s.key: s.title for s in (*AC_SPINE, *DC_SPINE)}


@dataclass(frozen=True)
class Sign:
    """A finding that speaks for or against a cause. declared: its weight, common practice. counted: of the plays, in words;
    expected: its absence speaks against the cause. told_with: what is the same fact in other words."""

    answers: str
    source: str
    declared: float
    weight: float
    counted: str
    expected: bool
    told_with: tuple[str, ...]


@dataclass(frozen=True)
class TestRow:
    """A test, what may come of it and which causes that makes think of, and the causes it is for. first: tests that come
    before it, or that call for it, in words."""

    test: Test
    results: list[tuple[str, list[Cause]]]
    causes: list[Cause]
    tools: list[str]
    first: str


@dataclass(frozen=True)
class CausesPage:
    area: str
    by_owner: list[tuple[str, list[tuple[Cause, int]]]]
    sharpness: float


@dataclass(frozen=True)
class TestsPage:
    area: str
    groups: list[tuple[str, list[TestRow]]]


@dataclass(frozen=True)
class CausePage:
    area: str
    cause: Cause
    owner: str
    stage: str
    drawing: Markup | None
    plays: int
    proven: bool
    signs: list[Sign]
    test: TestRow
    neighbours: list[Cause]
    sessions: list[SessionRow]


@router.get("/causes")
def causes() -> Response:
    """Every cause by who owns it."""
    owners: list[Owner] = list(OWNER_WORDS)
    listed = [
        (OWNER_WORDS[owner], [(c, likelihood.plays_of(c.code)) for c in CAUSES if c.owner == owner]) for owner in owners
    ]
    return render("causes.html", CausesPage("causes", listed, likelihood.sharpness()))


@router.get("/tests")
def tests() -> Response:
    """Every test by what it is a test of."""
    groups = [(title, [_row(t) for t in found]) for title, found in GROUPS]
    return render("tests.html", TestsPage("causes", groups))


@router.get("/causes/{code}")
def cause(db: Database, code: str) -> Response:
    """One cause: what it is told by, how often that was counted, its test, and the sessions that had it."""
    found = BY_CODE.get(code)
    if found is None:
        raise RefusedError(404, "There is no such cause.", "Look through the list of causes.")
    items = [item for code in (*found.speaks_for, *found.speaks_against) if (item := sign(found, code))]
    signs = [_sign(found, item) for item in sorted(items, key=lambda item: (item.declared < 0, -abs(item.declared)))]
    sessions = [session_row(s) for s in sessions_led_by(db, code, _MOST_SESSIONS)]
    page = CausePage(
        "causes",
        found,
        OWNER_WORDS[found.owner],
        _stage(found),
        _drawing(code),
        likelihood.plays_of(code),
        likelihood.is_proven(code),
        signs,
        _row(TESTS[found.test]),
        _neighbours(found),
        sessions,
    )
    return render("cause.html", page)


def _sign(cause: Cause, item: Item) -> Sign:
    rule = RULES[item.code]
    same = next((sorted(fact - {item.code}) for fact in ONE_FACT if item.code in fact), [])
    return Sign(
        rule.answers,
        str(rule.source),
        item.declared,
        item.weight,
        item.measured.says if item.measured else "",
        item.declared > 0 and likelihood.absent(cause.code, item.code) is not None,
        tuple(RULES[other].answers for other in same if other in cause.speaks_for),
    )


def _row(test: Test) -> TestRow:
    own = [c for c in CAUSES if c.test == test.key]
    first = own[0] if own else None
    results = [
        (words(test, key, first), [c for c in CAUSES if points_at(test, key, c)] if test.tells else [])
        for key in ((_STAGE,) if test.by_stage else outcomes(test))
    ]
    before = [f"after “{step_of(key).title}”" for key in test.after]
    if test.only_if:
        key, result = test.only_if
        before.append(
            f"only where “{step_of(key).title}” {'found something' if result == 'so' else 'is as it should be'}"
        )
    return TestRow(test, results, own, [TOOLS[tool] for tool in test.needs], "; ".join(before))


def _stage(cause: Cause) -> str:
    return TITLES.get(stage_of(cause), "")


def _drawing(code: str) -> Markup | None:
    """How it looks, drawn beforehand by the script draw_causes; None where nothing plays it."""
    path = _DRAWN / f"{code}.svg"
    return Markup(path.read_text()) if path.is_file() else None


def _neighbours(cause: Cause) -> list[Cause]:
    """Those that share the most telling evidence with it."""
    shared = {
        other.code: sum(min(w, other.speaks_for[c]) for c, w in cause.speaks_for.items() if c in other.speaks_for)
        for other in CAUSES
        if other is not cause
    }
    return [BY_CODE[code] for code, w in sorted(shared.items(), key=lambda pair: -pair[1]) if w > 0][:5]
