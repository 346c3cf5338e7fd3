"""Plans for the usual complaints, and the walk through one: which steps are done, which come, which wait and why."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from gladwire.core.case.checklist.step import Entry, Judged, Step, judged
from gladwire.core.case.checklist.steps import BY_KEY

StepState = Literal["done", "now", "later", "waits", "not_needed"]


class Plan(NamedTuple):
    """A complaint and the order of practice for it."""

    key: str
    title: str
    steps: tuple[str, ...]


PLANS: tuple[Plan, ...] = (
    Plan(
        "nowhere",
        "No charging anywhere",
        ("codes", "other_lead", "look", "coded", "cp_core", "pe_core", "inlet_pp", "substitute", "release", "post_alone",
         "post_steady", "plug_in", "codes_after"),
    ),
    Plan(
        "slow_only",
        "Slow lead only, not on posts",
        ("codes", "mode2_ok", "look", "coded", "cp_core", "pe_core", "post_alone", "post_steady", "test_load", "plug_in",
         "swap", "codes_after"),
    ),
    Plan(
        "post_only",
        "Posts only, not on the slow lead",
        ("codes", "look", "mode2_ok", "cp_core", "pe_core", "plug_in", "swap", "codes_after"),
    ),
    Plan(
        "stops",
        "Starts, then stops",
        ("codes", "look", "coded", "cp_core", "pe_core", "plug_in", "hold", "swap", "codes_after"),
    ),
    Plan(
        "dc_nothing",
        "DC: does not start",
        ("codes", "elsewhere", "others_here", "stall_label", "look", "dc_frames", "swap_vehicle", "swap_post", "codes_after"),
    ),
    Plan(
        "dc_stops",
        "DC: starts, then stops",
        ("codes", "elsewhere", "others_here", "look", "dc_frames", "dc_course", "swap_post", "swap_vehicle", "codes_after"),
    ),
    Plan("dc_slow", "DC: slower than promised", ("elsewhere", "dc_course", "cabinet_shared", "swap_post", "swap_vehicle")),
    Plan(
        "stuck",
        "The plug will not come out",
        ("stuck_stop", "lock_does_not_release", "stuck_safe", "codes", "codes_after"),
    ),
    Plan(
        "refused",
        "Not authorised",
        ("stall_label", "others_here", "other_means", "elsewhere", "dc_frames"),
    ),
    Plan(
        "bus",
        "Retrofit controller or CAN connector",
        ("controller_warns", "elsewhere", "look", "controller_supply", "bus_wiring", "bus_log", "swap_post"),
    ),
)  # fmt: skip
BY_PLAN = {plan.key: plan for plan in PLANS}


class Place(NamedTuple):
    """A step in its place. why: what it waits for, or why it is not needed; judged: what its entry says."""

    step: Step
    state: StepState
    why: str
    judged: Judged | None


def walk(plan: Plan, entries: Mapping[str, Entry]) -> tuple[Place, ...]:
    """The plan in the light of what was entered; the first open step is "now". Entries of other steps are ignored."""
    found = {key: judged(BY_KEY[key], entry) for key, entry in entries.items() if key in BY_KEY}
    places: list[Place] = []
    now = False
    for key in plan.steps:
        step = BY_KEY[key]
        if key in found:
            places.append(Place(step, "done", "", found[key]))
            continue
        needed = _needed(step, found, plan)
        waits = next((why for other, why in step.unless.items() if _bad(found.get(other))), "")
        if needed is not None:
            places.append(Place(step, "not_needed" if needed else "later", needed, None))
        elif waits:
            places.append(Place(step, "waits", waits, None))
        else:
            places.append(Place(step, "later" if now else "now", "", None))
            now = True
    return tuple(places)


def _bad(told: Judged | None) -> bool:
    return told is not None and told.verdict == "bad"


def _needed(step: Step, found: Mapping[str, Judged], plan: Plan) -> str | None:
    """None: needed. Else why not, or "" while the step that decides is still open."""
    if step.only_if is None or step.only_if[0] not in plan.steps:
        return None
    key, verdict = step.only_if
    if key not in found:
        return ""
    if found[key].verdict == verdict:
        return None
    return f"Not called for by “{BY_KEY[key].title}”."


def next_words(plan: Plan, entries: Mapping[str, Entry]) -> str:
    """What the case waits for, in one sentence."""
    now = next((p for p in walk(plan, entries) if p.state == "now"), None)
    if now is None:
        return "The checklist is through: prove every reported mode."
    return f"{now.step.title}: {now.step.test.do}"
