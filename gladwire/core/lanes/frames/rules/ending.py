"""End: who asked to stop, who followed, how the connection closed, weld check, second tries."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule, only
from gladwire.core.lanes.frames.folding import UNDECODED
from gladwire.core.lanes.frames.record import SIDE_WORDS, SPOKEN, Connection, ConversationRecord, Exchange, Side
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.lanes.frames.rules.loop import LOOPS, switched_on
from gladwire.core.lanes.frames.rules.resuming import paused
from gladwire.core.standards.dc_limits import RELEASE_FIRST, SAFE_V, STOP_IGNORED_S
from gladwire.core.standards.source import IEC_61851_23, ISO_15118_2, ISO_15118_2_TRANSPORT, PRACTICE
from gladwire.core.standards.v2g_codes import STOP_NOTICES, STOPPING
from gladwire.core.standards.v2g_timers import SETTLED_S
from gladwire.core.words import seconds


def stop_asked(connection: Connection) -> Exchange | None:
    """The first answer in which the post asks to stop."""
    for exchange in connection.of(*LOOPS):
        if exchange.failed:
            continue
        if (
            exchange.of_response("EVSENotification") in STOP_NOTICES
            or exchange.of_response("EVSEStatusCode") in STOPPING
        ):
            return exchange
    return None


def switched_off(connection: Connection) -> Exchange | None:
    """The request that switched power off, after it was on."""
    on = switched_on(connection)
    for exchange in connection.of("PowerDelivery"):
        if exchange.switches == "off" and (on is None or exchange.start_s > on.start_s):
            return exchange
    return None


def _followed(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        asked = stop_asked(connection)
        if asked is None:
            continue
        off = switched_off(connection)
        until = off.start_s if off else max(t.end_s for t in connection.of(*LOOPS))
        waited = until - asked.start_s
        notice = asked.of_response("EVSENotification")
        what = notice if notice in STOP_NOTICES else asked.of_response("EVSEStatusCode")
        if waited <= STOP_IGNORED_S:
            if off:
                text = (
                    f"The post asked to stop ({what}) at {asked.start_s:.2f} s and the vehicle followed after "
                    f"{seconds(waited)}."
                )
                yield Fact("note", text, asked.start_s, until, seconds(waited), STOP_IGNORED_S.says)
            continue
        stands = "mains may stand" if asked.kind == "ChargingStatus" else "pack voltage stands"
        rest = (
            f" The plug stays locked as long as the loop runs, and rightly: {stands} at the inlet. End the demand "
            f"at the vehicle. {RELEASE_FIRST}."
            if not off
            else ""
        )
        text = (
            f"The post asked to stop ({what}) at {asked.start_s:.2f} s, and the vehicle kept the loop running for "
            f"{seconds(waited)}{' without switching off' if not off else ''}.{rest}"
        )
        yield Fact(
            "fault",
            text,
            asked.start_s,
            until,
            f"ignored for {seconds(waited)}",
            f"followed {STOP_IGNORED_S.says}",
        )


def _vehicle_done(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        off = switched_off(connection)
        if off is None or stop_asked(connection) is not None or paused(connection):
            continue
        full = any(t.of_request("ChargingComplete") is True for t in connection.of("CurrentDemand"))
        soc = next(
            (t.of_either("EVRESSSOC") for t in reversed(connection.exchanges) if t.of_either("EVRESSSOC") is not None),
            None,
        )
        why = "charging complete" if full else "of its own accord"
        text = (
            f"The vehicle ended the charge at {off.start_s:.2f} s, {why}{f', at {soc} %' if soc is not None else ''}."
        )
        yield Fact("normal", text, off.start_s, off.end_s, why, "")


def _orderly(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        ends = [t for t in connection.of("SessionStop") if t.of_request("ChargingSession") != "ServiceRenegotiation"]
        stop = next((t for t in ends if t.response and not t.failed), None)
        if stop:
            pause = stop.of_request("ChargingSession") == "Pause"
            why = stop.of_request("EVTerminationExplanation") or stop.of_request("EVTerminationCode")
            because = f": “{why}”" if why else ""
            text = (
                f"The vehicle {'paused' if pause else 'ended'} the session in order at {stop.start_s:.2f} s{because}."
            )
            yield Fact("normal", text, stop.start_s, stop.end_s, "SessionStop", "SessionStop")


def _reset(record: ConversationRecord, by: Side) -> Iterator[Fact]:
    for connection in connections_of(record):
        stopped = bool(connection.of("SessionStop"))  # asked for: an answer that is missing is told as silence
        first = min(connection.ends, key=lambda c: c.time_s, default=None)
        if first is None or stopped or connection.exchanges[-1].stem == UNDECODED:
            continue
        if first.by != by:
            continue
        last = connection.exchanges[-1]
        who = SIDE_WORDS[first.by]
        silent = first.time_s - last.end_s
        how = "reset" if first.kind == "rst" else "closed"
        text = (
            f"The {who} {how} the connection at {first.time_s:.2f} s, {seconds(silent)} after {last.stem}, "
            "without ending the session."
        )
        yield Fact("fault", text, last.end_s, first.time_s, how, "SessionStop first", stage=last.stage)


def _post_closed(record: ConversationRecord) -> Iterator[Fact]:
    yield from _reset(record, "evse")


def _vehicle_closed(record: ConversationRecord) -> Iterator[Fact]:
    yield from _reset(record, "ev")


def _weld(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchanges = connection.of("WeldingDetection")
        volts = exchanges[-1].of_response("EVSEPresentVoltage") if exchanges else None
        if volts is None:
            continue
        lasted = exchanges[-1].end_s - exchanges[0].start_s
        if volts < SAFE_V:
            text = f"Weld check: {volts:.1f} V after {seconds(lasted)}, so the vehicle's contactors opened."
            yield Fact("normal", text, exchanges[0].start_s, exchanges[-1].end_s, f"{volts:.1f} V", SAFE_V.says)
        elif exchanges[-1].end_s - exchanges[0].start_s > SETTLED_S:
            text = (
                f"Weld check: still {volts:.1f} V after {seconds(lasted)}: a contactor of the vehicle may be "
                "welded, or the post does not discharge."
            )
            yield Fact("suspect", text, exchanges[0].start_s, exchanges[-1].end_s, f"{volts:.1f} V", SAFE_V.says)


def _again(record: ConversationRecord) -> Iterator[Fact]:
    sessions = {t.session for t in record.connections if t.session}
    ours = [t for t in record.connections if (t.exchanges or t.tls) and t.taken_up not in sessions]
    if len(ours) < 2:
        return
    macs = {t.ev_mac for t in ours}
    if len(macs) > 1:
        text = f"{len(macs)} vehicles talk in this capture: {', '.join(sorted(macs))}. Each is judged for itself."
    else:
        text = (
            f"The vehicle tried {len(ours)} times: connections at {', '.join(f'{t.start_s:.2f} s' for t in ours[:6])}."
        )
    yield Fact("note", text, ours[0].start_s, ours[-1].end_s, f"{len(ours)} connections", "one")


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "stop_followed",
        "end",
        PRACTICE,
        "a stop the post asked for, and followed",
        only(_followed, "note"),
        ends=True,
        rank="ending",
    ),
    Rule(
        "stop_ignored",
        "end",
        PRACTICE,
        "a stop the post asked for, and nobody followed",
        only(_followed, "fault"),
        breaks=("end",),
        ends=True,
        danger=True,
    ),
    Rule(
        "vehicle_ended",
        "end",
        ISO_15118_2,
        "a charge the vehicle ended, and why",
        _vehicle_done,
        ends=True,
        rank="ending",
    ),
    Rule(
        "session_stopped",
        "end",
        ISO_15118_2,
        "a session ended in order",
        _orderly,
        ends=True,
        rank="ending",
        favours_well=1.0,
    ),
    Rule(
        "connection_closed",
        "hold",
        ISO_15118_2_TRANSPORT,
        "a connection the post closed or reset without ending the session",
        _post_closed,
        breaks=SPOKEN,
        follows=("fault", "suspect", "pilot"),
        needs=Needs(reached="agree"),
    ),
    Rule(
        "vehicle_closed",
        "hold",
        ISO_15118_2_TRANSPORT,
        "a connection the vehicle closed or reset without ending the session",
        _vehicle_closed,
        breaks=SPOKEN,
        follows=("fault", "suspect", "pilot"),
        needs=Needs(reached="agree"),
    ),
    Rule("weld_check", "end", IEC_61851_23, "voltage left on the cable after the stop", _weld),
    Rule("tried_again", "link", PRACTICE, "second tries, and other vehicles", _again, rank="quiet"),
)
