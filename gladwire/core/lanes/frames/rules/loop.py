"""Ramp and Hold: power switched on, the charge loop, what both sides report in it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gladwire.core.findings import Fact, Needs, Rule, Severity, only
from gladwire.core.lanes.frames.folding import FLAGS
from gladwire.core.lanes.frames.record import SPOKEN, Connection, ConversationRecord, Exchange
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.standards.dc_limits import FLOWS_A, NO_CURRENT_S
from gladwire.core.standards.source import ISO_15118_2, ISO_15118_20, PRACTICE
from gladwire.core.standards.v2g_codes import EMERGENCY, EV_ERRORS, POST_STATUS, RENEGOTIATIONS, STOPPING
from gladwire.core.words import number_of, seconds

LOOPS = ("CurrentDemand", "ChargingStatus")
# A loop this young has no current yet, whoever is well. By judgement.
_BEGINS_S = 2.0


def switched_on(connection: Connection) -> Exchange | None:
    """The answer that switched power on."""
    for exchange in connection.of("PowerDelivery"):
        # In ISO 15118-20 the vehicle may ask several times until it is ready itself.
        ready = exchange.of_request("EVProcessing") in ("Finished", None)
        if exchange.switches == "on" and ready and exchange.response and not exchange.failed:
            return exchange
    return None


def most_amps(connection: Connection) -> float:
    """The most the post reported, amperes."""
    return max((top(t, "EVSEPresentCurrent") for t in connection.of(*LOOPS)), default=0.0)


def top(exchange: Exchange, field: str) -> float:
    """The largest value of a field in a turn, 0 where it is not said."""
    found = exchange.range_of(field)
    value = found[1] if found else exchange.of_either(field)
    return float(value) if value is not None else 0.0


def _on(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchange = switched_on(connection)
        if exchange:
            text = f"Power was switched on at {exchange.end_s:.2f} s."
            yield Fact("normal", text, exchange.start_s, exchange.end_s, "on", "on")


def _held(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        loops = connection.of(*LOOPS)
        if not loops:
            continue
        count, lasted = sum(t.count for t in loops), loops[-1].end_s - loops[0].start_s
        amps = most_amps(connection)
        kilowatts = max((top(t, "EVPresentActivePower") for t in loops), default=0.0) / 1000.0
        up_to = f"up to {amps:.1f} A" if loops[0].kind == "CurrentDemand" else _ac_words(connection, loops)
        if loops[0].kind == "CurrentDemand" and all(t.of_response("EVSEPresentCurrent") is None for t in loops):
            up_to = "what flowed was not captured"
        elif loops[0].kind == "CurrentDemand" and amps <= FLOWS_A < _wanted(loops)[0] and not _gives_back(connection):
            continue  # a loop without the current that is wanted holds nothing
        if kilowatts:
            up_to = f"up to {kilowatts:.1f} kW"
        text = f"The charge loop ran for {seconds(lasted)}, {number_of(count, 'exchange')}, {up_to}."
        yield Fact("normal", text, loops[0].start_s, loops[-1].end_s, f"{up_to}, {seconds(lasted)}", "current as asked")


def _ac_words(connection: Connection, loops: Sequence[Exchange]) -> str:
    """AC, with the amperes a phase that messages allow; what flows they do not say in ISO 15118-2."""
    said = [t.of_response("EVSEMaxCurrent") for t in (*connection.of("ChargeParameterDiscovery"), *loops)]
    said += [r[1] for t in loops if (r := t.range_of("EVSEMaxCurrent"))]
    allowed = max((float(a) for a in said if isinstance(a, int | float)), default=None)
    return "AC" if allowed is None else f"AC, up to {allowed:g} A a phase allowed by message"


def _gives_back(connection: Connection) -> bool:
    """Whether the vehicle gave current back."""
    return any((r := t.range_of("EVSEPresentCurrent")) and r[0] < -FLOWS_A for t in connection.of("CurrentDemand"))


def _gave_back(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        # Where both ways were agreed; else a little under nothing is a meter's offset.
        both = [
            t
            for t in connection.of("CurrentDemand")
            if t.request and any(k.startswith("BPT_") for k in t.request.fields)
        ]
        exchanges = [t for t in both if (r := t.range_of("EVSEPresentCurrent")) and r[0] < -FLOWS_A]
        if exchanges:
            most = -min(t.range_of("EVSEPresentCurrent")[0] for t in exchanges)  # type: ignore[index]
            text = f"The vehicle gave back up to {most:.1f} A, as both had agreed: energy both ways, no fault."
            yield Fact("normal", text, exchanges[0].start_s, exchanges[-1].end_s, f"{most:.1f} A back", "as agreed")


def _wanted(loops: Sequence[Exchange]) -> tuple[float, str]:
    """(amperes, what the vehicle does with them)."""
    asked = max(top(t, "EVTargetCurrent") for t in loops)
    if asked:
        return asked, "asked for up to"
    # In dynamic control of ISO 15118-20 the post decides, within what the vehicle takes.
    return max(top(t, "EVMaximumCurrentLimit") for t in loops), "takes up to"


def _no_current(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        loops = connection.of("CurrentDemand")
        if not loops or most_amps(connection) > FLOWS_A or _gives_back(connection):
            continue
        if all(t.of_response("EVSEPresentCurrent") is None for t in loops):
            continue  # the post's side was not captured: what it gave is not known
        asked, asks = _wanted(loops)
        lasted = loops[-1].end_s - loops[0].start_s
        if asked > FLOWS_A and lasted > _BEGINS_S:
            text = f"The vehicle {asks} {asked:.1f} A and the post gave no current in {seconds(lasted)}."
            # Of a loop this short it may not have had its time.
            severity: Severity = "suspect" if lasted < NO_CURRENT_S else "fault"
            yield Fact(
                severity, text, loops[0].start_s, loops[-1].end_s, f"{most_amps(connection):.1f} A", f"{asked:.1f} A"
            )


def _post_status(record: ConversationRecord, malfunctions: bool = False) -> Iterator[Fact]:
    for connection in connections_of(record):
        told: set[str] = set()
        for exchange in connection.exchanges:
            status = exchange.of_either("EVSEStatusCode")
            if exchange.failed or status in told or status not in (*EMERGENCY, *STOPPING):
                continue  # a FAILED answer carries default values in its other fields
            told.add(status)
            if (status == "EVSE_Malfunction") != malfunctions:
                continue
            stage = exchange.stage
            severity: Severity = "fault" if status in EMERGENCY else "suspect"
            text = f"The post reports {status} ({POST_STATUS[status]}) with {exchange.stem}Res at {exchange.start_s:.2f} s."
            yield Fact(severity, text, exchange.start_s, exchange.end_s, status, "EVSE_Ready", stage=stage)


def _malfunction(record: ConversationRecord) -> Iterator[Fact]:
    yield from _post_status(record, malfunctions=True)


def _ev_error(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        told: set[str] = set()
        for exchange in connection.exchanges:
            error = exchange.of_either("EVErrorCode")
            if error in (None, "NO_ERROR", "NoData") or error in told:
                continue
            told.add(error)
            text = (
                f"The vehicle reports {error} ({EV_ERRORS.get(error, 'a reserved code')}) with {exchange.stem}Req "
                f"at {exchange.start_s:.2f} s."
            )
            yield Fact("fault", text, exchange.start_s, exchange.end_s, error, "NO_ERROR", stage=exchange.stage)


_FLAG_WORDS = dict(zip(FLAGS, ("current", "voltage", "power"), strict=True))


def _limited(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        loops = connection.of("CurrentDemand")
        count = sum(t.count for t in loops)
        for flag, word in _FLAG_WORDS.items():
            times = sum(t.flags.get(flag, 0) for t in loops)
            if times:
                share = 100.0 * times / count
                text = f"The post said in {times} of {count} answers ({share:.0f} %) that its {word} limit was reached."
                yield Fact(
                    "note", text, loops[0].start_s, loops[-1].end_s, f"{share:.0f} %", "the vehicle's own limit first"
                )


def _less(record: ConversationRecord) -> Iterator[Fact]:
    """Present current far below demand without a limit flag, told once, for the longest such turn."""
    for connection in connections_of(record):
        quietly = [h for h in connection.held_back if h.kind == "short"]
        if not quietly:
            continue
        h = max(quietly, key=lambda h: h.end_s - h.start_s)
        text = (
            f"From {h.start_s:.2f} s on the post gives {h.now:.0f} A where the vehicle asks {h.before:.0f} A, for "
            f"{seconds(h.end_s - h.start_s)}, without saying that a limit is reached; it names none that low."
        )
        yield Fact("suspect", text, h.start_s, h.end_s, f"{h.now:.0f} A", f"{h.before:.0f} A")


def _lowers(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        lowered = [h for h in connection.held_back if h.kind == "lowered"]
        if lowered:
            h = max(lowered, key=lambda h: (h.before - h.now) * (h.end_s - h.start_s))
            until = "to the loop's end" if h.to_the_end else f"for {seconds(h.end_s - h.start_s)}"
            # An AC loop does not say what the vehicle would take.
            wants = "" if connection.of("ChargingStatus") else ", while the vehicle would take more"
            text = (
                f"At {h.start_s:.2f} s the post lowers its limit from {h.before:.0f} {h.unit} to {h.now:.0f} {h.unit}, "
                f"{until}{wants}."
            )
            yield Fact(
                "suspect", text, h.start_s, h.end_s, f"{h.now:.0f} {h.unit}", f"{h.before:.0f} {h.unit} as before"
            )


def _earth_fault(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        tripped = next((t for t in connection.exchanges if t.of_response("RCD") is True and not t.failed), None)
        if tripped:
            text = (
                f"At {tripped.start_s:.2f} s the post reports that its earth-fault (residual current) device has found a "
                "fault. Keep hands off plug and vehicle until insulation to earth is tested, dead."
            )
            yield Fact("fault", text, tripped.start_s, tripped.end_s, "RCD true", "RCD false", stage=tripped.stage)


def _renegotiated(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.exchanges:
            wants = exchange.of_response("EVSENotification") in RENEGOTIATIONS and not exchange.failed
            if wants or {exchange.of_request("ChargeProgress"), exchange.of_request("ChargingSession")} & set(
                RENEGOTIATIONS
            ):
                who = "The post" if wants else "The vehicle"
                again = [t for t in connection.of(*LOOPS) if t.start_s > exchange.end_s]
                on = [t for t in connection.of("PowerDelivery") if t.start_s > exchange.start_s and t.switches == "on"]
                then = ""
                if on and any(t.start_s > on[-1].start_s for t in again):
                    then = f" and the charge went on after {seconds(on[-1].end_s - exchange.start_s)}"
                text = f"{who} asked to negotiate anew at {exchange.start_s:.2f} s{then}."
                yield Fact("note", text, exchange.start_s, exchange.end_s, "renegotiation", "")
                break


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule("power_on", "ramp", ISO_15118_2, "power switched on by message", _on, proves=("ramp",)),
    Rule(
        "loop_held", "hold", ISO_15118_2, "the charge loop, how long and how much", _held, rank="held", favours_well=1.5
    ),
    Rule("gave_back", "hold", ISO_15118_20, "current the vehicle gave back", _gave_back, rank="held"),
    Rule("no_current", "ramp", PRACTICE, "a loop in which no current flows", _no_current, breaks=("ramp",)),
    Rule(
        "post_status",
        "hold",
        ISO_15118_2,
        "a shutdown the post reports",
        only(_post_status, "suspect"),
        follows=(
            "fault",
            "suspect",
        ),
    ),
    Rule(
        "post_emergency",
        "hold",
        ISO_15118_2,
        "an emergency the post reports",
        only(_post_status, "fault"),
        breaks=SPOKEN,
    ),
    Rule("post_malfunction", "hold", ISO_15118_2, "a malfunction the post reports", _malfunction, breaks=SPOKEN),
    Rule(
        "ev_error",
        "hold",
        ISO_15118_2,
        "error codes of the vehicle",
        _ev_error,
        breaks=SPOKEN,
        needs=Needs(reached="agree"),
    ),
    Rule("limit_reached", "hold", ISO_15118_2, "how often the post said that a limit was reached", _limited),
    Rule(
        "gives_less",
        "hold",
        PRACTICE,
        "less current than asked, and no limit named",
        _less,
        derates="suspect",
        favours_well=-3.0,
    ),
    Rule(
        "post_lowers_limit",
        "hold",
        PRACTICE,
        "a limit of the post that falls in the loop",
        _lowers,
        derates="suspect",
        favours_well=-3.0,
    ),
    Rule(
        "earth_fault_reported",
        "hold",
        ISO_15118_2,
        "an earth-fault device that tripped, by the post's word",
        _earth_fault,
        breaks=("hold", "energise", "parameters"),
        stands=True,
        danger=True,
    ),
    Rule("renegotiation", "hold", ISO_15118_2, "a renegotiation, and who asked", _renegotiated),
)
