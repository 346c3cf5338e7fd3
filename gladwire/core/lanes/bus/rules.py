"""Rules over a CAN log: who is silent, whether contactors, lock and sensing do what they should, what holds current back."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from gladwire.core.findings import Fact, Needs, Rule, Severity, only
from gladwire.core.lanes.bus.record import CanRecord, Course, MessageSeen, missing
from gladwire.core.standards.dc_limits import CLOSE_V, FLOWS_A, GIVES_A, GIVES_SHARE, OPEN_A, RELEASE_FIRST, SAFE_V
from gladwire.core.standards.practice import (
    ASKS_NOTHING_S,
    BUS_PRECHARGE_S,
    BUS_SETTLED_S,
    GIVEN_LESS_S,
    LIVE_V,
    ONE_SIDE_S,
    PIN_HOT_C,
    PIN_LEAST_C,
    PIN_MOST_C,
    POST_GONE_S,
)
from gladwire.core.standards.source import IEC_61851_23, IEC_61851_24, PRACTICE
from gladwire.core.words import number_of, seconds

_MOST_TOLD = 3
# What was asked for just before something happened.
_BEFORE_S = 0.3
_LEAST_STATES, _MOST_STATES, _AT_LIMIT_A = 4, 8, 2.0
_WRONG = re.compile(r"fault|error|red\b|fail", re.IGNORECASE)


def closed_at(record: CanRecord, after_s: float = float("-inf")) -> float | None:
    """When the contactors close, by their own word."""
    closed, opened = record.of("contactor"), record.of("contactor_open")
    if closed:
        return closed.exchanges(True, after_s)
    return opened.exchanges(False, after_s) if opened else None


def opened_at(record: CanRecord) -> float | None:
    """When they open again."""
    closes = closed_at(record)
    if closes is None:
        return None
    closed, opened = record.of("contactor"), record.of("contactor_open")
    return closed.exchanges(False, closes) if closed else opened.exchanges(True, closes) if opened else None


def flowing(record: CanRecord) -> list[tuple[float, float]]:
    """(from, to) of the times current flows."""
    amps = record.of("amps")
    if amps is None:
        return []
    on = Course(role="", signal="", unit="", moves=amps.moves, values=tuple(float(abs(v) > FLOWS_A) for v in amps.values),
                end_s=amps.end_s)  # fmt: skip
    spans: list[tuple[float, float]] = []
    for start, end in on.spans():
        if spans and start - spans[-1][1] < BUS_SETTLED_S:
            spans[-1] = (spans[-1][0], end)
        else:
            spans.append((start, end))
    return spans


def _described(record: CanRecord) -> Iterator[Fact]:
    named = [m for m in record.messages if m.name]
    if named:
        how = "roles confirmed" if record.settled_by else "roles guessed from names and courses"
        text = f"{number_of(len(named), 'message')} named by {record.description}; {how}."
        yield Fact("normal", text, record.start_s, record.start_s, f"{len(named)} named", "")


def _unnamed(record: CanRecord) -> Iterator[Fact]:
    if record.unnamed:
        count = sum(m.count for m in record.messages if not m.name)
        frames = number_of(count, "frame")
        text = (
            f"{number_of(record.unnamed, 'identifier')} with {frames} not named: no description given here knows more."
        )
        yield Fact("note", text, record.start_s, record.end_s, f"{record.unnamed} unnamed", "all named")


def _errors(record: CanRecord) -> Iterator[Fact]:
    if record.errors:
        share = 100.0 * record.errors / (record.frames + record.errors)
        count = number_of(record.errors, "error frame")
        text = f"{count} among {record.frames} ({share:.1f} %): wiring, termination or bit rate."
        yield Fact("suspect" if share > 1.0 else "note", text, record.start_s, record.end_s, f"{share:.1f} %", "none")


def _silent(record: CanRecord) -> Iterator[Fact]:
    """Messages that stay away, those of one sender and moment together."""
    groups: list[list[MessageSeen]] = []
    for m in sorted(missing(record), key=lambda m: m.gap_at_s):
        if groups and groups[-1][0].sender == m.sender and m.gap_at_s - groups[-1][0].gap_at_s < BUS_SETTLED_S:
            groups[-1].append(m)
        else:
            groups.append([m])
    for group in groups[:_MOST_TOLD]:
        at, until = max(m.gap_at_s for m in group), max(m.gap_at_s + m.gap_s for m in group)
        ended = until >= record.end_s - 1e-6
        who = f"{group[0].sender or 'A controller'} ({', '.join(m.name for m in group)})"
        how = "stopped sending" if ended else "was not heard"
        then = "and did not come back" if ended else f"for {seconds(until - at)}"
        cycle = f"every {1000 * min(m.cycle_s or 0 for m in group):.0f} ms"
        flowed = any(a <= at <= b for a, b in flowing(record))
        severity: Severity = "fault" if flowed else "suspect" if not ended else "note"
        text = f"{who}, heard {cycle}, {how} at {at:.2f} s {then}."
        yield Fact(severity, text, at, until, f"silent for {seconds(until - at)}", cycle)


def _one_side(record: CanRecord) -> Iterator[Fact]:
    senders = {m.sender for m in record.messages if m.name}
    if record.kind == "connector" and len(senders) == 1 and record.end_s - record.start_s > ONE_SIDE_S:
        who = next(iter(senders))
        text = (
            f"Only {who} sends, for {seconds(record.end_s - record.start_s)}; the other side is never heard on the bus."
        )
        yield Fact("fault", text, record.start_s, record.end_s, f"{who} only", "both sides")


def _plugged(record: CanRecord) -> Iterator[Fact]:
    plug = record.of("plug")
    at = plug.exchanges(True) if plug else None
    if plug and at is not None:
        yield Fact(
            "normal", f"The plug was detected at {at:.2f} s ({plug.signal}).", at, at, plug.word(plug.at(at) or 1), "on"
        )


def _locked(record: CanRecord) -> Iterator[Fact]:
    lock, closes = record.of("lock"), closed_at(record)
    if lock is None:
        return
    at = lock.exchanges(True)
    if at is not None and (closes is None or at <= closes):
        yield Fact("normal", f"The lock closed at {at:.2f} s ({lock.signal}).", at, at, "closed", "closed before power")
    elif closes is not None:
        text = f"The contactors closed at {closes:.2f} s and the lock was not closed ({lock.signal})."
        yield Fact("fault", text, closes, closes, "open", "closed before power")


def _opens_under_way(record: CanRecord) -> Iterator[Fact]:
    lock = record.of("lock")
    for start, end in flowing(record) if lock else ():
        at = lock.exchanges(False, start) if lock else None
        if at is not None and start < at < end:
            text = f"The lock opened at {at:.2f} s while current flowed."
            yield Fact("fault", text, at, at, "opened", "closed while current flows")
            return


def _exchanged(record: CanRecord) -> Iterator[Fact]:
    post, vehicle = record.of("post_max_a"), record.of("asked_a") or record.of("vehicle_max_a")
    if not post or not vehicle:
        return
    offered = max(post.values)
    at = next((t for t, v in zip(post.moves, post.values, strict=True) if v > 0), post.moves[0])
    if offered <= 0:
        if record.end_s - at < ASKS_NOTHING_S:
            return
        text = "The post allows 0 A throughout: nothing can flow."
        yield Fact("fault", text, at, record.end_s, "0 A", "more than nothing")
        return
    text = (
        f"Limits exchanged: the post allows up to {offered:g} A, the vehicle asks for up to {max(vehicle.values):g} A."
    )
    yield Fact("normal", text, at, at, f"{offered:g} A", "limits that meet")


def _precharged(record: CanRecord) -> Iterator[Fact]:
    """Pre-charge and the two sides of the contactors at the moment they close."""
    closes = closed_at(record)
    pack, inlet, pre = record.of("pack_v"), record.of("inlet_v"), record.of("precharge")
    if closes is not None and pack and inlet:
        sides = pack.at(closes), inlet.at(closes)
        if None in sides:
            return
        apart = abs(float(sides[0] or 0.0) - float(sides[1] or 0.0))
        text = f"The contactors closed at {closes:.2f} s with {sides[0]:.0f} V at the pack and {sides[1]:.0f} V at the inlet"
        if apart <= CLOSE_V:
            yield Fact(
                "normal",
                f"{text}, {apart:.0f} V apart.",
                closes,
                closes,
                f"{apart:.0f} V apart",
                CLOSE_V.says,
            )
        else:
            yield Fact("fault", f"{text}: {apart:.0f} V apart, a closing that wears them.", closes, closes,
                       f"{apart:.0f} V apart", CLOSE_V.says)  # fmt: skip
    elif pre and closes is None:
        for start, end in pre.spans()[:1]:
            if end - start > BUS_PRECHARGE_S or record.end_s - end > BUS_SETTLED_S:
                volts = f", with {inlet.at(end):.0f} V reached" if inlet and inlet.at(end) is not None else ""
                text = f"Pre-charge was on for {seconds(end - start)} and the main contactors never closed{volts}."
                yield Fact("fault", text, start, end, seconds(end - start), f"closed {BUS_PRECHARGE_S.says}")


def _swapped(record: CanRecord) -> Iterator[Fact]:
    """Before the contactors close the pack's side is live and the inlet's is not."""
    pack, inlet, closes = record.of("pack_v"), record.of("inlet_v"), closed_at(record)
    pre = record.of("precharge")
    first = min((t for t in (closes, pre.exchanges(True) if pre else None) if t is not None), default=record.end_s)
    if not pack or not inlet or first <= record.start_s + 0.1:
        return
    before = (pack.within(record.start_s, first - 0.05), inlet.within(record.start_s, first - 0.05))
    if min(len(b) for b in before) == 0:
        return
    if before[0].max() < LIVE_V < before[1].min():
        text = (
            f"Before anything closes the inlet side reads {before[1].max():.0f} V and the pack side {before[0].max():.0f} V: "
            "the sensing wires are on the wrong sides of the contactors, or a contactor is welded. Until that is known the "
            "inlet counts as live."
        )
        yield Fact("fault", text, record.start_s, first, f"inlet {before[1].max():.0f} V, pack {before[0].max():.0f} V",
                   "pack live, inlet dead")  # fmt: skip


def _without_effect(record: CanRecord) -> Iterator[Fact]:
    closes, pack, inlet = closed_at(record), record.of("pack_v"), record.of("inlet_v")
    opens = opened_at(record) or record.end_s
    if closes is None or not pack or not inlet or opens - closes < 2 * BUS_SETTLED_S:
        return
    sides = pack.at(closes + BUS_SETTLED_S), inlet.at(closes + BUS_SETTLED_S)
    if None not in sides and abs(float(sides[0] or 0) - float(sides[1] or 0)) > CLOSE_V:
        text = (
            f"The contactors are reported closed and a second later {sides[0]:.0f} V stand at the pack and {sides[1]:.0f} V "
            "at the inlet: one did not close, its drive or its fuse is open."
        )
        yield Fact("fault", text, closes, closes + BUS_SETTLED_S, f"{abs((sides[0] or 0) - (sides[1] or 0)):.0f} V apart",
                   "the same on both sides")  # fmt: skip


def _sides_of_open(record: CanRecord) -> tuple[Course, Course] | None:
    """(pack's, inlet's) volts where contactors have a signal and it never says closed."""
    told = record.of("contactor") or record.of("contactor_open")
    pack, inlet = record.of("pack_v"), record.of("inlet_v")
    if told is None or closed_at(record) is not None or record.of("precharge") or not pack or not inlet:
        return None
    if flowing(record):
        return None  # whatever that signal says
    return pack, inlet


def _met(pack: Course, inlet: Course) -> list[float]:
    return [t for t, v in zip(inlet.moves, inlet.values, strict=True) if _near(v, pack.at(t))]


def _inlet_live(record: CanRecord) -> Iterator[Fact]:
    """Nobody saw these volts come: they may be the pack's own, through a contactor that says open."""
    if (sides := _sides_of_open(record)) is None:
        return
    pack, inlet = sides
    met = _met(pack, inlet)
    if met and _from_the_first(inlet, met) and record.end_s - met[0] > BUS_PRECHARGE_S:
        text = (
            f"From the log's first readings on {inlet.at(met[0]):.0f} V stand at the inlet, as at the pack, and the "
            "contactors say open: one is welded or bridged, or the log begins in pre-charge. Treat the inlet as live, and "
            f"touch nothing there. {RELEASE_FIRST}."
        )
        yield Fact("fault", text, met[0], record.end_s, f"{inlet.at(met[0]):.0f} V", SAFE_V.says)


def _from_the_first(inlet: Course, met: list[float]) -> bool:
    return met[0] - inlet.moves[0] < BUS_SETTLED_S


def _never_closed(record: CanRecord) -> Iterator[Fact]:
    if (sides := _sides_of_open(record)) is None:
        return
    pack, inlet = sides
    met = _met(pack, inlet)
    if met and not _from_the_first(inlet, met) and record.end_s - met[0] > BUS_PRECHARGE_S:
        text = (
            f"From {met[0]:.2f} s on {inlet.at(met[0]):.0f} V stand at the inlet, as at the pack, and the contactors never "
            f"closed in {seconds(record.end_s - met[0])}."
        )
        yield Fact("fault", text, met[0], record.end_s, "open", f"closed {BUS_PRECHARGE_S.says}")


def _no_precharge(record: CanRecord) -> Iterator[Fact]:
    """A charge is asked for, and the inlet's volts never come near the pack's."""
    asked = record.of("asked_a")
    if asked is None or (sides := _sides_of_open(record)) is None or _met(*sides):
        return
    pack, inlet = sides
    wanted_s = next((t for t, v in zip(asked.moves, asked.values, strict=True) if v > 0.0), None)
    if wanted_s is not None and record.end_s - wanted_s > 2 * BUS_PRECHARGE_S:
        most = max(inlet.values)
        text = (
            f"The vehicle asks from {wanted_s:.2f} s on, and no pre-charge comes: at most {most:.0f} V at the inlet with "
            f"{pack.at(record.end_s):.0f} V at the pack; the contactors stay open."
        )
        yield Fact("fault", text, wanted_s, record.end_s, f"{most:.0f} V", CLOSE_V.says)


def _near(inlet_v: float, pack_v: float | None) -> bool:
    return pack_v is not None and pack_v > LIVE_V and abs(inlet_v - pack_v) <= CLOSE_V


def _opened_loaded(record: CanRecord) -> Iterator[Fact]:
    opens, amps, asked = opened_at(record), record.of("amps"), record.of("asked_a")
    if opens is None or amps is None:
        return
    flowed, wanted = amps.at(opens - 1e-3), asked.at(opens - _BEFORE_S) if asked else None
    if flowed is None or abs(flowed) <= OPEN_A:
        return
    if wanted is not None and wanted > OPEN_A:
        text = (
            f"The contactors opened at {opens:.2f} s under {flowed:.0f} A, while the vehicle still asked for {wanted:.0f} A: "
            "it cut its own charge off."
        )
        yield Fact("fault", text, opens, opens, f"{flowed:.0f} A", OPEN_A.says)
    else:
        text = f"The contactors opened at {opens:.2f} s under {flowed:.0f} A: an emergency, or nobody waited."
        yield Fact("suspect", text, opens, opens, f"{flowed:.0f} A", OPEN_A.says)


def _hv_line(record: CanRecord) -> Iterator[Fact]:
    line, closes = record.of("hv_present"), closed_at(record)
    if line is None or closes is None:
        return
    at = line.exchanges(True, closes - BUS_SETTLED_S)
    if at is not None:
        yield Fact("normal", f"The HV present line came on at {at:.2f} s.", at, at, "on", "on with the contactors")
    elif record.end_s - closes > 2 * BUS_SETTLED_S:
        text = f"The contactors closed at {closes:.2f} s and the HV present line stayed off: not wired, or its output fails."
        yield Fact("suspect", text, closes, record.end_s, "off", "on with the contactors")


def _asks_nothing(record: CanRecord) -> Iterator[Fact]:
    asked, plug = record.of("asked_a"), record.of("plug")
    if asked is None or max(asked.values) > 0:
        return
    start = max(asked.moves[0], (plug.exchanges(True) if plug else None) or asked.moves[0])
    if record.end_s - start > ASKS_NOTHING_S:
        text = (
            f"The battery manager asks for 0 A for the whole {seconds(record.end_s - start)}: it does not allow charging, or "
            "its messages are not enabled."
        )
        yield Fact("fault", text, start, record.end_s, "0 A", "a request")


def _folded(record: CanRecord, hot_s: float) -> str:
    """How far the request falls while current flows hot."""
    asked, until = record.of("asked_a"), max((b for _, b in flowing(record)), default=hot_s)
    before = asked.at(hot_s) if asked else None
    seen = (
        [v for t, v in zip(asked.moves, asked.values, strict=True) if hot_s < t < until - 2 * BUS_SETTLED_S]
        if asked
        else []
    )
    if not before or not seen or min(seen) > 0.9 * before:
        return ""
    return f", and the request falls from {before:.0f} to {min(seen):.0f} A"


def _pins(record: CanRecord) -> Iterator[Fact]:
    for key in ("pin_1_c", "pin_2_c"):
        pin = record.of(key)
        if pin is None:
            continue
        low, high = min(pin.values), max(pin.values)
        where = pin.signal.rpartition(".")[2]
        if low < PIN_LEAST_C or high > PIN_MOST_C:
            wrong = low if low < PIN_LEAST_C else high
            at = next(t for t, v in zip(pin.moves, pin.values, strict=True) if v == wrong)
            text = f"{where} reads {wrong:.0f} °C at {at:.2f} s: no pin is that; its sensor or wire is open or shorted."
            yield Fact("fault", text, at, record.end_s, f"{wrong:.0f} °C", "−40 to 150 °C")
        elif high >= PIN_HOT_C:
            at = next(t for t, v in zip(pin.moves, pin.values, strict=True) if v >= PIN_HOT_C)
            when = f"{PIN_HOT_C.amount} at {at:.2f} s{_folded(record, at)}"
            text = f"{where} reaches {high:.0f} °C, {when}: a worn contact or too much current."
            yield Fact("suspect", text, at, record.end_s, f"{high:.0f} °C", PIN_HOT_C.says)


def _flowed(record: CanRecord) -> Iterator[Fact]:
    spans, amps = flowing(record), record.of("amps")
    if not spans or amps is None:
        return
    lasted = sum(b - a for a, b in spans)
    most = max(amps.values, key=abs)
    text = f"Current flowed for {seconds(lasted)}, up to {most:.0f} A."
    yield Fact("normal", text, spans[0][0], spans[-1][1], f"{most:.0f} A, {seconds(lasted)}", "current as asked")


def _flags(record: CanRecord) -> Iterator[Fact]:
    for flag in sorted(record.flags, key=lambda f: f.start_s)[:_MOST_TOLD]:
        text = f"{flag.sender or 'A controller'} reports {flag.name.rpartition('.')[2]} at {flag.start_s:.2f} s."
        yield Fact("fault", text, flag.start_s, flag.end_s, flag.word, "none", stage=stage_at(record, flag.start_s))


def _lamp(record: CanRecord) -> Iterator[Fact]:
    """A lamp whose own words say that something is wrong."""
    lamp = record.of("lamp")
    for at, value in zip(lamp.moves, lamp.values, strict=True) if lamp else ():
        word = lamp.word(value) if lamp else ""
        if _WRONG.search(word):
            text = f"The controller's lamp goes to “{word}” at {at:.2f} s."
            yield Fact("note", text, at, at, word, "no fault", stage=stage_at(record, at))
            return


def _states(record: CanRecord) -> Iterator[Fact]:
    """The controller's own words for where it stands, in order; the last of them is where it stays."""
    state = record.of("state")
    if state is None or len(state.choices) < _LEAST_STATES:
        return
    steps = [(t, state.word(v)) for t, v in zip(state.moves, state.values, strict=True)]
    went = [step for n, step in enumerate(steps) if n == 0 or step[1] != steps[n - 1][1]]
    if len(went) < 2:
        return
    shown = ", ".join(f"“{word}” at {at:.2f} s" for at, word in went[:_MOST_STATES])
    more = f" and {len(went) - _MOST_STATES} more" if len(went) > _MOST_STATES else ""
    text = f"By its own word the controller goes through {shown}{more}."
    yield Fact("note", text, went[0][0], went[-1][0], went[-1][1], "its own states")


def _driver_limit(record: CanRecord) -> Iterator[Fact]:
    """Current that stands at what the driver allows, while post and pack would allow more."""
    limit, amps = record.of("driver_max_a"), record.of("amps")
    spans = flowing(record)
    if limit is None or amps is None or not spans:
        return
    others = [c for key in ("post_max_a", "vehicle_max_a") if (c := record.of(key))]
    for start, end in spans:
        most = float(np.percentile(np.abs(amps.within(start, end)), 80))
        allowed = limit.at(end - 1e-3) or 0.0
        least = min((c.at(end - 1e-3) or 0.0 for c in others), default=0.0)
        stands = abs(most - allowed) <= max(_AT_LIMIT_A, 0.05 * allowed)
        if allowed > FLOWS_A and stands and least > allowed + _AT_LIMIT_A:
            what = " and ".join({"post_max_a": "the post", "vehicle_max_a": "the pack"}[c.role] for c in others)
            text = (
                f"Current stays at the {allowed:.0f} A the driver allows ({limit.signal}), while {what} would take more: "
                "a setting, and no fault."
            )
            yield Fact("note", text, start, end, f"{most:.0f} A", f"up to {least:.0f} A")
            return


def stage_at(record: CanRecord, at_s: float) -> str:
    """The stage a log has come to at a moment."""
    spans, closes = flowing(record), closed_at(record)
    if spans and at_s >= spans[0][0]:
        return "hold" if at_s < spans[-1][1] + BUS_SETTLED_S else "end"
    if closes is not None and at_s >= closes:
        return "ramp"
    pre = record.of("precharge")
    begun = pre.exchanges(True) if pre else None
    return "precharge" if begun is not None and at_s >= begun else "parameters"


def _ended(record: CanRecord) -> Iterator[Fact]:
    spans, opens = flowing(record), opened_at(record)
    if not spans or opens is None or spans[-1][1] >= record.end_s:
        return
    stop, enabled = record.of("stop"), record.of("enabled")
    stopped = stop.exchanges(True, spans[-1][0]) if stop else None
    lets_go = enabled.exchanges(False, spans[-1][0]) if enabled else None
    text = f"Current ended at {spans[-1][1]:.2f} s and the contactors opened at {opens:.2f} s."
    asked = record.of("asked_a")
    still = asked.at(stopped) if asked and stopped is not None else None
    if stopped is not None and (lets_go is None or stopped < lets_go - 0.2) and still:
        text = f"The post stopped at {stopped:.2f} s, while the vehicle still asked for {still:.0f} A. {text}"
        yield Fact("suspect", text, stopped, opens, "stopped by the post", "ended by the vehicle, or by a person")
    else:
        who = "The vehicle ended the charge. " if lets_go is not None else ""
        yield Fact("normal", f"{who}{text}", spans[-1][1], opens, "in order", "current first, contactors after")


def _post_gone(record: CanRecord) -> Iterator[Fact]:
    """Current is gone and the controller goes on asking with its contactors closed: nobody told it, or it does not listen."""
    spans, asked, closes = flowing(record), record.of("asked_a"), closed_at(record)
    if not spans or asked is None or closes is None:
        return
    ended, opens = spans[-1][1], opened_at(record) or record.end_s
    lets_go = next(
        (t for t, v in zip(asked.moves, asked.values, strict=True) if t > ended and v <= FLOWS_A), record.end_s
    )
    until = min(opens, lets_go, record.end_s)
    wanted = asked.at(ended + 0.2) or 0.0
    if ended >= record.end_s - 1e-3 or wanted <= FLOWS_A or until - ended < POST_GONE_S:
        return
    limit, inlet = record.of("post_max_a"), record.of("inlet_v") or record.of("pack_v")
    gone = limit is not None and any(v <= FLOWS_A for v in limit.within(ended - BUS_SETTLED_S, until))
    volts = inlet.at(until - 1e-3) if inlet else None
    stands = f"{volts:.0f} V of the pack stand" if volts is not None and volts > LIVE_V else "pack voltage may stand"
    text = (
        f"The post stopped at {ended:.2f} s{' and allows nothing any more' if gone else ''}, and the controller goes on "
        f"asking for {wanted:.0f} A with its contactors closed for {seconds(until - ended)}: {stands} at the inlet. The "
        f"lock holds rightly. End the demand at the vehicle and wait for open contactors and {SAFE_V.says}. {RELEASE_FIRST}."
    )
    yield Fact("fault", text, ended, until, f"closed for {seconds(until - ended)}", POST_GONE_S.says)


def _gives_less(record: CanRecord) -> Iterator[Fact]:
    """Current under what is asked and allowed, for longer than a ramp."""
    asked, allowed, amps = record.of("asked_a"), record.of("post_max_a"), record.of("amps")
    if asked is None or allowed is None or amps is None:
        return
    for start, end in flowing(record):
        at = np.arange(start + GIVEN_LESS_S, end - BUS_SETTLED_S, 0.5)
        if not len(at):
            continue
        wanted = np.array([min(asked.at(t) or 0.0, allowed.at(t) or 0.0) for t in at])
        given = np.array([abs(amps.at(t) or 0.0) for t in at])
        short = (given < GIVES_SHARE * wanted - GIVES_A) & (given > FLOWS_A)
        if short.sum() * 0.5 < GIVEN_LESS_S or float(short.mean()) < 0.5:
            continue
        text = (
            f"From {at[short][0]:.2f} s on the post gives {float(np.median(given[short])):.0f} A where the vehicle asks and "
            f"the post allows {float(np.median(wanted[short])):.0f} A."
        )
        measured, expected = f"{float(np.median(given[short])):.0f} A", f"{float(np.median(wanted[short])):.0f} A"
        yield Fact("suspect", text, float(at[short][0]), float(at[short][-1]), measured, expected)
        return


RULES: tuple[Rule[CanRecord], ...] = (
    Rule("can_named", "link", PRACTICE, "which description names the bus", _described, needs=Needs(reached="")),
    Rule("can_unnamed", "link", PRACTICE, "identifiers no description names", _unnamed, needs=Needs(reached="")),
    Rule("can_errors", "link", PRACTICE, "error frames on the bus", _errors, needs=Needs(reached="")),
    Rule("can_message_missing", "hold", PRACTICE, "a cyclic message that stays away", _silent, breaks=("hold",)),
    Rule(
        "can_one_side",
        "link",
        IEC_61851_24,
        "a connector on whose bus one side never sends",
        _one_side,
        breaks=("link",),
        needs=Needs(reached=""),
    ),
    Rule(
        "can_plugged",
        "proximity",
        PRACTICE,
        "plug detection of a controller",
        _plugged,
        proves=("proximity",),
        needs=Needs(reached=""),
    ),
    Rule("can_locked", "lock", PRACTICE, "a lock closed before power", only(_locked, "normal"), proves=("lock",)),
    Rule(
        "can_lock_open",
        "lock",
        IEC_61851_23,
        "power with the lock open",
        only(_locked, "fault"),
        breaks=("lock",),
        danger=True,
    ),
    Rule(
        "can_lock_opened",
        "hold",
        IEC_61851_23,
        "a lock that opens while current flows",
        _opens_under_way,
        breaks=("hold",),
        danger=True,
    ),
    Rule(
        "can_limits",
        "parameters",
        IEC_61851_24,
        "limits exchanged on the bus",
        only(_exchanged, "normal"),
        proves=("parameters",),
    ),
    Rule(
        "can_nothing_offered",
        "parameters",
        PRACTICE,
        "a post that allows nothing",
        only(_exchanged, "fault"),
        breaks=("parameters",),
    ),
    Rule(
        "can_asks_nothing",
        "parameters",
        PRACTICE,
        "a battery manager that never asks",
        _asks_nothing,
        breaks=("parameters",),
    ),
    Rule(
        "can_closed",
        "precharge",
        IEC_61851_23,
        "contactors closed with both sides equal",
        only(_precharged, "normal"),
        proves=("precharge",),
    ),
    Rule(
        "can_closed_apart",
        "precharge",
        IEC_61851_23,
        "contactors closed apart, or a pre-charge that never ends",
        only(_precharged, "fault"),
        breaks=("precharge",),
    ),
    Rule(
        "can_sides_swapped",
        "precharge",
        PRACTICE,
        "sensing on the wrong sides of the contactors",
        _swapped,
        breaks=("precharge",),
        danger=True,
    ),
    Rule("can_no_effect", "ramp", PRACTICE, "contactors closed without effect", _without_effect, breaks=("ramp",)),
    Rule("can_hv_line", "ramp", PRACTICE, "the HV present line of a retrofit controller", only(_hv_line, "normal")),
    Rule("can_hv_line_off", "ramp", PRACTICE, "an HV present line that stays off", only(_hv_line, "suspect")),
    Rule("can_flows", "hold", PRACTICE, "current, how long and how much", _flowed, rank="held"),
    Rule("can_pin_sensor", "hold", PRACTICE, "a pin temperature no pin has", only(_pins, "fault"), breaks=("hold",)),
    Rule("can_pin_hot", "hold", PRACTICE, "a hot pin, and what it costs", only(_pins, "suspect"), derates="normal"),
    Rule(
        "can_flag",
        "hold",
        PRACTICE,
        "warnings a controller or post sends",
        _flags,
        breaks=(
            "parameters",
            "precharge",
            "ramp",
            "hold",
        ),
    ),
    Rule("can_states", "link", PRACTICE, "the controller's own states, in order", _states, needs=Needs(reached="")),
    Rule(
        "can_driver_limit",
        "hold",
        PRACTICE,
        "current that stands at what the driver allows",
        _driver_limit,
        derates="note",
    ),
    Rule(
        "can_gives_less",
        "hold",
        PRACTICE,
        "less current than asked and allowed",
        _gives_less,
        derates="suspect",
    ),
    Rule(
        "can_post_gone",
        "end",
        PRACTICE,
        "a controller that goes on, contactors closed, after the post stopped",
        _post_gone,
        breaks=("end",),
        ends=True,
        danger=True,
    ),
    Rule("can_lamp", "hold", PRACTICE, "a lamp that shows a fault", _lamp),
    Rule(
        "can_opened_loaded",
        "end",
        IEC_61851_23,
        "contactors opened under current",
        only(_opened_loaded, "suspect"),
    ),
    Rule(
        "can_opened_in_demand",
        "hold",
        IEC_61851_23,
        "contactors opened under current that was still asked for",
        only(_opened_loaded, "fault"),
        breaks=("hold",),
    ),
    Rule(
        "can_inlet_live",
        "precharge",
        IEC_61851_23,
        "an inlet live from the first reading behind contactors that say open",
        _inlet_live,
        breaks=("precharge",),
        danger=True,
    ),
    Rule(
        "can_never_closed",
        "precharge",
        IEC_61851_23,
        "contactors that never close though the volts are there",
        _never_closed,
        breaks=("precharge",),
    ),
    Rule(
        "can_no_precharge",
        "precharge",
        IEC_61851_23,
        "volts that never come near the pack's",
        _no_precharge,
        breaks=("precharge",),
    ),
    Rule(
        "can_ended",
        "end",
        PRACTICE,
        "an end in order",
        only(_ended, "normal"),
        proves=("end",),
        ends=True,
        rank="ending",
    ),
    Rule(
        "can_post_stopped",
        "end",
        PRACTICE,
        "a post that stopped while the vehicle still asked",
        only(_ended, "suspect"),
        proves=("end",),
        ends=True,
        rank="ending",
    ),
)
