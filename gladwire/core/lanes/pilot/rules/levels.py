"""Levels of the states: in the accept band or not, by how much, and what resistance would explain a shift."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.calculations import pilot_circuit
from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards.pilot_levels import (
    BY_LETTER,
    LOW_SIDE,
    SAE_BANDS,
    SAE_SOURCE,
    SOURCE_HIGH,
    SOURCE_LOW,
    SOURCE_OHM,
    STATES_SOURCE,
)
from gladwire.core.standards.pilot_timing import LEAK_OHM, SHIFT_V, THIN_MARGIN_V
from gladwire.core.words import band, ohms, volts

# A state this short says nothing about a level that would be worth a sentence.
_WORTH_S = 0.02
# A low side that stays within this while the load's level moves by this many times more is not the load's doing.
_UNMOVED_V, _UNMOVED_OF_HIGH = 0.5, 0.4
# A low side that a weak source or a leak makes, of a state under load; and how much of the fall of the high side a leak
# leaves that a weak source would show.
_LOADED_LOW_V, _ALIKE_SHARE = (5.0, 11.0), 0.4
# Ohms by which a weak source's resistance and one with a leak beside it must differ to be told from each other.
_TELLABLE_OHM = 120.0


def _worth(record: PilotRecord, letters: str) -> Iterator[Segment]:
    # Of a source that is off on both sides its own rule speaks; levels then say nothing of the wire.
    if record.interpretation.levels_trusted and not record.interpretation.source_v:
        seen = longest_per_state(record)
        yield from (s for s in seen if s.state in letters and not record.interpretation.clips_high(s.high_v))


def longest_per_state(record: PilotRecord) -> list[Segment]:
    """The longest segment of each (state, oscillating), in order of time: it carries the best estimate."""
    best: dict[tuple[str, bool], Segment] = {}
    for segment in record.segments:
        key = (segment.state if segment.state != "unknown" else f"{segment.high_v:.0f}", segment.oscillating)
        if segment.duration_s >= _WORTH_S and (key not in best or segment.duration_s > best[key].duration_s):
            best[key] = segment
    return sorted(best.values(), key=lambda s: s.start_s)


def source_high_v(record: PilotRecord) -> float:
    """The post's open-circuit high as seen in state A here, else the nominal 12 V."""
    seen = [s for s in record.segments if s.state == "A" and not record.interpretation.clips_high(s.high_v)]
    return max(seen, key=lambda s: s.duration_s).high_v if seen else BY_LETTER["A"].nominal_v


def _in_band(record: PilotRecord) -> Iterator[Fact]:
    for s in _worth(record, "ABCD"):
        accept = BY_LETTER[s.state].accept
        margin = accept.margin_v(s.high_v)
        if margin < THIN_MARGIN_V:
            continue
        text = f"{s.label} at {volts(s.high_v)}, {volts(margin)} inside its band."
        yield Fact("normal", text, s.start_s, s.end_s, volts(s.high_v), band(*accept, "V"))


def _thin_margin(record: PilotRecord) -> Iterator[Fact]:
    for s in _worth(record, "ABCD"):
        accept = BY_LETTER[s.state].accept
        margin = accept.margin_v(s.high_v)
        if margin >= THIN_MARGIN_V:
            continue
        text = f"{s.label} at {volts(s.high_v)} is only {volts(margin)} from leaving its band.{_cause(record, s)}"
        yield Fact("suspect", text, s.start_s, s.end_s, volts(s.high_v), band(*accept, "V"))


def _between(record: PilotRecord) -> Iterator[Fact]:
    for s in _worth(record, "unknown"):
        if s.nearest == "unknown":
            continue
        near = BY_LETTER[s.nearest]
        away = -near.accept.margin_v(s.high_v)
        if away < s.level_doubt_v:
            continue
        beyond = s.high_v > BY_LETTER["A"].accept.high_v or s.high_v < BY_LETTER["F"].accept.low_v
        place = "is beyond every state" if beyond else "lies between the states"
        text = f"{volts(s.high_v)} {place}: {volts(away)} outside {s.nearest}, the nearest.{_cause(record, s)}"
        expected = f"{band(*near.accept, 'V')} for {s.nearest}"
        yield Fact("fault", text, s.start_s, s.end_s, volts(s.high_v), expected)


def _cause(record: PilotRecord, s: Segment) -> str:
    """The resistance that would explain the level, as a sentence with a leading blank, or nothing."""
    supply = source_high_v(record)
    rail = BY_LETTER["F"].nominal_v
    if s.nearest == "F" and not s.oscillating and rail < s.high_v < 0.0:
        loading = SOURCE_OHM * s.high_v / (rail - s.high_v)
        held = f"A post that holds {volts(rail)} is loaded by about {ohms(loading)}"
        return f" {held}: something conducts the other way as well."
    for letter in dict.fromkeys((s.nearest, "B", "C", "D")):
        if letter not in "BCD" or pilot_circuit.nominal_level_v(letter, supply) > s.high_v:
            continue
        ohm = pilot_circuit.series_resistance_ohm(letter, s.high_v, supply)
        if ohm:
            return f" About {ohms(ohm)} in series with CP or PE would lift {letter} this far."
        break
    leak = pilot_circuit.leakage_ohm(s.nearest, s.high_v, supply)
    return f" About {ohms(leak)} from CP to PE would pull {s.nearest} down to it." if leak and leak < LEAK_OHM else ""


def _series_resistance(record: PilotRecord) -> Iterator[Fact]:
    supply = source_high_v(record)
    for s in _worth(record, "BCD"):
        shift = s.high_v - pilot_circuit.nominal_level_v(s.state, supply)
        ohm = pilot_circuit.series_resistance_ohm(s.state, s.high_v, supply)
        # Beyond what tolerances of resistors and source add up to.
        if ohm and shift > max(SHIFT_V, 2 * s.level_doubt_v):
            text = (
                f"{s.label} stands {volts(shift)} above its nominal level: about {ohms(ohm)} in series with CP or PE "
                "would explain it. One probe cannot tell a poor CP contact from a poor PE contact."
            )
            nominal = f"about {volts(pilot_circuit.nominal_level_v(s.state, supply))}"
            yield Fact("suspect", text, s.start_s, s.end_s, volts(s.high_v), nominal)


def _sae_remark(record: PilotRecord) -> Iterator[Fact]:
    for s in _worth(record, "ABCD"):
        narrow = SAE_BANDS[s.state]
        if s.high_v not in narrow:
            text = f"{s.label} at {volts(s.high_v)} is inside IEC 61851-1's band and outside the narrower one of SAE J1772."
            yield Fact("note", text, s.start_s, s.end_s, volts(s.high_v), band(*narrow, "V"))


def _negative_rail_v(record: PilotRecord) -> float | None:
    """The post's own negative side where that is off, whatever hangs on it: told with nothing connected, or by two loads that
    do not move it as a diode that conducts both ways would; None where it is right, or where that is not told."""
    if record.interpretation.source_v:
        return None if record.interpretation.source_low_holds else -record.interpretation.source_v
    seen = [s for s in longest_per_state(record) if s.low_v is not None]
    open_ = [s for s in seen if s.state == "A"]
    if open_:
        return open_[0].low_v
    loaded = {s.state: s for s in seen if s.low_v is not None and s.low_v > LOW_SIDE.high_v}
    lows = [s.low_v for s in loaded.values() if s.low_v is not None]
    highs = [s.high_v for s in loaded.values()]
    unmoved = len(loaded) > 1 and max(lows) - min(lows) < _UNMOVED_V < _UNMOVED_OF_HIGH * (max(highs) - min(highs))
    return lows[0] if unmoved else None


def _pulled_up(record: PilotRecord) -> Iterator[tuple[Segment, float, bool]]:
    """(segment, its low side, whether it mirrors the high side) where something on the vehicle's side may pull it up."""
    if not record.interpretation.levels_trusted:
        return
    rail = _negative_rail_v(record)
    for s in longest_per_state(record):
        if s.low_v is None or s.low_v in LOW_SIDE or s.state == "A" or s.low_v < LOW_SIDE.low_v:
            continue
        if record.interpretation.clips_low(s.low_v) or (rail is not None and abs(rail - s.low_v) < _UNMOVED_V):
            continue
        if _low_alike(s):
            continue
        yield s, s.low_v, abs(s.low_v + s.high_v) < 0.25 * abs(s.high_v) + 0.3


def _low_side(record: PilotRecord) -> Iterator[Fact]:
    for s, low_v, mirrors in _pulled_up(record):
        if mirrors:
            text = (
                f"The low side of {s.label} is pulled up to {volts(low_v)}. It mirrors the high side: the load conducts both "
                "ways, so the vehicle's diode is shorted, or a plain resistor is connected instead of a vehicle."
            )
            yield Fact("fault", text, s.start_s, s.end_s, volts(low_v), band(*LOW_SIDE, "V"))


def _low_side_partly(record: PilotRecord) -> Iterator[Fact]:
    for s, low_v, mirrors in _pulled_up(record):
        if not mirrors:
            text = (
                f"The low side of {s.label} stands at {volts(low_v)}, which mirrors no high side: the post's own negative "
                "side is weak, or something conducts in the negative half, a damaged diode; the post alone, oscillating, "
                "tells which."
            )
            yield Fact("suspect", text, s.start_s, s.end_s, volts(low_v), band(*LOW_SIDE, "V"))


def _source_levels(record: PilotRecord) -> Iterator[Fact]:
    reading = record.interpretation
    if not reading.levels_trusted or "offset" in reading.guessed or reading.offset_seen_v:
        return
    # What is off on both sides is told as one.
    if reading.source_v or _off_alike(record):
        return
    rail = _negative_rail_v(record)
    for s in longest_per_state(record):
        if s.state == "A" and s.high_v not in SOURCE_HIGH and not reading.clips_high(s.high_v):
            text = f"Open circuit the post gives {volts(s.high_v)}, outside its source tolerance."
            yield Fact("suspect", text, s.start_s, s.end_s, volts(s.high_v), band(*SOURCE_HIGH, "V"))
        if s.low_v is None or s.low_v in SOURCE_LOW or reading.clips_low(s.low_v):
            continue
        of_post = rail is not None and abs(rail - s.low_v) < _UNMOVED_V
        if of_post or s.low_v in LOW_SIDE or s.low_v < LOW_SIDE.low_v:
            grave = s.low_v not in LOW_SIDE
            text = f"The post's negative side stands at {volts(s.low_v)} in {s.label}, outside its source tolerance."
            expected = band(*SOURCE_LOW, "V")
            yield Fact("fault" if grave else "note", text, s.start_s, s.end_s, volts(s.low_v), expected)


def _low_alike(s: Segment) -> bool:
    """Whether a loaded state stands low on its high side as far as its low side does: a weak source at the least, at the most
    a leak in front of the load. What conducts in the negative half alone leaves the high side where it was."""
    state = s.nearest if s.state == "unknown" else s.state
    if state not in "BCD" or s.low_v is None or not _LOADED_LOW_V[0] < -s.low_v < _LOADED_LOW_V[1]:
        return False
    weak = pilot_circuit.nominal_level_v(state, -s.low_v)
    usual = pilot_circuit.nominal_level_v(state)
    return usual - s.high_v > _ALIKE_SHARE * (usual - weak) and s.high_v > weak - _UNMOVED_V


def _leaks(record: PilotRecord, rail_v: float) -> bool | None:
    """Whether the source's resistance is what a leak beside it leaves, not the 1 kΩ of a weak source, or of one seen through
    a wrong factor; None where levels do not tell."""
    levels: dict[str, float] = {}
    for s in longest_per_state(record):
        open_ = s.high_v > rail_v - _UNMOVED_V
        levels["A" if open_ else min("BCD", key=lambda letter: abs(s.high_v - _low_level_v(letter, rail_v)))] = s.high_v
    inner = pilot_circuit.inner_ohm(levels)
    leaking = SOURCE_OHM * levels.get("A", rail_v) / BY_LETTER["A"].nominal_v
    apart = SOURCE_OHM - leaking
    if inner is None or apart < _TELLABLE_OHM or not leaking - apart / 2 < inner < SOURCE_OHM + apart:
        return None
    return inner < (SOURCE_OHM + leaking) / 2


def _low_level_v(letter: str, rail_v: float) -> float:
    """Midway between what a weak source and what a leak leaves of a loaded state."""
    return (pilot_circuit.nominal_level_v(letter, rail_v) + pilot_circuit.leaking_level_v(letter, rail_v)) / 2


def _off_alike(record: PilotRecord) -> tuple[float, Segment | None] | None:
    """Volts both sides stand at, and the loaded segment that tells it where nothing open does; None where they do not."""
    reading = record.interpretation
    if reading.source_v:
        return None if reading.source_low_holds else (reading.source_v, None)
    if not reading.levels_trusted:
        return None
    low = next((s for s in longest_per_state(record) if _low_alike(s)), None)
    return (-low.low_v, low) if low and low.low_v is not None else None


def _both_sides(record: PilotRecord) -> Iterator[Fact]:
    """The source or the probe; a leak is told for itself."""
    source_v = record.interpretation.source_v
    if source_v and record.interpretation.source_low_holds:
        text = (
            f"Open circuit the pilot stands at {volts(source_v)} where 12 V belong, and under load in proportion to it, "
            "while its low side is right: the post's positive side is weak. A resistance in the wire would lift levels, not "
            "lower them. States are told in proportion to it. The post alone, without the cable, confirms it."
        )
        yield Fact("fault", text, record.start_s, record.end_s, volts(source_v), band(*SOURCE_HIGH, "V"))
    found = _off_alike(record)
    if found is None or _leaks(record, found[0]) is not False:
        return
    rail_v, low = found
    if low is not None:
        text = (
            f"{low.label} stands low on both sides, at {volts(low.high_v)} and {volts(-rail_v)}: the post's source is off on "
            "both sides, or the probe's factor is off. The post alone, without the cable, and a known voltage at the probe "
            "tell which."
        )
        yield Fact("fault", text, low.start_s, low.end_s, volts(-rail_v), band(*LOW_SIDE, "V"))
        return
    text = (
        f"Open circuit and on the low side the pilot stands at {volts(rail_v)} alike, where 12 V belong, and under load in "
        f"proportion: the post's source is off on both sides, or the probe's factor is off (by "
        f"{BY_LETTER['A'].nominal_v / rail_v:.2f}). States are told in proportion to it. The post alone, without the cable, "
        "and a known voltage at the probe tell which."
    )
    yield Fact("fault", text, record.start_s, record.end_s, f"± {volts(rail_v)}", band(*SOURCE_HIGH, "V"))


def _leak_on_both_sides(record: PilotRecord) -> Iterator[Fact]:
    found = _off_alike(record)
    if found is None or not _leaks(record, found[0]):
        return
    rail_v, low = found
    ohm = pilot_circuit.leakage_ohm("A", rail_v, BY_LETTER["A"].nominal_v)
    about = f" of about {ohms(ohm)}" if ohm and ohm < LEAK_OHM else ""
    where = low.label if low else "The pilot"
    start, end = (low.start_s, low.end_s) if low else (record.start_s, record.end_s)
    text = (
        f"{where} stands low on both sides, open or on the low side at {volts(rail_v)}, and under load less so than a weak "
        f"source or a probe's factor would leave it: a leak{about} from CP to PE. The post alone, without the cable, tells "
        "on which side of the plug it is."
    )
    yield Fact("fault", text, start, end, f"± {volts(rail_v)}", band(*SOURCE_HIGH, "V"))


def _low_on_both_sides(record: PilotRecord) -> Iterator[Fact]:
    """Where levels do not tell a weak source from a leak."""
    found = _off_alike(record)
    if found is None or _leaks(record, found[0]) is not None:
        return
    rail_v, low = found
    ohm = pilot_circuit.leakage_ohm("A", rail_v, BY_LETTER["A"].nominal_v)
    leak = f", a leak of about {ohms(ohm)} from CP to PE loads it" if ohm and ohm < LEAK_OHM else ""
    text = (
        f"{low.label if low else 'The pilot'} stands low on both sides, at {volts(rail_v)} where 12 V belong: the post's "
        f"source is off on both sides{leak}, or the probe's factor is off (by {BY_LETTER['A'].nominal_v / rail_v:.2f}). "
        "These levels do not tell which; the post alone, without the cable, and a known voltage at the probe do."
    )
    start, end = (low.start_s, low.end_s) if low else (record.start_s, record.end_s)
    yield Fact("fault", text, start, end, f"± {volts(rail_v)}", band(*SOURCE_HIGH, "V"))


RULES: tuple[Rule[PilotRecord], ...] = (
    Rule(
        "both_sides_low",
        "pilot",
        STATES_SOURCE,
        "levels off alike: source, leak or probe",
        _low_on_both_sides,
        favours_well=-4.0,
        needs=Needs(reached="offer"),
    ),
    Rule(
        "both_sides_off",
        "pilot",
        STATES_SOURCE,
        "levels off alike: source or probe",
        _both_sides,
        favours_well=-4.0,
        needs=Needs(reached="offer"),
    ),
    Rule(
        "both_sides_leak",
        "pilot",
        STATES_SOURCE,
        "levels off alike, less so under load: a leak",
        _leak_on_both_sides,
        favours_well=-4.0,
        needs=Needs(reached="offer"),
    ),
    Rule("pilot_level_in_band", "pilot", STATES_SOURCE, "each state's level and its margin", _in_band),
    Rule(
        "pilot_level_thin_margin",
        "pilot",
        STATES_SOURCE,
        "a level about to leave its band",
        _thin_margin,
        favours_well=-2.5,
    ),
    Rule("pilot_level_between_states", "pilot", STATES_SOURCE, "a level that is no state", _between, breaks=("pilot",)),
    Rule(
        "series_resistance",
        "pilot",
        STATES_SOURCE,
        "the resistance behind a lifted level",
        _series_resistance,
        favours_well=-3.0,
    ),
    Rule("sae_level_remark", "pilot", SAE_SOURCE, "inside one standard, outside the other", _sae_remark),
    Rule(
        "low_side_pulled_up",
        "pilot",
        STATES_SOURCE,
        "a diode that conducts both ways",
        _low_side,
        breaks=("pilot",),
        needs=Needs(reached="offer"),
    ),
    Rule(
        "low_side_partly_up",
        "pilot",
        STATES_SOURCE,
        "a low side that mirrors nothing: weak, or partly pulled up",
        _low_side_partly,
        favours_well=-3.0,
        needs=Needs(reached="offer"),
    ),
    Rule(
        "source_level_out",
        "pilot",
        STATES_SOURCE,
        "the post's own generator out of tolerance",
        _source_levels,
        favours_well=-2.5,
        needs=Needs(reached="", probe="post"),
    ),
)
