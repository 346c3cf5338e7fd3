"""Stages a pilot speaks for: Pilot, Offer, Request; Parameters by the C that follows them; Hold and End as far as it can."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gladwire.core.findings import Finding
from gladwire.core.lanes.lane import Judge
from gladwire.core.lanes.pilot.asking import asking_s, requests
from gladwire.core.lanes.pilot.record import PilotRecord, Segment, as_one
from gladwire.core.lanes.pilot.rules.offer import is_told, offered, offers
from gladwire.core.lanes.records import Records
from gladwire.core.stage import Standing
from gladwire.core.standards.pilot_timing import PATIENCE_S
from gladwire.core.words import sampling, seconds


def _of_pilot(judge: Callable[[PilotRecord], Standing]) -> Judge:
    def judged(records: Records, findings: Sequence[Finding]) -> Standing | None:
        pilot = as_one(records.of(PilotRecord))
        if pilot and not pilot.interpretation.is_pilot_like:
            return Standing("not_captured", "The channel taken for the pilot shows none.")
        if pilot and all(s.state == "unknown" and not s.oscillating for s in pilot.segments):
            return Standing("not_captured", _no_levels(pilot))
        return judge(pilot) if pilot else None

    return judged


def _no_levels(record: PilotRecord) -> str:
    if record.interpretation.kind == "logic":
        return "High and low alone tell no levels."
    if record.interpretation.levels_trusted:
        return "No level seen is a pilot's."
    return "Levels were lost to AC coupling."


def _connected(record: PilotRecord) -> list[Segment]:
    return [s for s in record.segments if s.state in ("B", "C", "D")]


def _pilot(record: PilotRecord) -> Standing:
    seen = _connected(record)
    if seen:
        first = seen[0]
        why = f"A vehicle is there: {first.label} at {first.high_v:.2f} V from {first.start_s:.2f} s."
        return Standing("proven", why, f"{first.high_v:.1f} V", first.start_s, seen[-1].end_s)
    if not record.interpretation.levels_trusted:
        return Standing("not_captured", _no_levels(record))
    return Standing("not_reached", "No vehicle is seen on the pilot: it stays in A.", "A only")


def _offer(record: PilotRecord) -> Standing:
    if not record.sees_oscillation:
        return Standing("not_captured", f"At {sampling(record.rate_hz)} a pilot's 1 kHz cannot be seen.")
    seen = [s for s in offers(record) if s.state != "A"]
    made = [s for s in seen if s.offer_kind in ("current", "digital") and is_told(s)]
    if seen and not made:
        s = seen[0]
        doubt = s.duty_doubt_percent or 0.0
        why = f"It oscillates; what a duty of {s.duty_percent:.1f} ± {doubt:.1f} % offers is open."
        return Standing("not_captured", why, f"{s.duty_percent:.1f} %", s.start_s, s.end_s)
    if not made:
        waited = sum(s.duration_s for s in _connected(record))
        if 0 < waited < PATIENCE_S:
            return Standing("not_captured", f"No offer within the {seconds(waited)} in which a vehicle is seen.")
        return Standing("not_reached", "The post never oscillates with a vehicle connected.", "none")
    first = made[0]
    short = f"{first.duty_percent:.0f} %" if first.offer_kind == "digital" else offered(first).partition(" (")[0]
    begun = min(s.start_s for s in record.segments if s.state != "A" and s.offer_kind == first.offer_kind)
    why = f"Oscillation from {begun:.2f} s, duty {first.duty_percent:.1f} %."
    return Standing("proven", why, short, begun, made[-1].end_s)


def _request(record: PilotRecord) -> Standing:
    asked = requests(record)
    if not asked and not record.interpretation.levels_trusted:
        return Standing("not_captured", _no_levels(record))
    weak = next((s for s in record.segments if s.state == "unknown" and s.oscillating and s.nearest in "CD"), None)
    if not asked and weak:
        why = (
            f"At {weak.start_s:.2f} s the level moves to {weak.high_v:.2f} V, near {weak.nearest} but inside no state."
        )
        return Standing("not_reached", why, f"{weak.high_v:.1f} V")
    if not asked:
        waiting = [s for s in record.segments if s.state == "B"]
        offered = sum(s.duration_s for s in waiting if s.oscillating) or sum(s.duration_s for s in waiting)
        if 0 < offered < PATIENCE_S:
            return Standing(
                "not_captured", f"The vehicle does not ask within the {seconds(offered)} seen here.", "no C"
            )
        return Standing("not_reached", "The vehicle never asks (no C or D).", "no C")
    why = f"The vehicle asks from {asked[0].start_s:.2f} s, {seconds(asking_s(record))} in all."
    return Standing("proven", why, asked[0].label, asked[0].start_s, asked[-1].end_s)


def _parameters(record: PilotRecord) -> Standing:
    """On the DC spine C comes once limits are agreed; the pilot shows that moment and nothing of what was agreed."""
    asked = requests(record)
    if not asked:
        return Standing("not_captured", "The vehicle has not gone to C, which follows agreed parameters.", "no C")
    why = f"The vehicle goes to C at {asked[0].start_s:.2f} s, as it does once parameters are agreed."
    return Standing("proven", why, asked[0].label, asked[0].start_s, asked[-1].end_s)


def _hold(record: PilotRecord) -> Standing:
    if not requests(record):
        return Standing("not_captured", "The vehicle is not seen asking.")
    asked = seconds(asking_s(record))
    why = f"The pilot kept asking for {asked} without a break; whether current flowed it cannot show."
    return Standing("not_captured", why, f"C {asked}")


def _end(record: PilotRecord) -> Standing:
    if requests(record):
        return Standing("not_captured", "The capture ends before the session does.")
    return Standing("not_captured", "The vehicle is not seen asking.")


JUDGES: Mapping[str, Judge] = {
    "pilot": _of_pilot(_pilot),
    "offer": _of_pilot(_offer),
    "request": _of_pilot(_request),
    "parameters": _of_pilot(_parameters),
    "hold": _of_pilot(_hold),
    "end": _of_pilot(_end),
}
