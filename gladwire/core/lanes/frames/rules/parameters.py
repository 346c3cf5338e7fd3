"""Parameters: can the limits of both sides meet."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Rule, only
from gladwire.core.lanes.frames.record import Connection, ConversationRecord, Exchange
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.standards.source import ISO_15118_2, PRACTICE
from gladwire.core.standards.v2g_timers import ongoing_max_s, timer_source
from gladwire.core.words import seconds

# What a value is held against: the other side's limit.
_LIMIT_OF = {
    "EVTargetVoltage": "EVSEMaximumVoltageLimit",
    "EVTargetCurrent": "EVSEMaximumCurrentLimit",
    "EVSEPresentVoltage": "EVMaximumVoltageLimit",
    "EVSEPresentCurrent": "EVMaximumCurrentLimit",
}


def agreed_limits(connection: Connection) -> Exchange | None:
    """The last answered exchange of limits, finished where one is."""
    exchanges = [t for t in connection.of("ChargeParameterDiscovery") if t.response and not t.failed]
    done = [t for t in exchanges if t.done]
    return done[-1] if done else exchanges[-1] if exchanges else None


def limits_at(record: ConversationRecord, time_s: float) -> dict[str, float]:
    """What the other side allows at a moment, by the field it limits, as last agreed."""
    connection = next((c for c in record.connections if c.start_s <= time_s <= c.end_s), None)
    exchange = agreed_limits(connection) if connection else None
    found = {field: exchange.of_either(limit) for field, limit in _LIMIT_OF.items()} if exchange else {}
    return {field: float(value) for field, value in found.items() if value is not None}


def pack_volts(connection: Connection) -> float | None:
    """What the vehicle asks its post to bring the cable to: the pack's voltage."""
    for exchange in connection.of("PreCharge"):
        value = exchange.of_request("EVTargetVoltage")
        if value is not None:
            return float(value)
    return None


def _met(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchange = agreed_limits(connection)
        if exchange is None or not exchange.done:
            continue
        volts = (exchange.of_either("EVMaximumVoltageLimit"), exchange.of_either("EVSEMaximumVoltageLimit"))
        amps = (exchange.of_either("EVMaximumCurrentLimit"), exchange.of_either("EVSEMaximumCurrentLimit"))
        power, takes = exchange.of_either("EVSEMaximumPowerLimit"), exchange.of_either("EVMaximumPowerLimit")
        if exchange.kind != exchange.stem and None not in (power, takes) and None in (*volts, *amps):
            text = f"Limits exchanged: vehicle up to {takes / 1000:g} kW, post up to {power / 1000:g} kW."
            yield Fact(
                "normal", text, exchange.start_s, exchange.end_s, f"{min(power, takes) / 1000:g} kW", "limits that meet"
            )
        if None in (*volts, *amps):
            continue
        text = (
            f"Limits exchanged: vehicle up to {volts[0]:g} V and {amps[0]:g} A, post up to {volts[1]:g} V and {amps[1]:g} A"
            f"{f', {power / 1000:g} kW' if power else ''}."
        )
        yield Fact(
            "normal", text, exchange.start_s, exchange.end_s, f"{min(volts):g} V, {min(amps):g} A", "limits that meet"
        )


def _voltage(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchange = agreed_limits(connection)
        if exchange is None:
            continue
        low, high = exchange.of_either("EVSEMinimumVoltageLimit"), exchange.of_either("EVSEMaximumVoltageLimit")
        most = exchange.of_either("EVMaximumVoltageLimit")
        pack = pack_volts(connection)
        if low is not None and most is not None and low > most:
            text = (
                f"The post cannot go below {low:g} V and the vehicle's pack ends at {most:g} V: this post "
                "cannot charge it."
            )
            yield Fact(
                "fault", text, exchange.start_s, exchange.end_s, f"post from {low:g} V", f"vehicle up to {most:g} V"
            )
        elif low is not None and pack is not None and pack < low:
            text = f"The pack stands at {pack:g} V, below the {low:g} V this post can go down to."
            yield Fact("fault", text, exchange.start_s, exchange.end_s, f"post from {low:g} V", f"pack at {pack:g} V")
        if high is not None and pack is not None and pack > high:
            text = f"The pack stands at {pack:g} V, above the {high:g} V this post can reach."
            yield Fact("fault", text, exchange.start_s, exchange.end_s, f"post up to {high:g} V", f"pack at {pack:g} V")
        elif high is not None and most is not None and high < most and pack is None:
            text = (
                f"The post reaches {high:g} V and the vehicle's pack goes up to {most:g} V. Whether they meet depends on the "
                "pack's present voltage, which was not captured."
            )
            yield Fact(
                "note", text, exchange.start_s, exchange.end_s, f"post up to {high:g} V", f"vehicle up to {most:g} V"
            )


def _current(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchange = agreed_limits(connection)
        if exchange is None:
            continue
        low = exchange.of_either("EVSEMinimumCurrentLimit")
        most = exchange.of_either("EVMaximumCurrentLimit")
        if low is not None and most is not None and low > most:
            text = f"The post cannot give less than {low:g} A and the vehicle takes no more than {most:g} A."
            yield Fact(
                "fault", text, exchange.start_s, exchange.end_s, f"post from {low:g} A", f"vehicle up to {most:g} A"
            )


def _power(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchange = agreed_limits(connection)
        high = exchange.of_either("EVSEMaximumPowerLimit") if exchange else None
        most = exchange.of_either("EVMaximumPowerLimit") if exchange else None
        amps = exchange.of_either("EVSEMaximumCurrentLimit") if exchange else None
        nothing = next((f"{v:g} {u}" for v, u in ((amps, "A"), (high, "W")) if v is not None and v <= 0), "")
        if exchange and nothing and exchange.done:
            text = f"The post offers {nothing}: nothing can flow."
            yield Fact("fault", text, exchange.start_s, exchange.end_s, f"post up to {nothing}", "more than nothing")
        elif exchange and high is not None and most is not None and 0 < high < 0.5 * most:
            text = (
                f"The post offers {high / 1000:g} kW, less than half of the {most / 1000:g} kW the vehicle "
                "takes: it will charge slowly here, and that is the post's limit."
            )
            yield Fact(
                "note",
                text,
                exchange.start_s,
                exchange.end_s,
                f"{high / 1000:g} kW",
                f"vehicle up to {most / 1000:g} kW",
            )


def _endless(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchanges = connection.of("ChargeParameterDiscovery", "ScheduleExchange")
        waiting = [t for t in exchanges if t.ongoing]
        if not waiting or any((t.done and t.stem == waiting[-1].stem) or t.failed for t in exchanges):
            continue
        lasted, limit = waiting[-1].end_s - waiting[0].start_s, ongoing_max_s(connection.protocol)
        what = "schedule" if waiting[-1].stem == "ScheduleExchange" else "limits"
        if lasted > limit or connection.ends or record.end_s - waiting[-1].end_s > 5.0:
            text = (
                f"The post never settled its {what}: “Ongoing” {sum(t.count for t in waiting)} times in {seconds(lasted)}, "
                f"from {waiting[0].start_s:.2f} s on."
            )
            yield Fact(
                "fault",
                text,
                waiting[0].start_s,
                waiting[-1].end_s,
                seconds(lasted),
                f"settled within {limit:g} s",
                source=timer_source(connection.protocol),
            )


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "limits_exchanged",
        "parameters",
        ISO_15118_2,
        "limits of vehicle and post, exchanged",
        _met,
        proves=("parameters",),
    ),
    Rule(
        "limits_voltage",
        "parameters",
        PRACTICE,
        "voltages that cannot meet, with both numbers",
        _voltage,
        breaks=("parameters",),
    ),
    Rule(
        "limits_current",
        "parameters",
        PRACTICE,
        "currents that cannot meet, with both numbers",
        _current,
        breaks=("parameters",),
    ),
    Rule("limits_power", "parameters", PRACTICE, "power offered against power the vehicle takes", only(_power, "note")),
    Rule(
        "nothing_offered",
        "parameters",
        PRACTICE,
        "a post that offers nothing",
        only(_power, "fault"),
        breaks=("parameters",),
    ),
    Rule(
        "parameters_endless",
        "parameters",
        ISO_15118_2,
        "limits the post never settles",
        _endless,
        breaks=("parameters",),
    ),
)
