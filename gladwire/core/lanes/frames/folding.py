"""Messages to turns: requests with their answers, loops folded while nothing but numbers changes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from statistics import median
from typing import Any

from gladwire.core.lanes.frames.connection import CapturedMessage
from gladwire.core.lanes.frames.record import Exchange, SentMessage
from gladwire.core.plc.message import Message
from gladwire.core.standards.v2g_timers import answer_max_s

# Flags that come and go within one loop; they are counted instead of splitting it.
FLAGS = ("EVSECurrentLimitAchieved", "EVSEVoltageLimitAchieved", "EVSEPowerLimitAchieved")
# What is different in every message without meaning that something changed.
_PASSING = ("GenChallenge", "MeterInfo.SigMeterReading", "EVSETimeStamp", "DateTimeNow")
_MOST_TURNS = 3000
# Stands for the name of a message that could not be read.
UNDECODED = "undecoded"


@dataclass(slots=True)
class _Exchange:
    stem: str
    request: tuple[int, CapturedMessage] | None
    answer: tuple[int, CapturedMessage] | None
    lost: bool

    @property
    def start_s(self) -> float:
        return (self.request or self.answer)[1].time_s  # type: ignore[index]

    @property
    def end_s(self) -> float:
        return (self.answer or self.request)[1].time_s  # type: ignore[index]

    @property
    def wait_s(self) -> float | None:
        return self.answer[1].time_s - self.request[1].time_s if self.request and self.answer else None


def exchanges(messages: Sequence[tuple[int, CapturedMessage]]) -> list[_Exchange]:
    """Pairs of request and answer in order. messages: (number in the file, message).

    Requests of one segment wait together and are answered in their order; any other request gives up on those before it.
    """
    found: list[_Exchange] = []
    waiting: list[_Exchange] = []
    for number, captured in messages:
        name = captured.message.name
        stem = name[:-3] if name.endswith(("Req", "Res")) else UNDECODED
        if captured.side == 1:
            asked = next((w for w in waiting if stem in (w.stem, UNDECODED)), None)
            if asked is None:
                found.append(_Exchange(stem, None, (number, captured), captured.lost > 0))
                continue
            asked.answer = (number, captured)
            asked.lost = asked.lost or captured.lost > 0
            waiting.remove(asked)
        else:
            waiting = [w for w in waiting if w.request and w.request[1].frame == captured.frame]
            waiting.append(_Exchange(stem, (number, captured), None, captured.lost > 0))
            found.append(waiting[-1])
    return found


def asked_together(messages: Sequence[CapturedMessage]) -> list[CapturedMessage]:
    """Requests that came in one segment with the one before."""
    asked = [m for m in messages if m.side == 0]
    return [b for a, b in pairwise(asked) if a.frame == b.frame]


@dataclass(slots=True)
class _Fold:
    """A turn while it grows."""

    first: _Exchange
    key: tuple[Any, ...]
    last: _Exchange
    count: int = 0
    waits: list[float] = field(default_factory=list)
    starts: list[float] = field(default_factory=list)
    late: int = 0
    worst: tuple[float, float] = (-1.0, 0.0)
    ranges: dict[str, list[float]] = field(default_factory=dict)
    flags: dict[str, int] = field(default_factory=dict)
    measured: set[int] = field(default_factory=set)

    def add(self, exchange: _Exchange, limit_s: float) -> None:
        self.last = exchange
        self.count += 1
        if exchange.request:
            self.starts.append(exchange.request[1].time_s)
        wait = exchange.wait_s
        if wait is not None:
            self.waits.append(wait)
            self.late += wait > limit_s
            if wait > self.worst[0]:
                self.worst = wait, exchange.start_s
        for part in (exchange.request, exchange.answer):
            # The same message said again changes no range.
            if part and id(part[1].message.fields) not in self.measured:
                self.measured.add(id(part[1].message.fields))
                self._measure(part[1].message.fields)
            if part:
                for name in FLAGS:
                    if part[1].message.fields.get(name) is True:
                        self.flags[name] = self.flags.get(name, 0) + 1

    def _measure(self, fields: dict[str, Any]) -> None:
        ranges = self.ranges
        for name, value in fields.items():
            kind = type(value)
            if kind is int or kind is float:
                seen = ranges.get(name)
                if seen is None:
                    ranges[name] = [value, value]
                elif value < seen[0]:
                    seen[0] = value
                elif value > seen[1]:
                    seen[1] = value

    def exchange(self, after_hole: bool) -> Exchange:
        gaps = [b - a for a, b in zip(self.starts, self.starts[1:], strict=False)]
        several = self.count > 1
        either = self.first.request or self.first.answer
        assert either
        return Exchange(
            start_s=self.first.start_s,
            end_s=self.last.end_s,
            stem=self.first.stem,
            protocol=either[1].message.protocol,
            count=self.count,
            request=_sent(self.first.request),
            response=_sent(self.first.answer),
            last_request=_sent(self.last.request) if several else None,
            last_response=_sent(self.last.answer) if several else None,
            answered=self.last.answer is not None,
            wait_s=median(self.waits) if self.waits else None,
            worst_s=self.worst[0] if self.waits else None,
            worst_at_s=self.worst[1] if self.waits else None,
            late=self.late,
            period_s=median(gaps) if gaps else None,
            ranges={k: (v[0], v[1]) for k, v in self.ranges.items() if v[0] != v[1]},
            flags=self.flags,
            after_hole=after_hole,
        )


def _sent(part: tuple[int, CapturedMessage] | None) -> SentMessage | None:
    if part is None:
        return None
    number, captured = part
    message = captured.message
    error = str(message.error) if message.error else ""
    return SentMessage(
        time_s=captured.time_s,
        number=number,
        name=message.name,
        fields=message.fields,
        error=error,
        signed=_is_signed(message),
        session=session.upper() if (session := str(message.header.get("SessionID", ""))).strip("0") else "",
    )


def _is_signed(message: Message) -> bool:
    return any(name.startswith("Signature") for name in message.header)


def fold(found: Iterable[_Exchange], protocol: str) -> tuple[Exchange, ...]:
    """Exchanges as turns; a new turn begins wherever anything but numbers and limit flags changes."""
    folds: list[_Fold] = []
    lost: list[bool] = []
    keys: dict[int, tuple[Any, ...]] = {}
    for exchange in found:
        key = (exchange.stem, exchange.request is None, exchange.answer is None, *_key(exchange, keys))
        if (
            not folds
            or folds[-1].key != key
            or (exchange.lost and exchange.answer is None)
            or exchange.stem == UNDECODED
        ):
            if len(folds) >= _MOST_TURNS and folds[-1].first.stem == exchange.stem:
                pass  # a talk that changes its mind thousands of times is told in one turn from here on
            else:
                folds.append(_Fold(exchange, key, exchange))
                lost.append(exchange.lost)
        folds[-1].add(exchange, answer_max_s(protocol, exchange.stem))
    return tuple(f.exchange(hole) for f, hole in zip(folds, lost, strict=True))


def _key(exchange: _Exchange, known: dict[int, tuple[Any, ...]]) -> list[tuple[Any, ...]]:
    return [_words(part[1].message, known) for part in (exchange.request, exchange.answer) if part]


def _words(message: Message, known: dict[int, tuple[Any, ...]]) -> tuple[Any, ...]:
    """Everything in a message that is no number, worked out once for each object: messages repeat themselves."""
    key = id(message.fields)
    found = known.get(key)
    if found is None:
        found = known[key] = tuple(
            (name, value)
            for name, value in message.fields.items()
            if type(value) not in (int, float) and name not in FLAGS and name not in _PASSING
        )
    return found
