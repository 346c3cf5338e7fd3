"""What is told, as lines to be compared word for word."""

from __future__ import annotations

from collections.abc import Iterable

from gladwire.core.findings import Finding
from gladwire.core.session.judgement import Judgement


def written(findings: Iterable[Finding]) -> list[str]:
    """A line for what was found and where, and one for the words."""
    return [
        line
        for f in findings
        for line in (
            f"{f.severity} {f.code} ({f.stage}) {f.start_s:.2f} to {f.end_s:.2f} s: {f.measured} | {f.expected}",
            f"    {f.text}",
        )
    ]


def judged(judgement: Judgement) -> list[str]:
    """Outcome and verdict, stages that show something, causes with their shares, findings."""
    return [
        f"{judgement.outcome}: {judgement.verdict}",
        *(f"{s.stage}: {s.state}, {s.why}" for s in judgement.stages if s.state != "not_captured"),
        *(f"{100 * c.confidence:.0f} % {c.code} ({c.owner})" for c in judgement.causes),
        *written(judgement.findings),
    ]
