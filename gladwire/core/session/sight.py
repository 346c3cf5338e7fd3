"""What the captures of a session could show at all: where they could not, a fact's absence means nothing."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from gladwire.core.findings import Finding, Needs, Rule
from gladwire.core.lanes.all import BY_KEY, LANES
from gladwire.core.lanes.pilot.place import probe_place
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.quantities import BY_KEY as QUANTITIES
from gladwire.core.rulebook import ALL
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.spine import spine_of, stage_here
from gladwire.core.stage import Stage, StageResult

_LANE_OF = {rule.code: lane.key for lane in LANES for rule in lane.rules}
# What people bring, in words where it is missing.
_PEOPLE = {"stamps": "nothing was stamped", "contacts": "no contact was looked at"}
# Parts of a lane that may be missing from it: the lane, whether a record has the part, and its words.
_PARTS: Mapping[str, tuple[str, Callable[[Any], bool], str]] = {
    "lock_current": ("lock", lambda r: bool(r.current_channel), "the lock's current"),
    "lock_position": ("lock", lambda r: bool(r.position_channel), "the lock's position"),
    "mains_v": ("mains", lambda r: r.has_volts, "mains volts"),
    "mains_a": ("mains", lambda r: r.has_amps, "mains amperes"),
}
_BEGUN = ("proven", "failed")
# What these stages tell shows from the capture's first moment on.
_FROM_THE_FIRST = ("seat", "proximity", "lock", "pilot")


def blind_spots(scene: Scene, findings: Sequence[Finding], stages: Sequence[StageResult]) -> dict[str, str]:
    """By rule's code what was missing for it to be seen; a rule that spoke, or could have, is not in it."""
    spoke = {f.code for f in findings}
    lanes = _lanes(scene)
    spine = spine_of(scene)
    found = {}
    for rule in ALL:
        if rule.code not in spoke and (why := _missing(rule, scene, lanes, stages, spine)):
            found[rule.code] = why
    return found


def _missing(
    rule: Rule[Any], scene: Scene, lanes: frozenset[str], stages: Sequence[StageResult], spine: Sequence[Stage]
) -> str:
    needs = rule.needs
    wanted = needs.lanes or ((_LANE_OF[rule.code],) if rule.code in _LANE_OF else ())
    absent = [lane for lane in wanted if lane not in lanes]
    if absent:
        return _PEOPLE.get(absent[0]) or f"{_title(absent[0])} not captured"
    key = rule.stage if needs.reached is None else needs.reached
    begun_s = _begun(key, stages, spine, of_its_own=needs.reached is None)
    if begun_s is None:
        return f"it did not get to {_stage_title(key, spine)}"
    return next((why for check in _CHECKS if (why := check(needs, scene, begun_s))), "")


def _lanes(scene: Scene) -> frozenset[str]:
    """What was captured, as rules name it."""
    found = set(scene.records.lanes)
    found |= {"stamps"} if scene.stamps else set()
    found |= {"contacts"} if scene.inspections else set()
    for part, (lane, has, _) in _PARTS.items():
        if any(has(record) for record in scene.of(BY_KEY[lane].record)):
            found.add(part)
    return frozenset(found)


def _begun(key: str, stages: Sequence[StageResult], spine: Sequence[Stage], of_its_own: bool) -> float | None:
    """When the stage began, 0 where nothing need have begun; None where neither it nor a later one shows. of_its_own: what
    a rule tells of its own stage shows as soon as the stage before was passed."""
    if not key or (of_its_own and key in _FROM_THE_FIRST):
        return 0.0
    here = stage_here(key, spine)
    at = next((i for i, s in enumerate(stages) if s.stage == here), None)
    if at is None:
        return None
    shown = [s for s in stages[at:] if s.state in _BEGUN]
    if not shown and of_its_own and at and stages[at - 1].state == "proven":
        shown = [stages[at - 1]]
    return (shown[0].start_s or 0.0) if shown else None


def _long_enough(needs: Needs, scene: Scene, begun_s: float) -> str:
    seen_s = scene.end_s - begun_s
    return f"seen for {max(seen_s, 0.0):.1f} s, {needs.seconds:g} s wanted" if seen_s < needs.seconds else ""


def _fast_enough(needs: Needs, scene: Scene, _: float) -> str:
    rates = [p.rate_hz for p in scene.of(PilotRecord)]
    if not needs.rate_hz or not rates or max(rates) >= needs.rate_hz:
        return ""
    return f"sampled at {max(rates) / 1e3:g} kS/s, {needs.rate_hz / 1e3:g} kS/s wanted"


def _right_end(needs: Needs, scene: Scene, _: float) -> str:
    if not needs.probe:
        return ""
    places = {probe_place(p.segments) for p in scene.of(PilotRecord)}
    wanted = "inlet" if needs.probe == "vehicle" else "post"
    return "" if wanted in places else f"not probed at the {needs.probe}, as far as it shows"


def _read(needs: Needs, scene: Scene, _: float) -> str:
    read = {series for report in scene.of(PowerReport) for series in report.places}
    if not needs.series or read & set(needs.series):
        return ""
    return f"{QUANTITIES[needs.series[0]].title.lower()} not read"


_CHECKS: tuple[Callable[[Needs, Scene, float], str], ...] = (_long_enough, _fast_enough, _right_end, _read)


def _title(lane: str) -> str:
    return _PARTS[lane][2] if lane in _PARTS else BY_KEY[lane].title.lower()


def _stage_title(key: str, spine: Sequence[Stage]) -> str:
    here = stage_here(key, spine)
    return next((s.title for s in spine if s.key == here), key.capitalize())
