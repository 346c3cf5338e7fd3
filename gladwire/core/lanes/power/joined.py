"""The power records of one session as one: parts that follow each other spliced, of two readings of one time the fuller."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from gladwire.core.lanes.power.report import PowerReport, record_of, report_of
from gladwire.core.lanes.power.splice import splice

# Records that share more than this are two readings of one thing; others follow each other.
OVERLAP_S = 60.0
# Percent two parts may both cover, where one display rounds up and the other down; and the share of one that is most of it.
_LEAST_POINTS, _MOST_OF = 4.0, 0.6


def same_time(a: PowerReport, b: PowerReport) -> bool:
    """Whether two records are readings of one thing, not parts that follow each other."""
    return min(a.end_s, b.end_s) - max(a.start_s, b.start_s) > OVERLAP_S


def same_charge(a: PowerReport, b: PowerReport) -> bool:
    """Whether two records read one charge twice, whatever their clocks say: no battery takes the same percent again without
    having been driven in between."""
    if a.start_soc is None or a.end_soc is None or b.start_soc is None or b.end_soc is None:
        return False
    shared = min(a.end_soc, b.end_soc) - max(a.start_soc, b.start_soc)
    shorter = min(a.end_soc - a.start_soc, b.end_soc - b.start_soc)
    return shared > max(_LEAST_POINTS, _MOST_OF * shorter)


def clocks_apart(a: PowerReport, b: PowerReport) -> str:
    """What is said of two readings of one charge whose clocks lie apart."""
    apart = abs(b.start_s - a.start_s)
    return (
        f"Both run through {max(a.start_soc or 0, b.start_soc or 0):.0f} to {min(a.end_soc or 0, b.end_soc or 0):.0f} %, and "
        f"their clocks lie {apart / 60.0:.0f} min apart: one charge read twice, by clocks that do not go together. They are "
        "not joined; place one by hand, and they are compared."
    )


def joined(reports: Sequence[PowerReport]) -> PowerReport | None:
    """The session's power on its clock; None where none was captured. `notes` says what was joined and how."""
    parts: list[PowerReport] = []
    # One in which nothing ever flowed has no course to join.
    flowing = [report for report in reports if report.entries] or list(reports[:1])
    for report in sorted(flowing, key=lambda r: -r.energy_kwh):
        if not any(same_time(part, report) or same_charge(part, report) for part in parts):
            parts.append(report)
    parts.sort(key=lambda r: r.start_s)
    if len(parts) < 2:
        return parts[0] if parts else None
    pauses = [b.start_s - a.end_s for a, b in pairwise(parts)]
    record, joints = splice([record_of(part) for part in parts], pauses)
    whole = report_of(record, parts[0].context)
    return whole.model_copy(update={"notes": tuple(joint.words for joint in joints)})
