"""The dialogue laid out: two columns of what was said, gaps to scale between them, the breaking point marked."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from gladwire.core.findings import Finding
from gladwire.core.lanes.frames.plain import Spoken, speak, stage_of_exchange
from gladwire.core.lanes.frames.record import (
    SIDE_WORDS,
    Connection,
    ConnectionEnd,
    ConversationRecord,
    Discovery,
    Exchange,
)
from gladwire.core.plc.slac import SlacRun
from gladwire.core.scene.spine import AC_TALKED_SPINE, DC_SPINE
from gladwire.core.words import seconds

TITLES = {s.key: s.title for s in (*AC_TALKED_SPINE, *DC_SPINE)}
_TALKED = [key for key in TITLES if key not in ("seat", "proximity", "lock", "pilot", "offer")]
# A silence is drawn this high per second, up to a height that still fits a screen; its length stands beside it.
_PX_PER_S, _MOST_PX = 14.0, 150.0
_SEEN_GAP_S = 1.0
_MOST_LINES = 400


@dataclass(frozen=True)
class Line:
    """One line of the dialogue. gap_px, gap: the silence before it, drawn and said. kind: turn, match, find or close.

    first, last: numbers of the first and last message in the file, None where there is none to open. breaks: the session
    broke here, with the finding's sentence.
    """

    kind: str
    start_s: float
    end_s: float
    title: str
    spoken: Spoken
    stage: str
    gap_px: int = 0
    gap: str = ""
    times: str = ""
    numbers: tuple[int, ...] = ()
    wait: str = ""
    breaks: str = ""
    by: str = ""
    later: bool = False


@dataclass(frozen=True)
class Dialogue:
    """All lines of one capture's conversation. more: lines left out. others: frames beside it, by name and number."""

    capture: int
    lines: list[Line]
    more: int
    names: list[str]
    others: str


def dialogue(capture: int, record: ConversationRecord, findings: tuple[Finding, ...]) -> Dialogue:
    """Lay out a conversation that is on the session's clock already."""
    lines: list[Line] = [_match_line(run) for run in record.slac]
    lines += _discovery_lines(record.sdp)
    for connection in record.connections:
        lines += [_exchange_line(exchange, connection) for exchange in connection.exchanges]
        lines += [_close_line(c) for c in connection.ends]
    lines.sort(key=lambda line: (line.start_s, line.end_s))
    broken = breaking_point(findings)
    laid = _with_gaps(lines)
    if broken:
        laid = _with_break(laid, broken)
    names = sorted({t.stem for connection in record.connections for t in connection.exchanges})
    return Dialogue(capture, laid[:_MOST_LINES], max(0, len(laid) - _MOST_LINES), names, _others(record))


def _others(record: ConversationRecord) -> str:
    kinds = sorted(record.kinds.items(), key=lambda pair: -pair[1])
    return ", ".join(f"{name} ×{count}" for name, count in kinds[:12]) + (" and others" if len(kinds) > 12 else "")


def breaking_point(findings: Sequence[Finding]) -> Finding | None:
    """The first fault in a stage that is talked through."""
    conversation_faults = [f for f in findings if f.severity == "fault" and f.stage in _TALKED]
    return min(conversation_faults, key=lambda f: f.start_s, default=None)


def _match_line(run: SlacRun) -> Line:
    loud = run.chosen
    ev = f"Who hears me? ({run.requests} times)" if run.requests > 1 else "Who hears me?"
    posts_count = len(run.answers)
    if run.result == "no_answer":
        evse = ""
    else:
        evse = f"{run.evse_mac or f'{posts_count} posts'}: I do{f', at {loud.average_db:.1f} dB' if loud else ''}."
    words = {
        "matched": "matched",
        "no_answer": "no answer",
        "rejected": "no confirmation",
        "incomplete": "broken off",
        "not_joined": "matched, not joined",
    }
    return Line("match", run.start_s, run.end_s, "Matching", Spoken(ev, evse, words[run.result]), "match")


def _discovery_lines(discoveries: tuple[Discovery, ...]) -> list[Line]:
    """Requests up to their answer make one line."""
    lines: list[Line] = []
    asked: list[Discovery] = []
    for one in discoveries:
        if one.request:
            asked.append(one)
            continue
        lines.append(_discovery_line(asked, one))
        asked = []
    if asked:
        lines.append(_discovery_line(asked, None))
    return lines


def _discovery_line(asked: list[Discovery], given: Discovery | None) -> Line:
    start = asked[0].time_s if asked else given.time_s if given else 0.0
    end = given.time_s if given else asked[-1].time_s
    tls = "with TLS" if asked and asked[0].tls else "without TLS"
    times = f"×{len(asked)}" if len(asked) > 1 else ""
    ev = f"Where is the post? {tls[0].upper()}{tls[1:]}, please." if asked else ""
    evse = f"Here, port {given.port}, {'with' if given.tls else 'without'} TLS." if given else ""
    return Line("find", start, end, "Discovery", Spoken(ev, evse, "" if given else "no answer"), "link", times=times)


def _exchange_line(exchange: Exchange, connection: Connection) -> Line:
    many = exchange.count > 1
    times = f"×{exchange.count}" if many else ""
    if many and exchange.period_s:
        times += f", every {seconds(exchange.period_s)}"
    sent = [
        s for s in (exchange.request, exchange.response, exchange.last_request, exchange.last_response) if s is not None
    ]
    broken = next((s.error for s in sent if s.error), "")
    spoken = speak(exchange)
    if broken:
        spoken = spoken._replace(remark="; ".join(x for x in (spoken.remark, f"does not decode whole: {broken}") if x))
    if not exchange.answered:
        spoken = spoken._replace(remark="; ".join(x for x in (spoken.remark, "no answer") if x))
    wait = f"{1000 * exchange.wait_s:.0f} ms" if exchange.wait_s is not None else ""
    numbers = tuple(dict.fromkeys(s.number for s in sent))
    return Line(
        "turn",
        exchange.start_s,
        exchange.end_s,
        exchange.stem,
        spoken,
        stage_of_exchange(exchange),
        times=times,
        numbers=numbers,
        wait=wait,
    )


def _close_line(closing: ConnectionEnd) -> Line:
    how = "Resets the connection." if closing.kind == "rst" else "Closes the connection."
    spoken = Spoken(how, "") if closing.by == "ev" else Spoken("", how)
    return Line("close", closing.time_s, closing.time_s, "Connection", spoken, "end", by=SIDE_WORDS[closing.by])


def _with_gaps(lines: list[Line]) -> list[Line]:
    laid: list[Line] = []
    before = lines[0].start_s if lines else 0.0
    for line in lines:
        gap = line.start_s - before
        px = min(_MOST_PX, _PX_PER_S * max(gap, 0.0))
        silence = seconds(gap) if gap >= _SEEN_GAP_S else ""
        laid.append(replace(line, gap_px=math.ceil(px), gap=silence))
        before = max(before, line.end_s)
    return laid


def _with_break(lines: list[Line], broken: Finding) -> list[Line]:
    """Marks the line in which the session broke, and what comes after it."""
    at = None
    for index, line in enumerate(lines):
        if line.start_s - 1e-6 <= broken.start_s and line.stage == broken.stage:
            at = index
    if at is None:
        at = max((i for i, line in enumerate(lines) if line.start_s - 1e-6 <= broken.start_s), default=None)
    if at is None:
        return lines
    marked = [replace(line, later=i > at) for i, line in enumerate(lines)]
    marked[at] = replace(marked[at], breaks=broken.text)
    return marked
