"""The swap table: what was tried with what, what the fault follows, and which cell to fill next.

One car failing at many posts is the car, many cars at one post the post (common practice, no source). How often a part that
is at fault fails, and a sound one, is common practice too.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from itertools import combinations, product
from typing import Literal, NamedTuple, get_args

from gladwire.core.information import entropy_bits

Part = Literal["vehicle", "post", "lead", "adapter", "controller", "software"]
PARTS: tuple[Part, ...] = get_args(Part)
PART_WORDS: Mapping[Part, str] = {
    "vehicle": "the vehicle", "post": "the post", "lead": "the lead", "adapter": "the adapter",
    "controller": "the controller", "software": "the version",
}  # fmt: skip
Came = Literal["charged", "failed", "open"]

# A part at fault fails so often where it takes part, anything else so often all the same.
_FAULTY, _SOUND = 0.9, 0.06
# How common it is that a fault follows one part of a kind, a pair of them, all of them (what they share), or none.
_COMMON: Mapping[str, float] = {
    "vehicle": 3.0,
    "post": 3.0,
    "lead": 2.0,
    "adapter": 1.5,
    "controller": 1.5,
    "software": 1.0,
}
_PAIR, _ALL, _NOTHING = 0.6, 0.7, 0.7
# Take part in every attempt: what nobody noted of them may be one and the same, and at fault.
_ALWAYS: tuple[Part, ...] = ("vehicle", "post")
# Among so many cells the next one is looked for.
_MOST_CELLS = 400


class Attempt(NamedTuple):
    """One plug-in. parts: kind to name, "" or missing where it is not known which it was."""

    parts: Mapping[Part, str]
    came: Came


class Follows(NamedTuple):
    """A reading of the table. parts: what the fault follows, empty for everything alike, or for nothing. share: 0 to 1."""

    kind: Literal["part", "pair", "all", "none"]
    parts: Mapping[Part, str]
    share: float

    @property
    def words(self) -> str:
        if self.kind == "all":
            return "all alike: what they share, such as supply, back end or weather"
        if self.kind == "none":
            return "none of them: it comes and goes"
        return " with ".join(f"{PART_WORDS[part]} {name or '(not noted which)'}" for part, name in self.parts.items())


class Cell(NamedTuple):
    """A combination worth trying. bits: expected of it about what the fault follows."""

    parts: Mapping[Part, str]
    bits: float


def follows(attempts: Sequence[Attempt]) -> tuple[Follows, ...]:
    """What the fault follows, the likeliest first, shares summing to one; empty where nothing decided was tried."""
    told = [a for a in attempts if a.came != "open"]
    if not any(a.came == "failed" for a in told):
        return ()
    found = [(h, _prior(h, told) * math.prod(_chance(h, a) for a in told)) for h in _hypotheses(told)]
    total = sum(weight for _, weight in found)
    ranked = [Follows(h.kind, h.parts, weight / total) for h, weight in found]
    return tuple(sorted(ranked, key=lambda f: (-f.share, f.words)))


def next_cell(attempts: Sequence[Attempt]) -> Cell | None:
    """The untried combination of what is at hand that would tell most; None where none would."""
    ranked = follows(attempts)
    names = {part: sorted({a.parts.get(part, "") for a in attempts} - {""}) for part in PARTS}
    used = [part for part in PARTS if names[part]]
    if not ranked or math.prod(len(names[part]) for part in used) > _MOST_CELLS:
        return None
    tried = {tuple(a.parts.get(part, "") for part in used) for a in attempts if a.came != "open"}
    cells = []
    for chosen in product(*(names[part] for part in used)):
        if chosen not in tried:
            parts: dict[Part, str] = dict(zip(used, chosen, strict=True))
            cells.append(Cell(parts, _bits(ranked, Attempt(parts, "failed"))))
    return max(cells, key=lambda c: (c.bits, tuple(c.parts.values())), default=None)


def _hypotheses(told: Sequence[Attempt]) -> list[Follows]:
    """One for every part that varies or stands alone, every pair that met, all alike, and nothing."""
    values = {part: sorted({a.parts.get(part, "") for a in told} - {""}) for part in PARTS}
    found = [Follows("part", {part: name}, 0.0) for part in PARTS for name in values[part]]
    found += [Follows("part", {part: ""}, 0.0) for part in _ALWAYS if not values[part]]
    pairs = {
        ((a, attempt.parts[a]), (b, attempt.parts[b]))
        for attempt in told
        for a, b in combinations(PARTS, 2)
        if attempt.parts.get(a) and attempt.parts.get(b)
    }
    found += [Follows("pair", dict(pair), 0.0) for pair in sorted(pairs)]
    return [*found, Follows("all", {}, 0.0), Follows("none", {}, 0.0)]


def _prior(h: Follows, told: Sequence[Attempt]) -> float:
    """How common it is, shared among all of its kind that took part."""
    if h.kind in ("all", "none"):
        return _ALL if h.kind == "all" else _NOTHING
    if h.kind == "part":
        part = next(iter(h.parts))
        return _COMMON[part] / max(1, len({a.parts.get(part, "") for a in told} - {""}))
    return _PAIR / max(1, math.prod(len({a.parts.get(part, "") for a in told} - {""}) for part in h.parts))


def _fails(h: Follows, attempt: Attempt) -> float:
    """The chance that an attempt fails. A part nobody noted may have been the one, or not."""
    if h.kind == "all":
        return _FAULTY
    if h.kind == "none":
        return 0.4
    noted = [attempt.parts.get(part, "") for part in h.parts]
    if not all(h.parts.values()):
        return _SOUND if all(noted) else _FAULTY
    if any(name and name != h.parts[part] for part, name in zip(h.parts, noted, strict=True)):
        return _SOUND
    return _FAULTY if all(noted) else (_FAULTY + _SOUND) / 2


def _chance(h: Follows, attempt: Attempt) -> float:
    fails = _fails(h, attempt)
    return fails if attempt.came == "failed" else 1.0 - fails


def _bits(ranked: Sequence[Follows], attempt: Attempt) -> float:
    found = entropy_bits([h.share for h in ranked])
    for came in ("failed", "charged"):
        joint = [h.share * (_fails(h, attempt) if came == "failed" else 1 - _fails(h, attempt)) for h in ranked]
        of = sum(joint)
        if of > 0:
            found -= of * entropy_bits([part / of for part in joint])
    return max(0.0, found)
