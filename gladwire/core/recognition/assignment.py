"""The best consistent assignment: what several unknown things are together, from what each may be alone and what they make of
each other. Columns of tables and channels of scopes are told by it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import product
from typing import Generic, NamedTuple, TypeVar

H = TypeVar("H")
# An assignment this much better than the next leaves no question. Logarithm of odds, by judgement.
SURE_BY = 1.5
_MOST_TRIED = 50_000


class Assigned(NamedTuple, Generic[H]):
    """chosen: what one thing is in the best assignment; lead: by how much that is better than the best one in which it is
    something else, which is the runner-up; infinite where there is none."""

    chosen: H
    lead: float
    runner_up: H | None

    @property
    def is_sure(self) -> bool:
        return self.lead >= SURE_BY


def assign(options: Sequence[Sequence[tuple[H, float]]], together: Callable[[Sequence[H]], float]) -> list[Assigned[H]]:
    """options: of each thing, what it may be with the logarithm of its odds, first that it is none of the rest; together:
    what is gained where all are so, -inf for what cannot be. Of too many combinations those of the likelier options alone
    are tried, and that a thing is none of the rest is left out only where some combination is left.

    Raises ValueError where no combination can be.
    """
    scored = _scored(_fewer(options, 0), together) or _scored(_fewer(options, 1), together)
    if not scored:
        raise ValueError("nothing these could be together was given")
    scored.sort(key=lambda s: -s[0])
    best, picked = scored[0]
    found = []
    for place, what in enumerate(picked):
        other = next(((total, chosen) for total, chosen in scored if chosen[place] != what), None)
        found.append(Assigned(what, best - other[0] if other else math.inf, other[1][place] if other else None))
    return found


def _fewer(options: Sequence[Sequence[tuple[H, float]]], kept: int) -> list[list[tuple[H, float]]]:
    """Options without those whose loss costs least, until few enough combinations are left; the first `kept` of each stay."""
    left = [list(each) for each in options]
    while math.prod(map(len, left)) > _MOST_TRIED:
        *_, place, thing = min(
            (*_loss(each, place), -len(each), -place, thing)
            for thing, each in enumerate(left)
            for place in range(kept, len(each))
            if len(each) > 1
        )
        del left[thing][-place]
    return left


def _loss(each: Sequence[tuple[H, float]], place: int) -> tuple[float, bool]:
    """(by how much a thing's best option is better than this one, or, of the best, than the next; whether it is the best)."""
    best, second = sorted((odds for _, odds in each), reverse=True)[:2]
    odds = each[place][1]
    return (best - odds, False) if odds < best else (best - second, True)


def _scored(
    options: Sequence[Sequence[tuple[H, float]]], together: Callable[[Sequence[H]], float]
) -> list[tuple[float, tuple[H, ...]]]:
    scored = []
    for picks in product(*options):
        chosen = tuple(what for what, _ in picks)
        total = sum(odds for _, odds in picks) + together(chosen)
        if total > -math.inf:
            scored.append((total, chosen))
    return scored
