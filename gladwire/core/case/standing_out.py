"""Which post disappoints many vehicles, and which vehicle many posts, beyond what chance makes of it.

Each pair of a vehicle and a post counts once, however often it was tried, so that one vehicle brought back ten times does not
blame a post. Against all other pairs: Fisher's exact test, one-sided (R. A. Fisher, 1935; `scipy.stats.fisher_exact`), times
the number of things looked at (Bonferroni).
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, NamedTuple

# Below this chance a thing is named, and only with so many on the other side; by judgement.
_RARE, _FEWEST = 0.05, 3
Side = Literal["vehicle", "stall"]


class Pair(NamedTuple):
    """What came of a vehicle at a stall, by their numbers: decided tries, and how many of them failed."""

    vehicle: int
    stall: int
    tries: int
    failed: int

    @property
    def is_failing(self) -> bool:
        return 2 * self.failed > self.tries


class StandsOut(NamedTuple):
    """failed of tried partners here, and of all others elsewhere. chance: of so many or more by accident, all things looked
    at taken into account."""

    thing: int
    side: Side
    failed: int
    tried: int
    failed_elsewhere: int
    tried_elsewhere: int
    chance: float

    @property
    def words(self) -> str:
        partners = "vehicles" if self.side == "stall" else "posts"
        once = f"once in {1 / self.chance:.0f}" if self.chance > 1e-4 else "less than once in 10 000"
        others = f"{self.failed_elsewhere} of {self.tried_elsewhere} pairs elsewhere"
        return f"{self.failed} of {self.tried} {partners} failed, against {others}. By chance {once}."


def standing_out(pairs: Iterable[Pair]) -> tuple[StandsOut, ...]:
    """Things that fail with more partners than chance explains, the least likely first."""
    told = [p for p in pairs if p.tries > 0]
    failing = sum(p.is_failing for p in told)
    found: list[StandsOut] = []
    looked_at = 0
    for side in ("vehicle", "stall"):
        of: dict[int, list[Pair]] = {}
        for p in told:
            of.setdefault(getattr(p, side), []).append(p)
        looked_at += sum(len(mine) >= _FEWEST for mine in of.values())
        found += [_of(thing, side, mine, failing, len(told)) for thing, mine in of.items() if len(mine) >= _FEWEST]
    scaled = (s._replace(chance=min(1.0, s.chance * looked_at)) for s in found)
    return tuple(sorted((s for s in scaled if s.chance < _RARE), key=lambda s: s.chance))


def _of(thing: int, side: Side, mine: list[Pair], failing: int, total: int) -> StandsOut:
    failed = sum(p.is_failing for p in mine)
    elsewhere, others = failing - failed, total - len(mine)
    from scipy.stats import fisher_exact  # type: ignore[import-untyped]  # slow to import, seldom needed

    table = [[failed, len(mine) - failed], [elsewhere, others - elsewhere]]
    chance = float(fisher_exact(table, alternative="greater").pvalue) if others else 1.0
    return StandsOut(thing, side, failed, len(mine), elsewhere, others, chance)
