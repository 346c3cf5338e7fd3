"""Find: one box over cases, sessions and equipment, and over what the reference knows."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, NamedTuple

from fastapi import APIRouter, Query
from starlette.responses import Response

from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.tests import TESTS
from gladwire.core.glossary import TOPICS
from gladwire.core.power.equipment import Kind
from gladwire.core.rulebook import ALL
from gladwire.store.listed import Found, asked
from gladwire.store.listed import find as find_rows
from gladwire.web.pages.equipment import KIND_WORDS
from gladwire.web.services import Database
from gladwire.web.templating import render

router = APIRouter()
_KINDS = (("case", "Cases"), ("session", "Sessions"), ("thing", "Equipment"))
_MOST_BOOKS = 8


class Book(NamedTuple):
    """Something of the reference. words: all it is found by, in lower case."""

    what: str
    title: str
    address: str
    words: tuple[str, ...]


@dataclass(frozen=True)
class FindPage:
    """dated: a day or a month was asked for."""

    area: str
    text: str
    kind: str
    filters: list[tuple[str, str, int | None]]
    told: Found
    books: list[Book]
    kind_words: Mapping[Kind, str]
    dated: bool


@cache
def _books() -> tuple[Book, ...]:
    """Causes, tests, rules and words, by their names and what they tell."""
    made = [("Cause", c.title, f"/causes/{c.code}", f"{c.code} {c.mechanism}") for c in CAUSES]
    made += [("Test", t.do, f"/tests#{t.key}", t.key) for t in TESTS]
    made += [("Rule", rule.answers, f"/limits#rule-{rule.code}", f"{rule.code} {rule.source}") for rule in ALL]
    made += [("Word", w.word, f"/words#{w.key}", f"{w.also} {w.means}") for t in TOPICS for w in t.words]
    return tuple(Book(what, title, to, _words(f"{title} {more}")) for what, title, to, more in made)


def _words(text: str) -> tuple[str, ...]:
    return tuple(re.findall(r"[^\W_]+", text.lower()))


def books_for(words: tuple[str, ...], most: int = _MOST_BOOKS) -> list[Book]:
    """What of the reference has all these words, those with more of them in the title first."""
    wanted = [w for word in words for w in _words(word)]
    if not wanted:
        return []
    hits = [b for b in _books() if all(any(w.startswith(one) for w in b.words) for one in wanted)]
    return sorted(hits, key=lambda b: -sum(any(w.startswith(one) for w in _words(b.title)) for one in wanted))[:most]


@router.get("/find")
def find(
    db: Database,
    q: Annotated[str, Query(max_length=200)] = "",
    kind: str = "",
    page: Annotated[int, Query(ge=1, le=10**6)] = 1,
) -> Response:
    """Everything that has all the words, begun as typed, and lies in the day or month that was named."""
    text = q.strip()
    what, kind = asked(text), kind if kind in dict(_KINDS) else ""
    dated = what.since is not None
    told = find_rows(db, what, kind, page)
    counts = told.by_kind
    filters: list[tuple[str, str, int | None]] = [("", "All", None if told.more else sum(counts.values()))]
    filters += [(key, title, None if told.more else counts.get(key, 0)) for key, title in _KINDS]
    books = [] if dated else books_for(what.words)
    return render("find.html", FindPage("find", text, kind, filters, told, books, KIND_WORDS, dated))
