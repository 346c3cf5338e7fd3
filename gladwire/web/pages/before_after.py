"""Before and after a repair, mode by mode, on one scale."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.case.proof import since_before
from gladwire.core.case.swaps import PARTS
from gladwire.store.models import Case, ChargingSession
from gladwire.web.charts.before_after import before_and_after_plots
from gladwire.web.charts.plot import Plot
from gladwire.web.pages.cases import case_or_404
from gladwire.web.services import Database
from gladwire.web.session_view import session_view
from gladwire.web.templating import render
from gladwire.web.took_part import TITLES
from gladwire.work.cases import Pair, pairs_of, stages_of

router = APIRouter()
_MOST_ROWS = 6


@dataclass(frozen=True)
class Shown:
    """mode: its title. rows: every session of the mode up to the newest, with what it is here and its states, in step with
    titles of stages. repaired: whether a repair lies between the two that are drawn; other: parts that are others."""

    mode: str
    other: list[str]
    titles: list[str]
    rows: list[tuple[str, ChargingSession, list[str]]]
    says: str
    plots: list[Plot]
    repaired: bool


@dataclass(frozen=True)
class BeforeAfterPage:
    area: str
    case: Case
    pairs: list[Shown]


@router.get("/cases/{number}/before-after")
def page(db: Database, number: int) -> Response:
    case = case_or_404(db, number)
    pairs = [_shown(case, mode, pair) for mode, pair in pairs_of(case).items()]
    return render("before-after.html", BeforeAfterPage("cases", case, pairs))


def _shown(case: Case, mode: str, pair: Pair) -> Shown:
    before, after = pair.before, pair.after
    ours, theirs = stages_of(before), stages_of(after)
    stages = list(dict.fromkeys((s.title, s.stage) for s in (*theirs, *ours)))
    of_mode = [s for s in case.sessions if s.mode == mode and s.judgement and s.id <= after.id][-_MOST_ROWS:]
    words = {before.id: "Before", after.id: "After"}
    seen, shown = session_view(before), session_view(after)
    repairs = [o for o in case.observations if o.kind == "repair" and not o.struck_by]
    return Shown(
        mode=MODES[mode].title,
        other=[TITLES[part].lower() for part in PARTS if part in pair.other],
        titles=[title for title, _ in stages],
        rows=[(words.get(s.id, ""), s, [_state(s, key) for _, key in stages]) for s in of_mode],
        says=since_before(ours, theirs),
        plots=before_and_after_plots(seen.scene, shown.scene) if seen and shown else [],
        repaired=any(before.created_at < o.made_at <= after.created_at for o in repairs),
    )


def _state(session: ChargingSession, stage: str) -> str:
    return next((s.state for s in stages_of(session) if s.stage == stage), "")
