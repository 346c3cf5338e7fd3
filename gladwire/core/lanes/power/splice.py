"""Partial runs of one session joined: what they share, what is missing between them, and the places of the joints."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from gladwire.core.lanes.power.record import PowerRecord, completed
from gladwire.core.signal.waveform import Floats


@dataclass(frozen=True)
class Joint:
    """Where one run ends and the next begins. at_s: on the spliced record. soc_before, soc_after: in percent, where read.

    overlap_points: percent both runs cover; missing_points: percent neither does, so that its energy is unknown.
    pause_s: between the runs, None where nothing tells it; then it counts as none.
    """

    at_s: float
    soc_before: float | None
    soc_after: float | None
    overlap_points: float
    missing_points: float
    pause_s: float | None

    @property
    def words(self) -> str:
        pause = "a pause that was not recorded" if self.pause_s is None else f"a pause of {self.pause_s / 60.0:.1f} min"
        if self.soc_before is None or self.soc_after is None:
            return f"Joined after {pause}; no state of charge tells whether anything is missing."
        shown = f"at {self.soc_before:.0f} % and {self.soc_after:.0f} %"
        if self.missing_points > 0:
            return (
                f"Joined {shown} after {pause}: {self.missing_points:.0f} % were charged "
                "unseen, their energy is not counted."
            )
        if self.overlap_points > 0:
            return (
                f"Joined {shown} after {pause}: {self.overlap_points:.0f} % are covered "
                "twice, both are counted as they flowed."
            )
        return f"Joined {shown} after {pause}."


def splice(runs: Sequence[PowerRecord], pauses_s: Sequence[float | None] = ()) -> tuple[PowerRecord, tuple[Joint, ...]]:
    """One record of runs in their order. pauses_s: between neighbours, None or missing where nothing tells.

    Energy counters go on from run to run; no energy is ever counted across a joint. Raises ValueError for no run.
    """
    if not runs:
        raise ValueError("nothing to splice")
    done = [completed(run) for run in runs]
    whole, joints = done[0], list[Joint]()
    for number, run in enumerate(done[1:]):
        pause = pauses_s[number] if number < len(pauses_s) else None
        whole, joint = _joined(whole, run, pause)
        joints.append(joint)
    return whole, tuple(joints)


def _joined(first: PowerRecord, second: PowerRecord, pause: float | None) -> tuple[PowerRecord, Joint]:
    step = float(np.median(np.diff(second.time_s))) if len(second.time_s) > 1 else 1.0
    gap = pause if pause is not None and pause > 0 else min(step, 1.0)
    moved = second.time_s - second.time_s[0] + first.time_s[-1] + gap
    keys = dict.fromkeys((*first.values, *second.values))
    values = {key: np.concatenate([_of(first, key), _going_on(first, second, key)]) for key in keys}
    before, after = _last(first, "soc_percent"), _first(second, "soc_percent")
    apart = after - before if before is not None and after is not None else 0.0
    at = first.time_s[-1] + gap / 2.0
    joint = Joint(float(at), before, after, max(0.0, -apart), max(0.0, apart), pause)
    record = replace(
        first,
        time_s=np.concatenate([first.time_s, moved]),
        values=values,
        places={**second.places, **first.places},
        derived=tuple(dict.fromkeys((*first.derived, *second.derived))),
        remarks=(*first.remarks, *second.remarks, joint.words),
        joints=(*first.joints, float(at)),
    )
    return record, joint


def _of(record: PowerRecord, key: str) -> Floats:
    found = record.values.get(key)
    return np.full(len(record.time_s), np.nan) if found is None else found


def _going_on(first: PowerRecord, second: PowerRecord, key: str) -> Floats:
    """A quantity of the second run; an energy counter that began anew goes on from the first run's end."""
    found = _of(second, key)
    last, begins = _last(first, key), _first(second, key)
    if key == "energy_kwh" and last is not None and begins is not None and begins < last:
        return found - begins + last
    return found


def _last(record: PowerRecord, key: str) -> float | None:
    _, values = record.at_readings(key)
    return float(values[-1]) if len(values) else None


def _first(record: PowerRecord, key: str) -> float | None:
    _, values = record.at_readings(key)
    return float(values[0]) if len(values) else None
