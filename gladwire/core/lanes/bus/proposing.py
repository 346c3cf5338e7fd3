"""Roles that names alone did not tell: by abbreviations and words of other languages, by units, and by how signals behave
and go together. What is not sure is left without a role: a question is better than a wrong role.

Pack volts are there before anything closes and creep; the inlet's rise to them. Current begins at nought and follows what is
asked; limits stand above what they limit. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.can.decode import Track
from gladwire.core.lanes.bus.evidence import (
    Beside,
    agree,
    around,
    beside,
    closes_as_contactors_do,
    stands_above,
    why_role,
)
from gladwire.core.lanes.bus.roles import guess, unit_words
from gladwire.core.recognition.assignment import assign
from gladwire.core.recognition.words import spoken_of
from gladwire.core.signal.waveform import Floats

_STATE_BITS, _STATE_VALUES = 4, 6
_LIVE_V, _NEAR_V, _FLOWS_A, _NEAR_A = 60.0, 20.0, 3.0, 0.15
_ALIKE_C = 12.0
# Names that speak of what no role here is for, or of what no course tells.
_NONE_OF_OURS = frozenset({"wrong", "else"})
_NOT_BY_COURSE = frozenset({"wrong", "else", "asked", "most"})
# Gained where two go together, and where the one asked is first. Logarithms of odds, by judgement.
_GOES, _FIRST = 2.5, 1.0


class Proposal(NamedTuple):
    """A signal's role, and why. sure: what it does leaves no doubt; others are asked about, and nothing is measured by them.
    role: "" where only what it may be is told."""

    signal: str
    role: str
    why: str
    sure: bool


def propose(tracks: Sequence[Track]) -> tuple[Proposal, ...]:
    """What signals are for, each role once; those that are sure first."""
    live = [t for t in tracks if len(t.values) > 1 and np.isfinite(t.values).any()]
    told = {t.name: role for t in live if (role := _by_words(t))}
    plain = guess((t.name, t.signal.unit, len(t.signal.bits), len(t.signal.choices)) for t in tracks)
    # Of a signal whose name says whose it is, and what, a looser reading of the name counts no more.
    found = {role: name for role, name in plain.items() if told.get(name, role) == role}
    if any(t.name == found.get("pack_v") and not _is_high(t) for t in live):
        del found["pack_v"]
    for name, role in told.items():
        if role not in found and name not in found.values():
            found[role] = name
    by_name = {t.name: t for t in tracks}
    named = set(found.values())
    courses = _by_course(found, [t for t in live if t.name not in named], by_name)
    found |= {c.role: c.track.name for c in courses if c.sure}
    lanes = beside([t for t in live if t.signal.unit or len(t.signal.bits) <= _STATE_BITS])
    held = {role: by_name[name] for role, name in found.items() if name in lanes.held}
    left = [t for t in live if t.name not in found.values() and not spoken_of(t.signal.name) & _NONE_OF_OURS]
    more = list(_states(held, left, lanes))
    found |= {p.role: p.signal for p in more if p.sure}
    held |= {p.role: by_name[p.signal] for p in more if p.sure}
    sure = [
        Proposal(name, role, _why(name in named, why_role(role, held[role], held, lanes) if role in held else ""), True)
        for role, name in found.items()
    ]
    taken = set(found.values())
    perhaps = [Proposal(c.track.name, c.role, "its course, as another's", False) for c in courses if not c.sure]
    open_ = [
        p for p in (*perhaps, *more, *_limits(held, left, lanes), *_warm(held, left, lanes)) if p.signal not in taken
    ]
    return (*sure, *(p for p in open_ if not p.sure))


def _why(named: bool, course: str) -> str:
    return "; ".join(part for part in ("its name" if named else "", course) if part)


def _states(held: Mapping[str, Track], left: Sequence[Track], lanes: Beside) -> Iterator[Proposal]:
    """The contactors' state, told by three relations where exactly one has them; and states that hold it, proposed."""
    states = [t for t in left if not t.signal.unit and len(t.signal.bits) <= _STATE_BITS and t.name in lanes.held]
    contactor = held.get("contactor")
    if contactor is None and {"pack_v", "inlet_v", "amps"} <= set(held):
        pack, inlet, amps = held["pack_v"], held["inlet_v"], held["amps"]
        fitting = [(t, why) for t in states if (why := closes_as_contactors_do(t, lanes, pack, inlet, amps))]
        if len(fitting) == 1:
            contactor = fitting[0][0]
            yield Proposal(contactor.name, "contactor", fitting[0][1], True)
    if contactor is not None and "lock" not in held:
        holding = [(t, why) for t in states if t is not contactor and (why := around(t, contactor))]
        for t, why in holding:
            yield Proposal(t.name, "lock" if len(holding) == 1 else "", f"{why}: the lock, or the plug", False)


def _limits(held: Mapping[str, Track], left: Sequence[Track], lanes: Beside) -> Iterator[Proposal]:
    """Signals that hardly move and stand above what flows, or above the pack."""
    for t in left:
        unit = unit_words(t.signal.unit)
        if t.name not in lanes.held:
            continue
        if unit == "A" and "amps" in held and (why := stands_above(t, lanes, held["amps"])):
            yield Proposal(t.name, "", f"{why}: a limit of the post or of the vehicle", False)
        if unit == "V" and "pack_v" in held and len(np.unique(t.values)) <= _STATE_VALUES:
            least = float(np.nanmin(lanes.of(t) - lanes.of(held["pack_v"])))
            if least > 0:
                why = f"stands above {held['pack_v'].signal.name} by at least {least:.3g} V: volts asked, or a limit"
                yield Proposal(t.name, "" if "asked_v" in held else "asked_v", why, False)


def _warm(held: Mapping[str, Track], left: Sequence[Track], lanes: Beside) -> Iterator[Proposal]:
    """Two temperatures that go together."""
    warm = [t for t in left if unit_words(t.signal.unit) == "°C" and t.name in lanes.held]
    if len(warm) != 2 or {"pin_1_c", "pin_2_c"} & set(held):
        return
    one, two = warm
    within = agree(one, two, lanes)
    for t, other, role in ((one, two, "pin_1_c"), (two, one, "pin_2_c")) if within < _ALIKE_C else ():
        yield Proposal(
            t.name, role, f"agrees with {other.signal.name} within {within:.2g} °C: the pins, perhaps", False
        )


def _by_words(track: Track) -> str:
    """The role a name with its unit speaks of beyond doubt, "" for none."""
    kinds, unit, bits = spoken_of(track.signal.name), unit_words(track.signal.unit), len(track.signal.bits)
    if "wrong" in kinds or ("else" in kinds and unit in ("V", "A", "")):
        return ""
    if unit == "V" or (not unit and bits > _STATE_BITS and "volts" in kinds):
        role = _of_volts(kinds)
        return "" if role == "pack_v" and not _is_high(track) else role
    if unit == "A" or (not unit and bits > _STATE_BITS and "amps" in kinds):
        # The current of a lock's motor is none of the charge.
        return "" if "lock" in kinds else _of_amps(kinds, unit)
    if unit == "%" and "soc" in kinds and not kinds & {"most", "asked"}:
        return "soc" if _between(track.values, 0.0, 100.5) else ""
    if unit == "°C" and "pin" in kinds and ("plus" in kinds) != ("minus" in kinds):
        return "pin_1_c" if "plus" in kinds else "pin_2_c"
    if unit == "°C" and "vehicle" in kinds and "pin" not in kinds:
        return "pack_c"
    return (
        _of_state(kinds) if not unit and bits <= _STATE_BITS and len(np.unique(track.values)) <= _STATE_VALUES else ""
    )


def _of_volts(kinds: frozenset[str]) -> str:
    if "asked" in kinds:
        return "asked_v"
    if "most" in kinds:
        return "post_max_v" if "post" in kinds else "vehicle_max_v" if "vehicle" in kinds else ""
    if "vehicle" in kinds:
        return "pack_v"
    return "inlet_v" if kinds & {"inlet", "post"} else ""


def _of_amps(kinds: frozenset[str], unit: str) -> str:
    if "asked" in kinds:
        return "asked_a"
    if "most" in kinds:
        return "post_max_a" if "post" in kinds else "vehicle_max_a" if "vehicle" in kinds else ""
    return "amps" if unit and kinds & {"amps", "inlet", "vehicle", "post"} else ""


def _of_state(kinds: frozenset[str]) -> str:
    if "contactor" in kinds:
        return "precharge" if "pre" in kinds else "contactor"
    return "lock" if "lock" in kinds else "plug" if "plugged" in kinds else ""


class _Course(NamedTuple):
    """A signal no name told, and the role its course speaks for; sure: whether no other assignment comes near."""

    role: str
    track: Track
    sure: bool


def _by_course(found: Mapping[str, str], left: Sequence[Track], by_name: Mapping[str, Track]) -> list[_Course]:
    """The best consistent assignment of signals in volts, amperes and percent that no name told."""
    held = {role: by_name[name] for role, name in found.items() if name in by_name}
    open_ = [t for t in left if not spoken_of(t.signal.name) & _NOT_BY_COURSE]
    options = [[(role, odds) for role, odds in _may_be(t) if role not in held] for t in open_]
    chosen = [(t, [("", 0.0), *each]) for t, each in zip(open_, options, strict=True) if each]
    if not chosen:
        return []
    known: dict[tuple[str, str, str], bool] = {}

    def goes(how: Callable[[Track, Track], bool], one: Track, other: Track) -> bool:
        key = (how.__name__, one.name, other.name)
        if key not in known:
            known[key] = how(one, other)
        return known[key]

    def together(roles: Sequence[str]) -> float:
        named = [role for role in roles if role]
        if len(named) != len(set(named)):
            return -np.inf
        of = held | {role: t for role, (t, _) in zip(roles, chosen, strict=True) if role}
        gained = 0.0
        if "inlet_v" in named:
            gained += _GOES if "pack_v" in of and goes(_rises_to, of["inlet_v"], of["pack_v"]) else -_GOES
        if {"amps", "asked_a"} & set(named) and {"amps", "asked_a"} <= set(of):
            gained += _GOES if goes(_follows, of["amps"], of["asked_a"]) else -_GOES
            if {"amps", "asked_a"} <= set(named):  # of two that follow each other the one asked is first
                lead = _begins(of["amps"]) - _begins(of["asked_a"])
                gained += _FIRST if lead > 0 else -_FIRST
        elif "asked_a" in named:
            gained -= _GOES
        return gained

    best = assign([each for _, each in chosen], together)
    return [_Course(b.chosen, t, b.is_sure) for (t, _), b in zip(chosen, best, strict=True) if b.chosen]


def _may_be(track: Track) -> Iterator[tuple[str, float]]:
    """Roles a course alone leaves possible, with the logarithm of their odds."""
    match unit_words(track.signal.unit):
        case "V" if _is_there_from_the_start(track):
            yield "pack_v", 1.8
        case "V" if track.values[0] < _LIVE_V and _is_high(track):
            yield "inlet_v", 0.0
        case "A" if _begins_at_nought(track):
            yield "amps", 1.8
            yield "asked_a", 0.0
        case "A" if len(np.unique(track.values)) > 1:
            yield "asked_a", 0.0
        case "%" if _creeps(track):
            yield "soc", 2.0


def _is_high(track: Track) -> bool:
    """Whether it ever reads volts of a traction battery: one that never does is the 12 V one, or not told."""
    return bool(np.nanmax(track.values) > _LIVE_V)


def _between(values: Floats, low: float, high: float) -> bool:
    known = values[np.isfinite(values)]
    return bool(len(known) and low <= known.min() and known.max() <= high)


def _is_there_from_the_start(track: Track) -> bool:
    """Live before anything closes, and creeping."""
    values = track.values
    steady = float(np.percentile(values, 95)) < 1.25 * float(np.percentile(values, 5))
    return bool(values[0] > _LIVE_V and steady and np.ptp(values) > 0 and values.max() < 1500.0)


def _rises_to(track: Track, pack: Track) -> bool:
    """Near nought first, then near the pack's volts for a good part of the time."""
    beside = np.interp(track.time_s, pack.time_s, pack.values)
    near = np.abs(track.values - beside) < _NEAR_V
    return bool(track.values[0] < _LIVE_V and near.mean() > 0.2 and not near[0])


def _begins_at_nought(track: Track) -> bool:
    """No current at first, then some that is not the same all along, as limits are."""
    size = np.abs(track.values)
    first = size[: max(3, len(size) // 20)]
    return bool(
        first.max() < 1.0 and size.max() > _FLOWS_A and len(np.unique(track.values)) > 8 and size.max() < 2000.0
    )


def _begins(track: Track) -> float:
    """When a signal first reaches a tenth of its most."""
    size = np.abs(track.values)
    return float(track.time_s[int(np.argmax(size > 0.1 * size.max()))])


def _follows(track: Track, asked: Track) -> bool:
    """Within a few percent of what is asked for most of the time that anything flows, and moving as it does."""
    beside = np.interp(track.time_s, asked.time_s, asked.values)
    flows = np.abs(track.values) > _FLOWS_A
    if flows.sum() < 5 or not _begins_at_nought(track):
        return False
    close = np.abs(np.abs(track.values[flows]) - np.abs(beside[flows])) < np.maximum(
        3.0, _NEAR_A * np.abs(beside[flows])
    )
    return bool(close.mean() > 0.6)


def _creeps(track: Track) -> bool:
    """In 0 to 100, rising by small steps, some in all: a charge that grows."""
    steps = np.diff(track.values)
    return bool(
        _between(track.values, 0.0, 100.5) and (steps >= 0).all() and np.ptp(track.values) > 0.4 and steps.max() <= 2.0
    )
