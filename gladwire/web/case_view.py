"""A stored case as the core sees it: entries of its checklist, and the proof of every mode that was reported."""

from __future__ import annotations

import json
from collections.abc import Mapping

from gladwire.core.case.checklist.plan import BY_PLAN, Plan
from gladwire.core.case.checklist.step import SKIP, Entry
from gladwire.core.case.checklist.steps import BY_KEY as STEPS
from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.case.proof import ModeProof, Stood, Tried, proofs
from gladwire.store.models import Case, ChargingSession, Observation


def standing(case: Case, kind: str) -> list[Observation]:
    """Observations of a kind that were not struck out, in order."""
    return [o for o in case.observations if o.kind == kind and not o.struck_by]


def plan_of(case: Case) -> Plan | None:
    """The checklist chosen last, if one was."""
    chosen = standing(case, "plan")
    return BY_PLAN.get(chosen[-1].place) if chosen else None


def entries_of(case: Case) -> Mapping[str, Entry]:
    """The latest entry of every step."""
    found = {}
    for o in standing(case, "step"):
        if o.place in STEPS:
            answer = o.unit if o.unit == SKIP or not STEPS[o.place].unit else ""
            found[o.place] = Entry(o.value, answer, o.text)
    return found


def reported(case: Case) -> list[str]:
    return [key for key in case.modes.split(",") if key in MODES]


def stages_of(session: ChargingSession) -> tuple[Stood, ...]:
    """How each stage of a session stood, by its newest judgement."""
    kept = json.loads(session.judgement.stages) if session.judgement else ()
    return tuple(Stood(s["stage"], s["title"], s["state"]) for s in kept)


def proofs_of(case: Case) -> tuple[ModeProof, ...]:
    """One proof for each reported mode."""
    repairs = [o.made_at for o in standing(case, "repair")]
    tried = []
    for session in case.sessions:
        judgement = session.judgement
        if judgement is not None and not judgement.refusal:
            later = any(at > session.created_at for at in repairs)
            tried.append(Tried(session.mode, session.title, judgement.outcome, stages_of(session), later))
    return proofs(reported(case), tried)
