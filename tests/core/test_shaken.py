"""Records shaken: one moment, length, level or state changed at a time, and what is then told otherwise; and the same
record later on the clock, of which the same has to be told."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.findings import Finding
from gladwire.core.lanes.contactor.record import Closing, ContactorRecord
from gladwire.core.lanes.mains.record import MainsRecord, Span
from gladwire.core.lanes.pilot.asking import commands, requests
from gladwire.core.lanes.pilot.record import Event, PilotRecord
from gladwire.core.lanes.proximity.record import ProximityRecord, ProximitySegment
from gladwire.core.lanes.records import Record, Records
from gladwire.core.moments import Clock, on_clock
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.stamps import KINDS, Stamp
from gladwire.core.session.judgement import Judgement, judge
from tests.core.records import ASK, LEVELS, stays
from tests.core.test_told_of_scenes import AC, BUSES, CHARGE, LOCKS, TWICE, bus, contactor, mains, offers
from tests.shaking import shaken

MOMENTS = (
    -5.1,
    -2.1,
    -1.1,
    -1.0,
    -0.9,
    -0.51,
    -0.3,
    -0.11,
    -0.09,
    0.09,
    0.11,
    0.3,
    0.51,
    0.9,
    1.0,
    1.1,
    2.1,
    3.2,
    5.1,
    9.0,
)
LENGTHS = (0.01, 0.049, 0.05, 0.051, 0.099, 0.101, 0.3, 0.51, 0.99, 1.01, 2.9, 3.1, 4.1, 5.1, 9.0, 29.0, 31.0, 61.0)


# No record begins at a round moment, and a sum must not look like a remainder.
BEGINS_S = 3.37


def judged(records: Iterable[Record], stamps: Sequence[Stamp] = ()) -> Judgement:
    later = [on_clock(record, Clock(BEGINS_S)) for record in records]
    return judge(Scene(Records.of_all(later), tuple(stamps)))


def brief(judgement: Judgement) -> set[str]:
    found = {f"{f.severity} {f.code} {f.measured} {f.start_s:.2f}-{f.end_s:.2f}" for f in judgement.findings}
    return {judgement.outcome, *found, *(f"{s.stage} {s.state}" for s in judgement.stages if s.state == "failed")}


def differences(base: Judgement, variants: Iterable[tuple[str, Judgement]]) -> list[str]:
    """A line for each variant of which something else is told: what came, and with a minus what went."""
    before, lines = brief(base), []
    for name, judgement in variants:
        now = brief(judgement)
        changed = [*sorted(now - before), *(f"- {gone.split()[1]}" for gone in sorted(before - now) if " " in gone)]
        lines += [f"{name}: {'; '.join(changed)}"] if changed else []
    return lines


@pytest.mark.parametrize("role", CHARGE)
def test_moments_and_values_of_a_bus(role: str, snapshot: SnapshotAssertion) -> None:
    steps = CHARGE[role][1]

    def variants() -> Iterator[tuple[str, Judgement]]:
        for n, (at, value) in enumerate(steps):
            low, high = steps[n - 1][0] if n else 0.0, steps[n + 1][0] if n + 1 < len(steps) else 100.0
            for by in (b for b in MOMENTS if n and low < at + b < high):
                moved = (*steps[:n], (at + by, value), *steps[n + 1 :])
                yield f"{at:g} s, {by:+g} s", judged([bus(None, **{role: moved})])
            for other in (-1.0, 0.0, 0.5 * value, value - 21, value - 19, value + 19, value + 21, 2 * value, 999.0):
                changed = (*steps[:n], (at, other), *steps[n + 1 :])
                yield f"{at:g} s, {value:g} as {other:g}", judged([bus(None, **{role: changed})])
        yield "not there", judged([bus(None, **{role: None})])

    assert differences(judged([bus()]), variants()) == snapshot


def segments(record: PilotRecord) -> list[tuple[str, float]]:
    return [(s.label, s.duration_s) for s in record.segments]


def lost() -> PilotRecord:
    """While asking, the level leaves its band and comes back."""
    base = stays(("A1", 1), ("B2", 1), ("C2", 4), ("D2", 2), ("C2", 3), ("B2", 1))
    between = base.segments[3].model_copy(update={"state": "unknown", "nearest": "C", "high_v": 7.5})
    return base.model_copy(update={"segments": (*base.segments[:3], between, *base.segments[4:])})


def interrupted() -> PilotRecord:
    """Three times away for an instant, too short for a segment of its own."""
    base = stays(("A1", 1), ("B2", 1), ("C2", 9), ("B2", 1))
    events = [Event(kind="interruption", time_s=at, end_s=at + lasts, text="away")
              for at, lasts in ((3.1, 0.004), (5.3, 0.011), (8.9, 0.002))]  # fmt: skip
    return base.model_copy(update={"events": tuple(events)})


PILOTS: Mapping[str, PilotRecord] = {
    "one request": stays(("A1", 1), ("B1", 1), ("B2", 1), ("C2", 6), ("B2", 1), ("B1", 1), ("A1", 1)),
    "asked twice": TWICE,
    "a gap while asking": stays(("A1", 1), ("B2", 1), ("C2", 6), ("A2", 0.02), ("C2", 6), ("B2", 1), ("A1", 1)),
    "hunting": stays(("A1", 1), ("B2", 1), *[("C2", 1.2), ("B2", 0.8)] * 4, ("A1", 1)),
    "offers that change": offers(
        ("A1", 1, 0), ("B2", 1, 16), ("B1", 1, 0), ("B2", 1, 10), ("C2", 5, 10), ("C2", 5, 32)
    ),
    "a level that is no state": lost(),
    "interrupted": interrupted(),
    "matched anew": stays(("A1", 1), ("B1", 2), ("E1", 4.5), ("B1", 2), ("B2", 2), ("C2", 9), ("B2", 2)),
}
LABELS = ("A1", "A2", "B1", "B2", "C1", "C2", "D2", "E1", "F1")


@pytest.mark.parametrize("name", [name for name in PILOTS if "no state" not in name])
def test_lengths_and_states_of_a_pilot(name: str, snapshot: SnapshotAssertion) -> None:
    base = PILOTS[name]
    parts = segments(base)

    def variants() -> Iterator[tuple[str, Judgement]]:
        for n, (label, _) in enumerate(parts):
            for length in LENGTHS:
                yield f"{n} {label} for {length:g} s", judged([stays(*parts[:n], (label, length), *parts[n + 1 :])])
            for other in (x for x in LABELS if x != label):
                made = stays(*parts[:n], (other, parts[n][1]), *parts[n + 1 :])
                yield f"{n} {label} as {other}", judged([made])
        yield "cut short", judged([stays(*parts[: len(parts) // 2 + 1])])

    assert differences(judged([base]), variants()) == snapshot


@pytest.mark.parametrize("state", LEVELS)
def test_levels_of_a_pilot(state: str, snapshot: SnapshotAssertion) -> None:
    base = stays(("A1", 1), ("B1", 1), (f"{state}2" if state in "BCD" else f"{state}1", 3))

    def variants() -> Iterator[tuple[str, Judgement]]:
        for by in (-1.2, -1.01, -0.99, -0.8, -0.6, -0.41, -0.3, -0.1, 0.1, 0.3, 0.41, 0.6, 0.8, 0.99, 1.01, 1.2):
            last = base.segments[-1].model_copy(update={"high_v": LEVELS[state] + by})
            yield f"{by:+g} V", judged([base.model_copy(update={"segments": (*base.segments[:-1], last)})])
            low = base.segments[-1].model_copy(update={"low_v": -12.0 + 3 * by})
            yield f"low {3 * by:+g} V", judged([base.model_copy(update={"segments": (*base.segments[:-1], low)})])

    assert differences(judged([base]), variants()) == snapshot


def test_requests_and_commands_of_a_pilot(snapshot: SnapshotAssertion) -> None:
    """What counts as one request, and as one command to switch, over gaps of every length and state."""
    lines = []
    for state in ("A2", "B2", "B1", "E1"):
        for gap in LENGTHS:
            for then in ("C2", "D2"):
                record = stays(("B2", 1), ("C2", 5), (state, gap), (then, 5), ("B2", 0.03), ("B1", 2))
                asks = [f"{a.label} {a.start_s:g}-{a.end_s:g} then {a.then or 'nothing'}" for a in requests(record)]
                cut = [f"{a.start_s:g}-{a.end_s:g}" for a in commands(record.segments)]
                lines.append(f"{state} {gap:g} s, {then}: {', '.join(asks)} | {', '.join(cut)}")
    assert lines == snapshot


def moved_spans(spans: Sequence[Span], n: int, by: tuple[float, float]) -> tuple[Span, ...]:
    changed = spans[n].model_copy(update={"start_s": spans[n].start_s + by[0], "end_s": spans[n].end_s + by[1]})
    return (*spans[:n], changed, *spans[n + 1 :])


@pytest.mark.parametrize("name", [name for name, records in AC.items() if isinstance(records[-1], MainsRecord)])
def test_moments_and_amperes_of_mains(name: str, snapshot: SnapshotAssertion) -> None:
    *beside, lane = AC[name]
    assert isinstance(lane, MainsRecord)
    moments = MOMENTS if name in ("a charge", "asked twice", "offer lowered and followed") else MOMENTS[1::4]

    def variants() -> Iterator[tuple[str, Judgement]]:
        for key in ("volts", "amps", "levels", "dips"):
            spans = getattr(lane, key)
            for n, one in enumerate(spans):
                for by in moments:
                    for edge, shift in (("from", (by, 0.0)), ("to", (0.0, by))):
                        moved = moved_spans(spans, n, shift)
                        if 0 <= moved[n].start_s < moved[n].end_s <= 26:
                            changed = lane.model_copy(update={key: moved})
                            yield f"{key} {n} {edge} {by:+g} s", judged([*beside, changed])
                for share in (0.01, 0.5, 0.84, 0.86, 0.94, 1.05, 1.11, 1.3, 2.0):
                    other = one.model_copy(update={"rms": one.rms * share})
                    changed = lane.model_copy(update={key: (*spans[:n], other, *spans[n + 1 :])})
                    yield f"{key} {n} times {share:g}", judged([*beside, changed])

    assert differences(judged([*beside, lane]), variants()) == snapshot


@pytest.mark.parametrize("beside", ["alone", "mains"])
def test_moments_of_a_contactor(beside: str, snapshot: SnapshotAssertion) -> None:
    rest = [mains()] if beside == "mains" else []
    base = [ASK, contactor((2.4, 22.05)), *rest]

    def variants() -> Iterator[tuple[str, Judgement]]:
        for by in (*MOMENTS, 19.0):
            for edge, (a, b) in (("closes", (by, 0.0)), ("opens", (0.0, by))):
                if 0 <= 2.4 + a < 22.05 + b:
                    yield f"{edge} {by:+g} s", judged([ASK, contactor((2.4 + a, 22.05 + b)), *rest])
        for start in (0.5, 2.0, 2.3, 2.6, 4.0, 21.9, 22.2):
            late = Closing(start_s=max(2.4, start), end_s=22.05, until_end=False)
            line = ContactorRecord(
                start_s=start, end_s=26.0, channel="K1", switched=True, closings=(late,) if start < 22 else ()
            )
            yield f"seen from {start:g} s", judged([ASK, line, *rest])
        for end in (2.2, 3.0, 5.2, 21.0, 22.1, 22.3):
            yield f"seen to {end:g} s", judged([ASK, contactor((2.4, 22.05), end=end), *rest])

    assert differences(judged(base), variants()) == snapshot


def test_lengths_and_states_of_proximity(snapshot: SnapshotAssertion) -> None:
    parts = [("absent", 1.0), ("latched", 6.0), ("pressed", 0.5), ("latched", 4.0), ("absent", 1.0)]
    states = ("absent", "latched", "pressed", "low", "high", "between", "coded", "doubtful", "unknown")

    def made(changed: Sequence[tuple[str, float]]) -> Judgement:
        at, found = 0.0, []
        for state, lasts in changed:
            values = {"start_s": at, "end_s": at + lasts, "value": 1.5, "unit": "V", "state": state, "meaning": state}
            found.append(ProximitySegment.model_validate(values))
            at += lasts
        return judged(
            [ProximityRecord(start_s=0.0, end_s=at, channel="PP", segments=tuple(found)), stays(("A1", 1), ("B1", at))]
        )

    def variants() -> Iterator[tuple[str, Judgement]]:
        for n, (state, length) in enumerate(parts):
            for other in LENGTHS:
                yield f"{n} {state} for {other:g} s", made([*parts[:n], (state, other), *parts[n + 1 :]])
            for new in states:
                yield f"{n} {state} as {new}", made([*parts[:n], (new, length), *parts[n + 1 :]])

    assert differences(made(parts), variants()) == snapshot


LATER_S = 1000.0
SCENES: Mapping[str, tuple[Record, ...]] = {
    **AC, **LOCKS, **{f"bus, {name}": (made(),) for name, made in BUSES.items()}, **{k: (v,) for k, v in PILOTS.items()},
}  # fmt: skip


@pytest.mark.parametrize("name", SCENES)
def test_the_same_later_on_the_clock_is_told_the_same_later(name: str) -> None:
    """Nothing depends on where the clock's zero lies; a float's last digits may."""
    stamps = [Stamp(kind=kind.key, at_s=3.0 + 2 * n) for n, kind in enumerate(KINDS)]
    now = judged(SCENES[name], stamps)
    moved = [s.model_copy(update={"at_s": s.at_s + LATER_S}) for s in stamps]
    later = judged([on_clock(record, Clock(LATER_S)) for record in SCENES[name]], moved)

    def place(f: Finding, by: float) -> tuple[str, str, str, float, float]:
        return f.code, f.severity, f.measured, round(f.start_s - by, 6), round(f.end_s - by, 6)

    assert sorted(place(f, LATER_S) for f in later.findings) == sorted(place(f, 0.0) for f in now.findings)
    assert [(s.stage, s.state) for s in later.stages] == [(s.stage, s.state) for s in now.stages]
    assert [c.code for c in later.causes] == [c.code for c in now.causes]
    assert later.outcome == now.outcome


def unlike(erratic: float) -> PilotRecord:
    """Levels that are no state under any probe factor, or nothing that stays put."""
    base = stays(("A1", 1), ("B1", 2), ("C1", 1))
    levels = [s.model_copy(update={"state": "unknown", "nearest": near, "high_v": volts})
              for s, near, volts in zip(base.segments, ("A", "B", "unknown"), (17.5, 10.4, 1.4), strict=True)]  # fmt: skip
    reading = base.interpretation.model_copy(update={"erratic_share": erratic})
    return base.model_copy(update={"segments": tuple(levels), "interpretation": reading})


PARTS: Mapping[str, Record] = {
    "pilot": stays(("A1", 1), ("B1", 1), ("B2", 1), ("C2", 6), ("B2", 1), ("B1", 1), ("A1", 1), rise_us=2.0, fall_us=1.0,
                   frequency_doubt_hz=1.0, level_doubt_v=0.05),
    "pilot, faster": stays(("B2", 1), ("C2", 6), ("B2", 2), rise_us=12.0, fall_us=14.0, frequency_hz=1015.0, low_v=-10.0),
    "pilot, short duties": stays(("B2", 1), ("B2", 2), ("C2", 6), cycles=4, duty_percent=2.0, duty_doubt_percent=1.4,
                                 offer_kind="none", advertised_current_a=None),
    "pilot, doubtful duties": stays(("B2", 1), ("B2", 2), ("C2", 6), cycles=4, duty_percent=8.6, duty_doubt_percent=1.2),
    "pilot, levels that are no state": unlike(0.0),
    "pilot, erratic": unlike(0.7),
    "mains": mains(),
    "contactor": contactor((2.4, 22.05)),
    "bus": bus(),
    "bus, pre-charge in vain": BUSES["pre-charge in vain"](),
    "bus, messages": BUSES["two of one sender gone"](),
    **{f"lock, {name}": records[0] for name, records in LOCKS.items() if len(records) == 1},
}  # fmt: skip


@pytest.mark.parametrize("name", PARTS)
def test_every_part_of_a_record(name: str, snapshot: SnapshotAssertion) -> None:
    beside = [ASK] if name in ("mains", "contactor") else []
    record = PARTS[name]
    variants = ((where, judged([*beside, changed])) for where, changed in shaken(record))
    assert differences(judged([*beside, record]), variants) == snapshot


@pytest.mark.parametrize("name", PILOTS)
def test_every_part_of_a_pilot(name: str, snapshot: SnapshotAssertion) -> None:
    record = PILOTS[name]
    variants = ((where, judged([changed])) for where, changed in shaken(record) if ".duty" not in where)
    assert differences(judged([record]), variants) == snapshot


@pytest.mark.parametrize("name", ["asked twice, once given", "contactor for two requests", "contactor chatters"])
def test_contactors_of_several_requests(name: str, snapshot: SnapshotAssertion) -> None:
    pilot, lane = AC["contactor for one of two" if name == "asked twice, once given" else name]
    assert isinstance(lane, ContactorRecord)

    def variants() -> Iterator[tuple[str, Judgement]]:
        for n, one in enumerate(lane.closings):
            for by in MOMENTS:
                for edge in ("start_s", "end_s"):
                    moved = one.model_copy(update={edge: getattr(one, edge) + by})
                    if 0 <= moved.start_s < moved.end_s <= 26:
                        closings = (*lane.closings[:n], moved, *lane.closings[n + 1 :])
                        yield f"{n} {edge} {by:+g} s", judged([pilot, lane.model_copy(update={"closings": closings})])

    assert differences(judged([pilot, lane]), variants()) == snapshot
