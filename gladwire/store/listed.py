"""Lists and the search: one row a case, session or piece of equipment, a page at a time."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple, cast

from sqlalchemy import ColumnElement, and_, case, false, func, or_, select
from sqlalchemy.dialects.mysql import match
from sqlalchemy.orm import Session

from gladwire.store.models import Case, Listed

_TO_LIST = "to_list"
PAGE = 15
# More than that is no search for anything.
_MOST_WORDS, _LONGEST = 12, 80
_DAY = re.compile(r"(?<!\d)(\d{4})-(\d{1,2})(?:-(\d{1,2}))?(?!\d)")


def to_list(db: Session, kind: str, number: int) -> None:
    """Have a row made anew, or taken away where its thing is gone, when this transaction ends."""
    rows_to_list(db).add((kind, number))


def rows_to_list(db: Session) -> set[tuple[str, int]]:
    rows: set[tuple[str, int]] = db.info.setdefault(_TO_LIST, set())
    return rows


class Page(NamedTuple):
    """A page of rows. number: from 1. total: of all pages."""

    rows: Sequence[Listed]
    number: int
    total: int

    @property
    def pages(self) -> int:
        return max(1, -(-self.total // PAGE))

    @property
    def refs(self) -> list[int]:
        return [row.ref for row in self.rows]


def _page(db: Session, order: Sequence[Any], where: ColumnElement[bool], number: int) -> Page:
    """Keys first, which an index holds in this order: a page far back reads no row it does not show."""
    total = db.scalar(select(func.count()).select_from(Listed).where(where)) or 0
    number = min(max(number, 1), max(1, -(-total // PAGE)))
    keys = (
        select(Listed.kind, Listed.ref).where(where).order_by(*order).limit(PAGE).offset(PAGE * (number - 1)).subquery()
    )
    mine = and_(Listed.kind == keys.c.kind, Listed.ref == keys.c.ref)
    return Page(db.scalars(select(Listed).join(keys, mine).order_by(*order)).all(), number, total)


class First(NamedTuple):
    """The first few cases that wait for one, by number, and how many wait for it in all."""

    refs: list[int]
    total: int


def first_waiting(db: Session, most: int) -> Mapping[str, First]:
    """Open cases by whom they wait for, what waits longest first; unsafe: those in which something can hurt. A case of which
    nobody said whom it waits for waits for "me"."""
    group = case((Listed.danger.is_(True), "unsafe"), (Listed.waits_on == "", "me"), else_=Listed.waits_on).label("of")
    place = func.row_number().over(partition_by=group, order_by=(Listed.since, Listed.ref)).label("place")
    total = func.count().over(partition_by=group).label("total")
    every = select(group, Listed.ref, place, total).where(_open(())).subquery()
    found: dict[str, First] = {}
    for of, ref, count in db.execute(
        select(every.c.of, every.c.ref, every.c.total).where(every.c.place <= most).order_by(every.c.place)
    ):
        found.setdefault(of, First([], count)).refs.append(ref)
    return found


def waiting_posts(db: Session) -> list[tuple[int, str, bool]]:
    """(number, post, whether something can hurt) of open cases that wait for whoever looks, or are not safe: those first,
    then what waits longest."""
    mine = or_(Listed.waits_on.in_(("me", "")), Listed.danger.is_(True))
    chosen = select(Case.id, Case.post, Listed.danger).join(Listed, and_(Listed.kind == "case", Listed.ref == Case.id))
    chosen = chosen.where(Case.state == "open", Listed.state == "open", mine)
    rows = db.execute(chosen.order_by(Listed.danger.desc(), Listed.since, Case.id))
    return [(number, post, bool(danger)) for number, post, danger in rows]


def counts_of_cases(db: Session) -> tuple[dict[tuple[str, bool], int], int]:
    """How many open cases wait, by whom for and whether something in them can hurt; and how many are closed."""
    by = (Listed.state, Listed.waits_on, Listed.danger)
    found: dict[tuple[str, bool], int] = {}
    closed = 0
    for state, on, danger, n in db.execute(select(*by, func.count()).where(Listed.kind == "case").group_by(*by)):
        if state == "open":
            found[on, bool(danger)] = n
        else:
            closed += n
    return found, closed


def _open(waits_on: Sequence[str]) -> ColumnElement[bool]:
    where = and_(Listed.kind == "case", Listed.state == "open")
    return and_(where, Listed.waits_on.in_(waits_on)) if waits_on else where


def open_cases(db: Session, waits_on: Sequence[str], unsafe: bool, page: int) -> Page:
    """What can hurt first, then what waits longest."""
    where = _open(waits_on)
    where = and_(where, Listed.danger.is_(True)) if unsafe else where
    return _page(db, (Listed.danger.desc(), Listed.since, Listed.ref), where, page)


def closed_cases(db: Session, page: int) -> Page:
    """What closed last first."""
    where = and_(Listed.kind == "case", Listed.state == "closed")
    return _page(db, (Listed.at.desc(), Listed.ref.desc()), where, page)


def sessions_listed(db: Session, without_case: bool, page: int) -> Page:
    """What was recorded last first."""
    where: ColumnElement[bool] = Listed.kind == "session"
    where = and_(where, Listed.case_id.is_(None)) if without_case else where
    return _page(db, (Listed.at.desc(), Listed.ref.desc()), where, page)


class Asked(NamedTuple):
    """What somebody looks for: words that must all be there, begun as typed, and days between which it was."""

    words: tuple[str, ...] = ()
    since: date | None = None
    before: date | None = None


def asked(text: str) -> Asked:
    """Words and a day or month (2026-11-30, 2026-11) of what was typed."""
    since = before = None
    told = _DAY.search(text)
    if told:
        year, month, day = int(told[1]), int(told[2]), int(told[3] or 1)
        try:
            since = date(year, month, day)
            before = since + timedelta(days=1) if told[3] else date(year + month // 12, month % 12 + 1, 1)
            text = text.replace(told[0], " ")
        except (ValueError, OverflowError):
            since = None
    words = tuple(word[:_LONGEST] for word in re.findall(r"\w+", text)[:_MOST_WORDS])
    return Asked(words, since, before)


def _matching(what: Asked) -> ColumnElement[bool]:
    """By the full-text index. Nothing typed is read as an operator: words are letters and digits only."""
    found: list[ColumnElement[bool]] = []
    if what.words:
        against = " ".join(f"+{w}*" if _begins(w) else f"+{w}" for w in what.words)
        found.append(match(cast(Any, Listed.title), cast(Any, Listed.words), against=against).in_boolean_mode())
    return and_(*found, *_dated(what)) if what.words or what.since else false()


def _begins(word: str) -> bool:
    """Whether what begins with it is meant too; a single letter stands for itself."""
    return len(word) > 1 or word.isdigit()


def _dated(what: Asked) -> list[ColumnElement[bool]]:
    if not what.since or not what.before:
        return []
    first, last = (datetime.combine(day, datetime.min.time()) for day in (what.since, what.before))
    return [Listed.at >= first, Listed.at < last]


def _scanned(what: Asked) -> ColumnElement[bool]:
    """The same without the index, for words that are almost everywhere: the newest rows have them soon."""
    text = func.concat_ws(" ", Listed.title, Listed.words)
    has = [text.op("RLIKE")(rf"\b{re.escape(w)}" + ("" if _begins(w) else r"\b")) for w in what.words]
    return and_(*has, *_dated(what))


# More rows than these are not counted, and not put in order of what is open: whoever looks among so many adds a word.
MOST_COUNTED = 2000


class Found(NamedTuple):
    """by_kind: how many of each kind. more: there are more than were counted; the newest come first then, and the page's
    total says only whether another follows."""

    page: Page
    by_kind: dict[str, int]
    more: bool


def find(db: Session, what: Asked, kind: str, page: int) -> Found:
    """Cases before sessions before things; of each what is open or can hurt first, then the newest."""
    some = select(Listed.kind).where(_matching(what)).limit(MOST_COUNTED + 1).subquery()
    counted = db.execute(select(some.c.kind, func.count()).group_by(some.c.kind))
    by_kind: dict[str, int] = {k: n for k, n in counted}
    more = sum(by_kind.values()) > MOST_COUNTED
    of_kind = [Listed.kind == kind] if kind else []
    if more:
        newest = select(Listed).where(_scanned(what), *of_kind).order_by(Listed.at.desc(), Listed.ref.desc())
        begin = PAGE * (min(max(page, 1), MOST_COUNTED // PAGE) - 1)
        rows = db.scalars(newest.limit(PAGE + 1).offset(begin)).all()
        return Found(Page(rows[:PAGE], begin // PAGE + 1, begin + len(rows)), by_kind, True)
    total = by_kind.get(kind, 0) if kind else sum(by_kind.values())
    number = min(max(page, 1), max(1, -(-total // PAGE)))
    order = (Listed.kind, (Listed.state == "open").desc(), Listed.danger.desc(), Listed.at.desc(), Listed.ref.desc())
    chosen = select(Listed).where(_matching(what), *of_kind).order_by(*order)
    rows = db.scalars(chosen.limit(PAGE).offset(PAGE * (number - 1))).all() if total else []
    return Found(Page(rows, number, total), by_kind, False)
