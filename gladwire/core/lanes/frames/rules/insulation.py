"""Insulation and Pre-charge: the cable check, and the post coming up to the pack's voltage."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Rule
from gladwire.core.lanes.frames.record import Connection, ConversationRecord
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.standards.dc_limits import CLOSE_V, INSULATION_FAULT_OHM_PER_V, INSULATION_WARNING_OHM_PER_V
from gladwire.core.standards.source import IEC_61851_23
from gladwire.core.standards.v2g_timers import CABLE_CHECK_S, SETTLED_S, precharge_max_s, timer_source
from gladwire.core.words import seconds

# A vehicle that closes sooner than a check usually takes has left for a reason of its own (common practice, no source).
_LEFT_EARLY_S = 10.0


def _passed(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchanges = connection.of("CableCheck")
        done = [t for t in exchanges if t.done]
        if done:
            status = done[-1].of_either("EVSEIsolationStatus") or "no status"
            took = done[-1].end_s - exchanges[0].start_s
            if status not in ("Fault", "Warning"):
                text = f"The cable check finished after {seconds(took)} with insulation {status}."
                if status == "no status":
                    text = (
                        f"The cable check finished after {seconds(took)}; this protocol carries no insulation status."
                    )
                yield Fact(
                    "normal",
                    text,
                    exchanges[0].start_s,
                    done[-1].end_s,
                    f"{status}, {seconds(took)}",
                    f"Valid {CABLE_CHECK_S.says}",
                )


def _status(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        told: set[str] = set()
        for exchange in connection.exchanges:
            status = exchange.of_either("EVSEIsolationStatus")
            if status not in ("Warning", "Fault") or status in told:
                continue
            told.add(status)
            where = "in the cable check" if exchange.kind == "CableCheck" else f"with {exchange.stem}Res"
            stage = "insulation" if exchange.kind == "CableCheck" else "hold"
            if status == "Fault":
                text = (
                    f"The post reports an insulation fault {where} at {exchange.start_s:.2f} s: "
                    f"{INSULATION_FAULT_OHM_PER_V.says} by its measurement."
                )
                yield Fact("fault", text, exchange.start_s, exchange.end_s, "Fault", "Valid", stage=stage)
            else:
                text = (
                    f"The post warns of insulation {where} at {exchange.start_s:.2f} s: "
                    f"{INSULATION_WARNING_OHM_PER_V.says} by its measurement."
                )
                yield Fact("suspect", text, exchange.start_s, exchange.end_s, "Warning", "Valid", stage=stage)


def _no_verdict(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchanges = connection.of("CableCheck")
        if not exchanges or any(t.done or t.failed for t in exchanges):
            continue
        lasted = exchanges[-1].end_s - exchanges[0].start_s
        over = lasted > CABLE_CHECK_S
        if not over and not connection.ends and record.end_s - exchanges[-1].end_s < SETTLED_S:
            continue
        by_vehicle = bool(connection.ends) and min(connection.ends, key=lambda c: c.time_s).by == "ev"
        went_silent = exchanges[-1] is connection.exchanges[-1] and not by_vehicle
        left_early = by_vehicle and exchanges[-1] is connection.exchanges[-1] and lasted < _LEFT_EARLY_S
        if (not exchanges[-1].answered or went_silent or left_early) and not over:
            continue  # silence, and a vehicle that leaves, are told on their own
        by = f"longer than the {CABLE_CHECK_S.amount} the vehicle waits" if over else "when the session ended"
        start = exchanges[0].start_s if over else exchanges[-1].end_s
        status = exchanges[-1].of_either("EVSEIsolationStatus")
        last = f"; the last status was {status}" if status else ""
        text = f"The cable check gave no verdict in {seconds(lasted)}, {by}{last}."
        yield Fact(
            "fault",
            text,
            start,
            exchanges[-1].end_s,
            f"{lasted:.1f} s",
            f"a verdict {CABLE_CHECK_S.says}",
            source=timer_source(connection.protocol),
        )


def gap(connection: Connection) -> tuple[float, float, float] | None:
    """(asked, present, gap) at the end of pre-charge, volts."""
    exchanges = connection.of("PreCharge")
    for exchange in reversed(exchanges):
        asked, present = exchange.of_request("EVTargetVoltage"), exchange.of_response("EVSEPresentVoltage")
        if asked is not None and present is not None:
            return float(asked), float(present), abs(float(asked) - float(present))
    return None


def _reached(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        last, exchanges = gap(connection), connection.of("PreCharge")
        if last and last[2] <= CLOSE_V:
            took = exchanges[-1].end_s - exchanges[0].start_s
            text = f"Pre-charge came to {last[1]:.1f} V of {last[0]:.1f} V asked, {last[2]:.1f} V apart, in {seconds(took)}."
            yield Fact(
                "normal",
                text,
                exchanges[0].start_s,
                exchanges[-1].end_s,
                f"{last[2]:.1f} V apart",
                CLOSE_V.says,
            )


# Turns of pre-charge in which a post has had its time, however fast they follow. Common practice.
_TRIED = 8


def _not_reached(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        last, exchanges = gap(connection), connection.of("PreCharge")
        if last is None:
            continue
        lasted, limit = exchanges[-1].end_s - exchanges[0].start_s, precharge_max_s(connection.protocol)
        over = connection.ends or record.end_s - exchanges[-1].end_s > SETTLED_S
        tried = lasted > SETTLED_S or sum(t.count for t in exchanges) >= _TRIED
        if last[2] > CLOSE_V and tried and (over or lasted > limit):
            text = (
                f"Pre-charge did not come near: {last[1]:.1f} V present, {last[0]:.1f} V asked, {last[2]:.1f} V apart after "
                f"{seconds(lasted)}."
            )
            yield Fact("fault", text, exchanges[0].start_s, exchanges[-1].end_s, f"{last[2]:.1f} V apart",
                       f"{CLOSE_V.says} {limit.says}")  # fmt: skip


def _not_used(record: ConversationRecord) -> Iterator[Fact]:
    """The volts are there and the vehicle does not go on: it asks past its own time, or breaks off itself."""
    for connection in connections_of(record):
        last, exchanges = gap(connection), connection.of("PreCharge")
        if last is None or last[2] > CLOSE_V or connection.exchanges[-1] is not exchanges[-1]:
            continue
        if connection.unacknowledged or exchanges[-1].failed or not exchanges[-1].answered:
            continue
        limit, lasted = precharge_max_s(connection.protocol), exchanges[-1].end_s - exchanges[0].start_s
        first = min(connection.ends, key=lambda c: c.time_s, default=None)
        gave_up = first is not None and first.by == "ev"
        asked_on = lasted > limit and (first is not None or record.end_s - exchanges[-1].end_s > SETTLED_S)
        if not gave_up and not asked_on:
            continue
        then = " and then closed the connection itself" if gave_up else ""
        text = (
            f"Pre-charge came to {last[1]:.1f} V, {last[2]:.1f} V from what was asked, and the vehicle asked for "
            f"{seconds(lasted)} without closing its contactors{then}."
        )
        expected = f"PowerDelivery within {limit:g} s"
        yield Fact("fault", text, exchanges[0].start_s, exchanges[-1].end_s, f"{lasted:.1f} s", expected)


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "insulation_passed",
        "insulation",
        IEC_61851_23,
        "the cable check's verdict and time",
        _passed,
        proves=("insulation",),
    ),
    Rule(
        "insulation_status",
        "insulation",
        IEC_61851_23,
        "insulation warning or fault",
        _status,
        breaks=(
            "insulation",
            "hold",
        ),
        stands=True,
    ),
    Rule(
        "insulation_no_verdict",
        "insulation",
        IEC_61851_23,
        "a cable check without a verdict in time",
        _no_verdict,
        breaks=("insulation",),
    ),
    Rule(
        "precharge_reached",
        "precharge",
        IEC_61851_23,
        "pre-charge near enough, and how long it took",
        _reached,
        proves=("precharge",),
    ),
    Rule(
        "precharge_not_reached",
        "precharge",
        IEC_61851_23,
        "pre-charge that does not come near",
        _not_reached,
        breaks=("precharge",),
    ),
    Rule(
        "precharge_not_used",
        "precharge",
        IEC_61851_23,
        "volts that are there, and a vehicle that does not close",
        _not_used,
        breaks=("precharge",),
    ),
)
