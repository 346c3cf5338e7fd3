"""The best course of limiters over a whole session: every stretch weighs its hypotheses, changing costs, and what comes
within reach of the best is named with it.

A chain of stretches between breaks is solved exactly (forward and backward in logarithms), so each limiter gets the share of
all courses that go through it. A short stretch weighs little by itself and goes with what is beside it.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gladwire.core.lanes.power.clues import Told
from gladwire.core.lanes.power.heard import Heard, heard
from gladwire.core.lanes.power.hypotheses import HYPOTHESES, Bid
from gladwire.core.lanes.power.stretch import Stretch
from gladwire.core.power.limiters import LIMITERS, LimiterKey
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.practice import SLOW_RAMP_S

# The cost of another limiter, in the same logarithms as weights; from which length on evidence counts in full, and the
# least it counts.
_CHANGE, _FULL_S, _LEAST_SHARE = 0.9, 90.0, 0.15
# A limiter with less than this share of all courses is not named first; one with this share of the best is named beside.
_LEAST, _BESIDE, _BESIDE_LEAST = 0.30, 0.25, 0.10
_MOST_BESIDE = 3
_HALF_SOC = 49.4
_KEYS: tuple[LimiterKey, ...] = tuple(limiter.key for limiter in LIMITERS if limiter.key not in ("none", "stop_fault"))
_AT = {key: i for i, key in enumerate(_KEYS)}
# What does not bid for a stretch may still hold it with what is beside it, if it is short.
_NO_BID = -3.0


def best_course(stretches: Sequence[Stretch]) -> list[Told]:
    """What held at each stretch, the same number of them."""
    told: list[Told | None] = [_given(s) for s in stretches]
    start = 0
    while start < len(stretches):
        if told[start] is not None:
            start += 1
            continue
        end = start
        while end < len(stretches) and told[end] is None:
            end += 1
        told[start:end] = _solved(stretches[start:end])
        start = end
    return [one for one in told if one is not None]


def _given(s: Stretch) -> Told | None:
    """What needs no weighing: nothing flows, or power ramps up."""
    if s.course == "off":
        return _off(s)
    if s.course != "ramp":
        return None
    took = f"Power rises from {s.start_kw:.1f} to {s.end_kw:.1f} kW in {s.seconds:.0f} s"
    if s.seconds > SLOW_RAMP_S:
        return Told("ramp", 0.7, (f"{took}: slow, 60 to 80 s are usual and up to two minutes for trucks.",))
    return Told("ramp", 0.95, (f"{took}.",))


def _off(s: Stretch) -> Told:
    if s.number == 0:
        return Told("none", 1.0, ("Nothing flows yet.",))
    if s.number == s.of - 1 or s.whole.later_kw[s.last] <= s.whole.idle_kw:
        if stopped_early(s):
            soc = s.mean("soc_percent")
            at = f" at {soc:.0f} %" if soc is not None else ""
            # Above half somebody may well have wanted no more.
            sure = 0.6 if soc is not None and soc < _HALF_SOC else 0.45
            why = f"Power falls from {s.before_kw:.1f} kW to nothing{at} and does not come back."
            return Told("stop_fault", sure, (why,))
        return Told("none", 1.0, ("Nothing flows any more.",))
    return Told("stop_fault", 0.9, (f"Power falls from {s.before_kw:.1f} kW to nothing and comes back later.",))


def stopped_early(s: Stretch) -> bool:
    """Whether power ended all at once, far from full and from a level somebody stops at by plan.

    A stop at 80 % or more, or on a whole five above half, looks like somebody's wish.
    """
    if s.before_kw < 0.3 * s.whole.top_kw or s.seconds < 15.0:
        return False
    soc = s.mean("soc_percent")
    if soc is None or soc >= 78.0:
        return False
    planned = abs(soc - 10.0 * round(soc / 10.0)) <= 1.0 or abs(soc - 5.0 * round(soc / 5.0)) <= 0.6
    return not (soc >= _HALF_SOC and planned)


def _solved(chain: Sequence[Stretch]) -> list[Told]:
    bids = [_bids(s) for s in chain]
    weights = np.array([_weights(s, found) for s, found in zip(chain, bids, strict=True)])
    shares = _shares(weights)
    return [_told(s, found, share) for s, found, share in zip(chain, bids, shares, strict=True)]


def _bids(s: Stretch) -> dict[LimiterKey, Bid]:
    """The best bid of each limiter, after what vehicle and post said of what they ask and allow."""
    said = heard(s)
    found: dict[LimiterKey, Bid] = {}
    offers = [bid for hypothesis in HYPOTHESES for bid in hypothesis(s)]
    offers += said.bids if said else []
    for bid in offers:
        weighed = bid._replace(weight=bid.weight + (said.shift(bid.limiter) if said else 0.0))
        before = found.get(bid.limiter)
        if before is None or (before.guess, -before.weight) > (bid.guess, -weighed.weight):
            found[bid.limiter] = weighed
    return {key: _with_words(bid, said) for key, bid in found.items()}


def _with_words(bid: Bid, said: Heard | None) -> Bid:
    return bid._replace(why=tuple(dict.fromkeys((*said.words, *bid.why)))) if said else bid


def _weights(s: Stretch, bids: dict[LimiterKey, Bid]) -> Floats:
    share = float(np.clip(s.seconds / _FULL_S, _LEAST_SHARE, 1.0))
    weights = np.full(len(_KEYS), _NO_BID * share)
    for key, bid in bids.items():
        if not bid.guess:
            weights[_AT[key]] = bid.weight * share
    # Nothing read explains it: a claim that always stands, and that a bid must beat.
    weights[_AT["unexplained"]] = 0.0
    return weights


def _shares(weights: Floats) -> Floats:
    """The share of all courses that go through each limiter at each stretch; shape (n, limiters), rows sum to 1."""
    count = len(_KEYS)
    change = np.full((count, count), -_CHANGE)
    np.fill_diagonal(change, 0.0)
    forward, backward = weights.copy(), np.zeros_like(weights)
    for i in range(1, len(weights)):
        forward[i] += np.logaddexp.reduce(forward[i - 1][:, None] + change, axis=0)
    for i in range(len(weights) - 2, -1, -1):
        backward[i] = np.logaddexp.reduce(change + (weights[i + 1] + backward[i + 1])[None, :], axis=1)
    both = forward + backward
    shares: Floats = np.exp(both - np.logaddexp.reduce(both, axis=1, keepdims=True))
    return shares


def _told(s: Stretch, bids: dict[LimiterKey, Bid], shares: Floats) -> Told:
    order = [int(i) for i in np.argsort(-shares)]
    best = _KEYS[order[0]]
    top = float(shares[order[0]])
    beside = [
        _KEYS[i]
        for i in order[1:]
        if shares[i] >= max(_BESIDE * top, _BESIDE_LEAST) and _KEYS[i] not in ("unexplained", "ramp")
    ]
    guesses = [key for key, bid in bids.items() if bid.guess and key != best and bid.weight >= 0.0]
    if best == "unexplained" or top < _LEAST:
        could = [best, *beside] if best != "unexplained" else beside
        also = tuple(dict.fromkeys([*could, *guesses]))[:_MOST_BESIDE]
        facts = f"Power goes from {s.start_kw:.1f} to {s.end_kw:.1f} kW; nothing read explains it."
        why = tuple(dict.fromkeys(sentence for key in also if key in bids for sentence in bids[key].why))[:3]
        return Told("unexplained", 0.5, why or (facts,), also)
    open_ = guesses if top < 0.75 or best == "shared_cabinet" else []
    also = tuple(dict.fromkeys([*beside, *open_]))[:_MOST_BESIDE]
    why = bids[best].why if best in bids else (f"As before, {s.start_kw:.1f} to {s.end_kw:.1f} kW.",)
    return Told(best, _sure(top, also), why, also)


def _sure(share: float, also: Sequence[LimiterKey]) -> float:
    """How sure a limiter is, bounded: a record is not the world."""
    return float(np.clip(share if not also else min(share, 0.75), 0.05, 0.95))
