"""Stretches of a charge loop in which the post holds back: a limit it lowers, or less than asked and no limit that says so.

The folded record keeps ranges only; when what was said is told apart here, message by message.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from statistics import median
from typing import Any, NamedTuple

from gladwire.core.lanes.frames.connection import CapturedMessage
from gladwire.core.lanes.frames.folding import FLAGS
from gladwire.core.lanes.frames.record import HeldBack
from gladwire.core.standards.dc_limits import FLOWS_A, GIVES_A, GIVES_SHARE, NO_CURRENT_S
from gladwire.core.standards.v2g_codes import FIELDS_20, STOP_NOTICES, STOPPING

# A limit is lowered by saying so; current has to follow, and while it rises it is on its way. (seconds, answers)
_SAID, _STEADY, _RISES = (0.3, 3), (1.0, 8), 1.05
# A limit this much under the largest it was is lowered; a want this much over it is held back by it. Common practice.
_LOWERED, _OVER = 0.9, 1.02


class _Said(NamedTuple):
    """What one request and its answer say of a moment; None where they do not."""

    time_s: float
    asked: float | None
    given: float | None
    allowed: float | None
    flagged: bool


def held_back(messages: Sequence[CapturedMessage]) -> tuple[HeldBack, ...]:
    """messages: of one connection, in order."""
    amps = list(_said(messages, "EVTargetCurrent", "EVSEPresentCurrent", ("EVSEMaximumCurrentLimit",)))
    of_ac = list(_said(messages, "", "", ("EVSEMaxCurrent",)))
    found = [*_lowered(amps, "A"), *_lowered(of_ac, "A"), *_short(amps)]
    return tuple(sorted(found, key=lambda h: h.start_s))


def _said(messages: Sequence[CapturedMessage], asks: str, gives: str, allows: tuple[str, ...]) -> list[_Said]:
    found: list[_Said] = []
    asked: float | None = None
    for m in messages:
        name, fields = m.message.name, m.message.fields
        if name.endswith("Req") and _is_loop(name):
            asked = _number(fields, asks)
        elif name.endswith("Res") and _is_loop(name) and not str(fields.get("ResponseCode", "")).startswith("FAILED"):
            allowed = next((v for key in allows if (v := _number(fields, key)) is not None), None)
            given = _number(fields, gives)
            flagged = any(fields.get(flag) is True for flag in FLAGS)
            if _asks_to_stop(fields):
                break  # what it gives after that is no derating
            if allowed is not None or given is not None:
                found.append(_Said(m.time_s, asked, given, allowed, flagged))
    return found


def _is_loop(name: str) -> bool:
    return name[:-3] in ("CurrentDemand", "ChargingStatus", "DC_ChargeLoop", "AC_ChargeLoop")


def _asks_to_stop(fields: dict[str, Any]) -> bool:
    """As of an answer: a notice or a status with which the post asks to stop."""
    words = {path.rpartition(".")[2]: value for path, value in fields.items()}
    return words.get("EVSENotification") in STOP_NOTICES or words.get("EVSEStatusCode") in STOPPING


def _number(fields: dict[str, Any], name: str) -> float | None:
    if not name:
        return None
    also = FIELDS_20.get(name, name)
    for path, value in fields.items():
        if path.rpartition(".")[2] in (name, also) and isinstance(value, int | float) and not isinstance(value, bool):
            return float(value)
    return None


def _stretches(said: Sequence[_Said], holds: Callable[[int], bool], least: tuple[float, int]) -> list[tuple[int, int]]:
    """(first, last) of each run of moments for which something holds: for so many seconds and answers, or plainly long."""
    found: list[tuple[int, int]] = []
    for i in range(len(said)):
        if not holds(i):
            continue
        if found and found[-1][1] == i - 1:
            found[-1] = (found[-1][0], i)
        else:
            found.append((i, i))
    lasting = [(a, b, said[b].time_s - said[a].time_s) for a, b in found]
    return [(a, b) for a, b, s in lasting if s >= NO_CURRENT_S or (s >= least[0] and b - a + 1 >= least[1])]


def _is_rising(said: Sequence[_Said]) -> bool:
    """Whether current is still on its way up: more in the last third than in the first."""
    given = [s.given or 0.0 for s in said]
    third = len(given) // 3
    return median(given[-third:]) > _RISES * median(given[:third])


def _lowered(said: Sequence[_Said], unit: str) -> list[HeldBack]:
    """The post allows less than it did, and the vehicle had wanted more than that; of AC its wish is not said."""
    tops: list[float] = []
    wishes: list[float] = []
    for s in said:
        tops.append(max(s.allowed or 0.0, tops[-1] if tops else 0.0))
        wishes.append(max(s.asked or 0.0, wishes[-1] if wishes else 0.0))

    def holds(i: int) -> bool:
        allowed = said[i].allowed
        if allowed is None or allowed >= _LOWERED * tops[i]:
            return False
        return wishes[i] == 0.0 or wishes[i] > _OVER * allowed

    return [
        HeldBack(
            kind="lowered",
            start_s=said[a].time_s,
            end_s=said[b].time_s,
            before=tops[a],
            now=min(s.allowed for s in said[a : b + 1] if s.allowed is not None),
            unit=unit,
            to_the_end=b == len(said) - 1,
        )
        for a, b in _stretches(said, holds, _SAID)
    ]


def _short(said: Sequence[_Said]) -> list[HeldBack]:
    """Far less than asked, though the post's own limit allows it and no flag says otherwise."""

    def holds(i: int) -> bool:
        s = said[i]
        if s.asked is None or s.given is None or s.flagged or s.given <= FLOWS_A:
            return False
        wanted = min(s.asked, s.allowed) if s.allowed is not None else s.asked
        return s.given < GIVES_SHARE * wanted - GIVES_A

    return [
        HeldBack(
            kind="short",
            start_s=said[a].time_s,
            end_s=said[b].time_s,
            before=max(s.asked or 0.0 for s in said[a : b + 1]),
            now=sorted(s.given or 0.0 for s in said[a : b + 1])[(b - a) // 2],
            unit="A",
            to_the_end=b == len(said) - 1,
        )
        for a, b in _stretches(said, holds, _STEADY)
        if said[b].time_s - said[a].time_s >= NO_CURRENT_S or not _is_rising(said[a : b + 1])
    ]
