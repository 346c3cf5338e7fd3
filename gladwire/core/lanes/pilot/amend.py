"""A person's correction of a machine reading: the corrected value is used, the machine's own stays beside it."""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.settled import Amendment
from gladwire.core.standards import pilot_duty, pilot_levels


def amend(record: PilotRecord, amendments: Sequence[Amendment]) -> PilotRecord:
    """The record with amended segments; amendments of the same segment add up, the later one wins.

    Raises ValueError for a moment outside the record, and for a duty or a low side in a segment that does not oscillate.
    """
    segments = list(record.segments)
    for amendment in amendments:
        number = next((i for i, s in enumerate(segments) if s.start_s <= amendment.at_s < s.end_s), None)
        if number is None:
            raise ValueError(f"a correction at {amendment.at_s:g} s lies outside the record")
        segments[number] = _amended(segments[number], amendment)
    return record.model_copy(update={"segments": tuple(segments)})


def _amended(segment: Segment, amendment: Amendment) -> Segment:
    new = amendment.values
    if "duty_percent" in new and not segment.oscillating:
        raise ValueError(f"the pilot is steady at {amendment.at_s:g} s: it has no duty to correct")
    if "low_v" in new and not segment.oscillating:
        raise ValueError(f"the pilot is steady at {amendment.at_s:g} s: it has no low side to correct")
    if "high_v" in new and "state" not in new:
        # A level decides its state; a state a person names holds whatever the level.
        new["state"] = pilot_levels.classify(new["high_v"])
        new["nearest"] = pilot_levels.nearest(new["high_v"]).letter
    elif new.get("state", "unknown") != "unknown":
        new["nearest"] = new["state"]
    if "duty_percent" in new:
        offer = pilot_duty.offer(new["duty_percent"])
        new |= {"offer_kind": offer.kind, "advertised_current_a": offer.current_a, "duty_doubt_percent": 0.0}
    machine = {name: getattr(segment, name) for name in new} | segment.machine
    return segment.model_copy(update={**new, "machine": machine, "amended_by": amendment.by_name, "why": amendment.why})
