"""A stored case as the core sees it: entries of its checklist, and the proof of every mode that was reported."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import NamedTuple, get_args

from gladwire.core.case.checklist.plan import BY_PLAN, Plan
from gladwire.core.case.checklist.step import SKIP, Entry
from gladwire.core.case.checklist.steps import BY_KEY as STEPS
from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.case.proof import ModeProof, Stood, Tried, proofs
from gladwire.core.case.swaps import PARTS, Attempt, Came, Part
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


class TriedWith(NamedTuple):
    """An attempt, of a session or without a capture. session: its number, or None."""

    attempt: Attempt
    session: int | None
    text: str


_CAME: Mapping[str, Came] = {
    "charged": "charged", "failed_to_start": "failed", "dropped_out": "failed", "derated": "failed",
}  # fmt: skip


def attempts_of(case: Case) -> list[TriedWith]:
    """Sessions by what was noted of them, else by the equipment they name, the first else by what the case names; and
    attempts that were noted without a capture."""
    found = []
    for number, session in enumerate(case.sessions):
        told = session.judgement.outcome if session.judgement and not session.judgement.refusal else ""
        parts: dict[Part, str] = {
            "vehicle": session.vehicle.name if session.vehicle else case.vehicle if number == 0 else "",
            "post": session.stall.name if session.stall else case.post if number == 0 else "",
        }
        noted = [o for o in session.observations if o.kind == "parts" and not o.struck_by]
        kept = _parts(json.loads(noted[-1].text)) if noted else {}
        found.append(TriedWith(Attempt({**parts, **kept}, _CAME.get(told, "open")), session.id, ""))
    for one in standing(case, "attempt"):
        said = json.loads(one.text)
        came: Came = next((c for c in get_args(Came) if c == one.unit), "open")
        found.append(TriedWith(Attempt(_parts(said), came), None, said.get("said", "")))
    return found


def _parts(kept: Mapping[str, str]) -> dict[Part, str]:
    return {part: kept[part] for part in PARTS if kept.get(part)}


def reported(case: Case) -> list[str]:
    return [key for key in case.modes.split(",") if key in MODES]


def stages_of(session: ChargingSession) -> tuple[Stood, ...]:
    """How each stage of a session stood, by its newest judgement."""
    kept = json.loads(session.judgement.stages) if session.judgement else ()
    return tuple(Stood(s["stage"], s["title"], s["state"]) for s in kept)


def unsafe(case: Case) -> str:
    """What the newest session tells that can hurt, in its own words; "" where it tells nothing such."""
    judged = [s for s in case.sessions if s.judgement and not s.judgement.refusal]
    if not judged or judged[-1].judgement is None:
        return ""
    told = judged[-1].judgement
    leaks = any(s.stage == "insulation" and s.state == "failed" for s in stages_of(judged[-1]))
    return told.verdict if told.danger or leaks else ""


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
