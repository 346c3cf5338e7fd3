"""The power records of one session as one: parts that follow each other spliced, of two readings of one time the fuller."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from gladwire.core.lanes.power.report import PowerReport, record_of, report_of
from gladwire.core.lanes.power.splice import splice

# Records that share more than this are two readings of one thing; others follow each other.
OVERLAP_S = 60.0


def same_time(a: PowerReport, b: PowerReport) -> bool:
    """Whether two records are readings of one thing, not parts that follow each other."""
    return min(a.end_s, b.end_s) - max(a.start_s, b.start_s) > OVERLAP_S


def joined(reports: Sequence[PowerReport]) -> PowerReport | None:
    """The session's power on its clock; None where none was captured. `notes` says what was joined and how."""
    parts: list[PowerReport] = []
    # One in which nothing ever flowed has no course to join.
    flowing = [report for report in reports if report.entries] or list(reports[:1])
    for report in sorted(flowing, key=lambda r: -r.energy_kwh):
        if not any(same_time(part, report) for part in parts):
            parts.append(report)
    parts.sort(key=lambda r: r.start_s)
    if len(parts) < 2:
        return parts[0] if parts else None
    pauses = [b.start_s - a.end_s for a, b in pairwise(parts)]
    record, joints = splice([record_of(part) for part in parts], pauses)
    whole = report_of(record, parts[0].context)
    return whole.model_copy(update={"notes": tuple(joint.words for joint in joints)})
