"""What is kept of earlier attempts and closed cases, as evidence: who else fails here, how this vehicle fares elsewhere,
what it was before.

Shares and bounds are common practice, no source.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, NamedTuple

from gladwire.core.answers import Answer, Before
from gladwire.core.case.swaps import Attempt, Came, Part
from gladwire.core.diagnosis.causes import BY_CODE, CAUSES

# What closed cases elsewhere would count for, and the most that closed cases here may weigh: a few are an accident.
_ELSEWHERE_CASES, _MOST = 200.0, 1.5
_ALL_PRIORS = sum(cause.prior for cause in CAUSES)


class _Question(NamedTuple):
    """same, other: the part that stays and the one that was changed; both noted of every attempt that answers. what: in
    words."""

    test: str
    same: tuple[Part, ...]
    other: Part
    what: str


_QUESTIONS: tuple[_Question, ...] = (
    _Question("others_here", ("post",), "vehicle", "with another vehicle at this post"),
    _Question("elsewhere", ("vehicle",), "post", "of this vehicle at another post"),
    _Question("swap_lead", ("vehicle", "post"), "lead", "of this vehicle at this post with another lead"),
)


def by_attempts(
    parts: Mapping[Part, str], others: Sequence[Attempt], where: str, of: Literal["case", "elsewhere"]
) -> Iterator[Answer]:
    """Answers that attempts with one thing changed give, where they all came to the same. where: the time or the case they
    are of, in words."""
    for question in _QUESTIONS:
        came = [a.came for a in others if _answers(question, parts, a) and a.came != "open"]
        if came and len(set(came)) == 1:
            yield Answer(
                test=question.test,
                result="so" if came[0] == "failed" else "not_so",
                text=f"{_count(came)} {question.what}, {where}.",
                of_record=of,
            )


def _answers(question: _Question, parts: Mapping[Part, str], tried: Attempt) -> bool:
    same = all(parts.get(p) and tried.parts.get(p) == parts[p] for p in question.same)
    changed, own = tried.parts.get(question.other, ""), parts.get(question.other, "")
    return same and bool(changed and own) and changed != own


def _count(came: Sequence[Came]) -> str:
    tries = "attempt" if len(came) == 1 else "attempts"
    return f"{len(came)} {came[0]} of {len(came)} {tries}"


def by_closed_cases(causes: Sequence[str], of: str) -> Mapping[str, Before]:
    """How much likelier each cause is for having been it before. causes: of every closed case that counts, one each; of: what
    they have in common, in words."""
    found = {}
    for code in set(causes) & set(BY_CODE):
        times = causes.count(code)
        expected = _ELSEWHERE_CASES * BY_CODE[code].prior / _ALL_PRIORS
        cases = "case" if len(causes) == 1 else "cases"
        words = f"It was this in {times} of {len(causes)} closed {cases} {of}."
        found[code] = Before(weight=min(_MOST, math.log1p(times / expected)), words=words)
    return found
