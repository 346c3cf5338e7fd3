"""The style guide: colours with their contrast, type, spacing and marks, each shown in use."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.findings import SEVERITIES, Severity
from gladwire.core.lanes.pilot.values import MeasuredValue
from gladwire.core.scene.spine import DC_SPINE
from gladwire.core.stage import StageResult, StageState
from gladwire.web.charts.scale import Scale, scale_of
from gladwire.web.charts.stage_line import STATE_WORDS, StageLine, stage_line
from gladwire.web.palette import THEMES, Use, uses
from gladwire.web.templating import render

router = APIRouter()


@dataclass(frozen=True)
class StyleguidePage:
    area: str
    uses: dict[str, list[Use]]
    states: dict[str, str]
    severities: tuple[Severity, ...]
    line: StageLine
    scales: list[tuple[MeasuredValue, Scale]]


def _sample_line() -> StageLine:
    """A line that shows every mark and every kind of wire; invented."""
    whole: list[StageState] = ["proven"] * 4
    states: list[StageState] = ["not_captured", "not_applicable", "not_captured", *whole, "failed"]
    states += ["not_reached"] * (len(DC_SPINE) - len(states))
    stages = [
        StageResult(stage=s.key, title=s.title, state=state, why="shown as an example")
        for s, state in zip(DC_SPINE, states, strict=True)
    ]
    return stage_line(stages, 1180 / len(stages))


def _sample_scales() -> list[tuple[MeasuredValue, Scale]]:
    rows = [
        ("Inside its band", 9.02, 0.03),
        ("Near the end", 9.9, 0.05),
        ("Outside", 10.7, 0.05),
        ("Uncertain", 8.6, 0.5),
    ]
    made = [
        MeasuredValue(label=label, value=value, doubt=doubt, unit="V", low=8.0, high=10.0, scale_low=6.0, scale_high=12.0,
                 source="an example", document="an example", rule="practice")
        for label, value, doubt in rows
    ]  # fmt: skip
    return [(m, scale_of(m)) for m in made]


@router.get("/styleguide")
def styleguide() -> Response:
    page = StyleguidePage(
        "styleguide", {t: uses(t) for t in THEMES}, STATE_WORDS, SEVERITIES, _sample_line(), _sample_scales()
    )
    return render("styleguide.html", page)
