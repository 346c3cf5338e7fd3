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
    """options: of each thing, what it may be with the logarithm of its odds; together: what is gained where all are so,
    -inf for what cannot be. Of too many combinations those of the likelier options alone are tried.

    Raises ValueError where no combination can be.
    """
    tried = [sorted(each, key=lambda option: -option[1]) for each in options]
    while math.prod(map(len, tried)) > _MOST_TRIED:
        longest = max(range(len(tried)), key=lambda i: len(tried[i]))
        tried[longest] = tried[longest][:-1]
    scored = []
    for picks in product(*tried):
        chosen = tuple(what for what, _ in picks)
        total = sum(odds for _, odds in picks) + together(chosen)
        if total > -math.inf:
            scored.append((total, chosen))
    if not scored:
        raise ValueError("nothing these could be together was given")
    scored.sort(key=lambda s: -s[0])
    best, picked = scored[0]
    found = []
    for place, what in enumerate(picked):
        other = next(((total, chosen) for total, chosen in scored if chosen[place] != what), None)
        found.append(Assigned(what, best - other[0] if other else math.inf, other[1][place] if other else None))
    return found
