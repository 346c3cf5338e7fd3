"""Who shares a cabinet, told from real sessions in one place: does a drop at one stall answer a plug-in at another, how
often would that happen by chance, and which plug-ins would settle the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.practice import NEIGHBOUR_AFTER_S, NEIGHBOUR_BEFORE_S

Shares = Literal["shared", "apart", "undecided"]
_DROP_SHARE, _STEP_WINDOW_S = 0.06, 20.0
_SHUFFLES = 1999
_SURE_P = 0.05
# So many plug-ins without an answer, while there was something to take, say that two stalls are apart.
_QUIET = 3


@dataclass(frozen=True)
class SiteSession:
    """A session at a stall. start_s: when it plugged in, on the site's clock; time_s (since then), power_kw: shape (n,)."""

    stall: str
    start_s: float
    time_s: Floats
    power_kw: Floats


class Pair(BaseModel):
    """What sessions tell of two stalls. plug_ins: of one while the other charged at its height; answered: with a drop.

    false_rate: how often plug-ins at random moments are answered as well, by permutation; None without any plug-in.
    """

    model_config = ConfigDict(frozen=True)

    one: str
    other: str
    verdict: Shares
    plug_ins: int
    answered: int
    false_rate: float | None
    why: str


def pairs_of(sessions: Sequence[SiteSession], seed: int = 1) -> tuple[Pair, ...]:
    """Every pair of stalls that were in use: shared, apart or undecided."""
    stalls = sorted({s.stall for s in sessions})
    return tuple(_pair(a, b, sessions, seed) for a, b in combinations(stalls, 2))


def _pair(one: str, other: str, sessions: Sequence[SiteSession], seed: int) -> Pair:
    trials: list[tuple[Floats, float, float, float]] = []
    for host in sessions:
        guests = [s.start_s for s in sessions if {host.stall, s.stall} == {one, other} and s.stall != host.stall]
        span = _height(host)
        if span is None:
            continue
        drops = _drops(host)
        trials += [(drops, g - host.start_s, *span) for g in guests if span[0] <= g - host.start_s <= span[1]]
    answered = sum(_answers(drops, at) for drops, at, _, _ in trials)
    if not trials:
        return Pair(
            one=one, other=other, verdict="undecided", plug_ins=0, answered=0, false_rate=None,
            why="Neither was plugged in while the other charged at its height.",
        )  # fmt: skip
    rng = np.random.default_rng(seed)
    by_chance = np.zeros(_SHUFFLES)
    for drops, _, start, end in trials:
        moments = rng.uniform(start, end, _SHUFFLES)
        by_chance += [_answers(drops, at) for at in moments]
    rate = float((1 + (by_chance >= answered).sum()) / (1 + _SHUFFLES))
    verdict: Shares = "undecided"
    if answered and rate <= _SURE_P:
        verdict = "shared"
    elif not answered and len(trials) >= _QUIET:
        verdict = "apart"
    why = (
        f"{answered} of {len(trials)} plug-ins were answered by a drop; by chance "
        f"that happens in {100 * rate:.1f} % of tries."
    )
    if not answered:
        why = f"None of {len(trials)} plug-ins was answered by a drop."
    return Pair(
        one=one, other=other, verdict=verdict, plug_ins=len(trials), answered=answered, false_rate=rate, why=why
    )


def _height(session: SiteSession) -> tuple[float, float] | None:
    """(from, to): while a session charges near its top, so that a neighbour would be felt."""
    if len(session.power_kw) < 10:
        return None
    high = np.flatnonzero(session.power_kw > 0.6 * session.power_kw.max())
    start, end = float(session.time_s[high[0]]), float(session.time_s[high[-1]])
    return (start, end) if end - start > 300.0 else None


def _drops(session: SiteSession) -> Floats:
    """Moments at which power falls by more than a taper does at once; shape (k,)."""
    step = np.arange(session.time_s[0], session.time_s[-1], 5.0)
    if len(step) < 12:
        return np.empty(0)
    power = np.interp(step, session.time_s, session.power_kw)
    width = int(_STEP_WINDOW_S / 5.0)
    fall = power[:-width] - power[width:]
    deep = fall > _DROP_SHARE * power.max()
    starts = np.flatnonzero(deep & ~np.concatenate([[False], deep[:-1]]))
    # A fall is dated by its steepest step.
    steepest = [int(np.argmax(power[i : i + width] - power[i + 1 : i + width + 1])) for i in starts]
    return np.asarray([step[i + k + 1] for i, k in zip(starts, steepest, strict=True)], dtype=np.float64)


def _answers(drops: Floats, at: float) -> bool:
    return bool(((drops - at > -NEIGHBOUR_BEFORE_S) & (drops - at < NEIGHBOUR_AFTER_S)).any())


def topology(stalls: Sequence[str], pairs: Sequence[Pair]) -> tuple[tuple[str, ...], ...]:
    """Groups of stalls proven to share, each stall in one; in order of their first stall."""
    group = {stall: {stall} for stall in stalls}
    for pair in pairs:
        if pair.verdict == "shared" and group[pair.one] is not group[pair.other]:
            group[pair.one] |= group[pair.other]
            for stall in group[pair.one]:
                group[stall] = group[pair.one]
    seen = {id(g): tuple(sorted(g, key=list(stalls).index)) for g in group.values()}
    return tuple(sorted(seen.values(), key=lambda g: list(stalls).index(g[0])))


class Step(BaseModel):
    """One test: a vehicle charges at `hold` near its top, another plugs in at `plug`. settles: what either result tells."""

    model_config = ConfigDict(frozen=True)

    hold: str
    plug: str
    settles: str


def plan_tests(
    stalls: Sequence[str], pairs: Sequence[Pair], assumed: Mapping[str, str] | None = None
) -> tuple[Step, ...]:
    """The fewest plug-ins that settle who shares, were each to end in “apart”; a “shared” on the way shortens it.

    One stall stands for each group known; a stall not yet placed is tried against each group it may belong to: first those
    whose cabinet is assumed to be the same (assumed: stall to cabinet), then the largest. A group ends where it is proven
    apart from all others.
    """
    groups = topology(stalls, pairs)
    apart = {frozenset((p.one, p.other)) for p in pairs if p.verdict == "apart"}

    def settled(a: Sequence[str], b: Sequence[str]) -> bool:
        return any(frozenset((x, y)) in apart for x in a for y in b)

    open_ = [(a, b) for a, b in combinations(groups, 2) if not settled(a, b)]
    feeds = assumed or {}
    open_.sort(key=lambda p: (feeds.get(p[0][0], 1) != feeds.get(p[1][0], 2), -(len(p[0]) + len(p[1]))))
    return tuple(
        Step(
            hold=a[0],
            plug=b[0],
            settles=f"A drop: {_names(a)} and {_names(b)} share. None: they are apart, when it holds three times.",
        )
        for a, b in open_
    )


def _names(group: Sequence[str]) -> str:
    return ", ".join(group)
