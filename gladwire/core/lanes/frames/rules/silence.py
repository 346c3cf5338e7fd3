"""Silence: a request without an answer, an answer without the next request, answers that come late."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.frames.folding import UNDECODED
from gladwire.core.lanes.frames.record import SPOKEN, Connection, ConversationRecord
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.standards.source import ISO_15118_2_TIMERS
from gladwire.core.standards.v2g_timers import SETUP_S, SILENT_S, answer_max_s, sequence_max_s, timer_source
from gladwire.core.words import seconds

_SEALS = ("SessionStop",)


def _answerless(record: ConversationRecord) -> Iterator[Fact]:
    """The post went silent: a request, and nothing for longer than the vehicle waits."""
    for connection in connections_of(record):
        for index, exchange in enumerate(connection.exchanges):
            if exchange.answered or exchange.request is None:
                continue
            asked = exchange.last_request or exchange.request
            later = connection.exchanges[index + 1].start_s if index + 1 < len(connection.exchanges) else None
            limit = answer_max_s(connection.protocol, exchange.stem)
            until = later if later is not None else _watched_until(record, connection, asked.time_s)
            waited = until - asked.time_s
            if (
                waited < limit
                or exchange.after_hole
                or (later is not None and connection.exchanges[index + 1].after_hole)
            ):
                continue
            before = connection.exchanges[index - 1].stem if index else ""
            if later is None and "ev" in connection.unacknowledged:
                continue  # told as a line that was lost
            times = f", asked {exchange.count} times," if exchange.count > 1 else ""
            after = f" after {before}" if before and before != exchange.stem else ""
            text = (
                f"The post went silent: {exchange.stem}Req at {asked.time_s:.2f} s{times} got no answer in "
                f"{seconds(waited)}{after}."
            )
            yield Fact(
                "fault",
                text,
                asked.time_s,
                until,
                f"no answer in {seconds(waited)}",
                limit.says,
                stage=exchange.stage,
                source=timer_source(connection.protocol),
            )


def _watched_until(record: ConversationRecord, connection: Connection, asked_s: float) -> float:
    """How long the capture shows that no answer came: to the end of the connection, or of the capture."""
    closed = min((c.time_s for c in connection.ends if c.time_s > asked_s), default=record.end_s)
    return min(closed, record.end_s)


def _vehicle_silent(record: ConversationRecord) -> Iterator[Fact]:
    """The vehicle went silent: an answer given, and no next request although the session was not over."""
    for connection in connections_of(record):
        last = connection.exchanges[-1]
        if not last.answered or last.stem in (*_SEALS, UNDECODED) or last.failed:
            continue
        answer = last.last_response or last.response
        if answer is None:
            continue
        until = _watched_until(record, connection, answer.time_s)
        waited = until - answer.time_s
        limit = sequence_max_s(connection.protocol, last.stem)
        by_itself = bool(connection.ends) and min(connection.ends, key=lambda c: c.time_s).by == "ev"
        if by_itself and waited < limit:
            continue  # the vehicle closed: told as an ending
        if waited < min(limit, SILENT_S) or "evse" in connection.unacknowledged:
            continue
        whole = f", and the post waited out its {limit:g} s" if waited >= limit - 0.1 else ""
        whole += "; then the vehicle closed the connection itself" if by_itself else ""
        text = (
            f"The vehicle went silent after {last.stem}Res at {answer.time_s:.2f} s: no next request in "
            f"{seconds(waited)}{whole}."
        )
        yield Fact(
            "fault",
            text,
            answer.time_s,
            until,
            f"silent for {seconds(waited)}",
            f"the next request {limit.says}",
            stage=last.stage,
            source=timer_source(connection.protocol),
        )


def _line_silent(record: ConversationRecord) -> Iterator[Fact]:
    """Bytes that the other end's network does not even acknowledge: the line or a modem, not a controller that hangs."""
    for connection in connections_of(record):
        last = connection.exchanges[-1]
        message = last.last_response or last.response or last.last_request or last.request
        if not connection.unacknowledged or message is None or last.stem in (*_SEALS, UNDECODED):
            continue
        waited = _watched_until(record, connection, message.time_s) - message.time_s
        limit = answer_max_s(connection.protocol, last.stem)
        if waited < limit:
            continue
        who = "post" if "ev" in connection.unacknowledged else "vehicle"
        text = (
            f"From {message.time_s:.2f} s on nothing comes from the {who}, not even an acknowledgement of {message.name} in "
            f"{seconds(waited)}: the line is lost, or a modem went off; a controller that hangs would still acknowledge."
        )
        yield Fact(
            "fault", text, message.time_s, message.time_s + waited, f"no acknowledgement in {seconds(waited)}", limit.says,
            stage=last.stage, source=timer_source(connection.protocol),
        )  # fmt: skip


def _late(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        slow = [t for t in connection.exchanges if t.late and t.worst_s is not None]
        by_stem: dict[str, list[float]] = {}
        for exchange in slow:
            by_stem.setdefault(exchange.stem, []).append(exchange.worst_s or 0.0)
        for stem, waits in by_stem.items():
            exchanges = [t for t in slow if t.stem == stem]
            worst = max(exchanges, key=lambda t: t.worst_s or 0.0)
            late, count = sum(t.late for t in exchanges), sum(t.count for t in connection.exchanges if t.stem == stem)
            limit = answer_max_s(connection.protocol, stem)
            text = (
                f"{late} of {count} answers to {stem}Req came after the vehicle's {limit:g} s, the slowest after "
                f"{seconds(max(waits))}."
            )
            at = worst.worst_at_s or worst.start_s
            yield Fact(
                "suspect",
                text,
                at,
                at + max(waits),
                seconds(max(waits)),
                limit.says,
                stage=worst.stage,
                source=timer_source(connection.protocol),
            )


def _slow_setup(record: ConversationRecord) -> Iterator[Fact]:
    """From the link to a session: the vehicle's set-up timer."""
    for connection in connections_of(record):
        begun = [d.time_s for d in record.sdp if d.request and d.time_s <= connection.start_s]
        earlier = [t.end_s for t in record.connections if t.end_s < connection.start_s]
        begun = [at for at in begun if not earlier or at > max(earlier)]
        setup = next((t for t in connection.of("SessionSetup") if t.response and not t.failed), None)
        if begun and setup and setup.end_s - begun[0] > SETUP_S:
            took = setup.end_s - begun[0]
            text = f"Setting up took {seconds(took)}, from the first discovery to SessionSetupRes."
            yield Fact("suspect", text, begun[0], setup.end_s, seconds(took), SETUP_S.says, stage="link")


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "post_silent",
        "hold",
        ISO_15118_2_TIMERS,
        "a request without an answer: who, how long, after what",
        _answerless,
        breaks=SPOKEN,
        follows=(
            "fault",
            "pilot",
        ),
        needs=Needs(reached="agree"),
    ),
    Rule(
        "vehicle_silent",
        "hold",
        ISO_15118_2_TIMERS,
        "a vehicle that asks nothing more",
        _vehicle_silent,
        breaks=SPOKEN,
        follows=(
            "fault",
            "pilot",
        ),
        needs=Needs(reached="agree"),
    ),
    Rule(
        "line_silent",
        "hold",
        ISO_15118_2_TIMERS,
        "a line over which not even an acknowledgement comes",
        _line_silent,
        breaks=SPOKEN,
        follows=("fault", "pilot"),
        needs=Needs(reached="agree"),
    ),
    Rule("setup_slow", "link", ISO_15118_2_TIMERS, "a set-up longer than the vehicle's timer", _slow_setup),
    Rule(
        "answers_late",
        "hold",
        ISO_15118_2_TIMERS,
        "answers later than the vehicle's timer",
        _late,
        needs=Needs(reached="agree"),
    ),
)
