"""Every rule there is. What makes findings is named here once; stages, outcome, ranking, pages, docs and tests read this."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from gladwire.core.findings import Finding, Rule, by_code
from gladwire.core.lanes.all import LANES
from gladwire.core.scene.rules import RULES as SCENE

ALL: tuple[Rule[Any], ...] = (*(rule for lane in LANES for rule in lane.rules), *SCENE)
BY_CODE = by_code(ALL)


def breaking(findings: list[Finding] | tuple[Finding, ...], stage: str) -> Finding | None:
    """The first finding that breaks this stage."""
    hits = [f for f in findings if BY_CODE[f.code].breaks_stage(f, stage)]
    return min(hits, key=lambda f: f.start_s, default=None)


def danger(findings: Sequence[Finding]) -> Finding | None:
    """The first finding that can hurt somebody; told before anything else."""
    return next((f for f in findings if f.severity == "fault" and BY_CODE[f.code].danger), None)
