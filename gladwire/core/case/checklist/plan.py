"""Plans for the usual complaints: an order of practice, which the judge walks by what each step would tell."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from gladwire.core.diagnosis.cause import Cause
from gladwire.core.diagnosis.causes import CAUSES, stage_of
from gladwire.core.lanes.all import LANES

_BEGINS = ("seat", "proximity", "lock", "pilot", "offer")
_AC = frozenset({*_BEGINS, "request", "energise", "draw"})
_DC = frozenset({*_BEGINS, "match", "link", "agree", "authorise", "parameters", "insulation", "precharge", "ramp"})
# Lanes that speak of what a complaint is about; what several lanes tell together counts for each.
_AC_LANES = frozenset({"pilot", "proximity", "lock", "mains", "contactor"})
_DC_LANES = frozenset({"pilot", "proximity", "lock", "frames", "power"})
_LANE_OF = {rule.code: lane.key for lane in LANES for rule in lane.rules}
_OF_SEVERAL = "several"


@dataclass(frozen=True)
class Plan:
    """A complaint and the order of practice for it. stages, lanes: where it shows; slow: that it is slow, or not at all,
    None where it may be either."""

    key: str
    title: str
    steps: tuple[str, ...]
    stages: frozenset[str]
    lanes: frozenset[str]
    slow: bool | None

    @property
    def ac(self) -> bool:
        """Whether it is of AC alone, where the lead is a part of its own."""
        return self.lanes == _AC_LANES

    @cached_property
    def complaint(self) -> frozenset[str]:
        """Codes of the causes that may be behind it before anything was captured."""
        return frozenset(cause.code for cause in CAUSES if self._may_be(cause))

    def _may_be(self, cause: Cause) -> bool:
        stage = stage_of(cause)
        if stage not in self.stages or cause.quiet or cause.code in _NEEDS_A_CAPTURE:
            return False
        if self.slow is not None and (cause.code in SLOW) != self.slow:
            return False
        if not cause.speaks_for:
            return True
        lanes = {_LANE_OF.get(code, _OF_SEVERAL) for code in cause.speaks_for}
        return bool(lanes & {*self.lanes, _OF_SEVERAL})


# What only a capture can show to be itself.
_NEEDS_A_CAPTURE = ("capture_misleads", "nothing_plugged_in")
# What makes a session slower and does not end it; common practice.
SLOW = frozenset({
    "adapter_limits", "cabinet_shared", "cable_cooling", "charger_derates", "charger_phase_lost", "charger_size",
    "converter_limits", "driver_limit", "label_unreachable", "lead_underrated", "modules_missing", "offer_lowered_by_site",
    "pack_cold", "pack_hot", "phase_missing", "pin_contact_worn", "pin_sensor_open", "site_supply_limited",
})  # fmt: skip


def _plan(
    key: str,
    title: str,
    steps: str,
    stages: frozenset[str],
    lanes: frozenset[str] = _DC_LANES,
    slow: bool | None = False,
) -> Plan:
    return Plan(key, title, tuple(steps.split()), stages, lanes, slow)


PLANS: tuple[Plan, ...] = (
    _plan(
        "nowhere",
        "No charging anywhere",
        "codes elsewhere since weather look coded cp_core pe_core inlet_pp substitute release post_alone post_steady plug_in "
        "codes_after",
        _AC,
        _AC_LANES,
    ),
    _plan(
        "slow_only",
        "Slow lead only, not on posts",
        "codes mode2_ok since weather look coded cp_core pe_core post_alone post_steady test_load plug_in swap_lead "
        "swap_post codes_after",
        _AC,
        _AC_LANES,
    ),
    _plan(
        "post_only",
        "Posts only, not on the slow lead",
        "codes since look mode2_ok cp_core pe_core plug_in swap_lead codes_after",
        _AC,
        _AC_LANES,
    ),
    _plan(
        "stops",
        "Starts, then stops",
        "codes elsewhere others_here weather look coded cp_core pe_core plug_in hold swap_lead swap_post swap_vehicle "
        "codes_after",
        frozenset({"hold", "pilot", "proximity"}),
        _AC_LANES,
    ),
    _plan(
        "ac_slow",
        "AC: slower than promised",
        "elsewhere others_here weather coded plug_in hold swap_lead swap_post",
        frozenset({"hold", "draw", "offer"}),
        _AC_LANES,
        slow=True,
    ),
    _plan(
        "dc_nothing",
        "DC: does not start",
        "codes elsewhere others_here access other_stall_started since look dc_frames swap_vehicle swap_post codes_after",
        _DC,
    ),
    _plan(
        "dc_stops",
        "DC: starts, then stops",
        "codes elsewhere others_here weather look dc_frames dc_course swap_post swap_vehicle codes_after",
        frozenset({"hold", "end", "ramp"}),
    ),
    _plan(
        "dc_slow",
        "DC: slower than promised",
        "elsewhere others_here weather dc_course cabinet_shared swap_post swap_vehicle",
        frozenset({"hold"}),
        slow=True,
    ),
    _plan(
        "stuck",
        "The plug will not come out",
        "stuck_stop lock_does_not_release stuck_safe codes codes_after",
        frozenset({"end", "lock"}),
        _AC_LANES | _DC_LANES,
    ),
    _plan(
        "refused",
        "Not authorised",
        "other_stall_started others_here other_means access elsewhere dc_frames",
        frozenset({"authorise", "offer", "seat"}),
    ),
    _plan(
        "bus",
        "Retrofit controller or CAN connector",
        "controller_warns elsewhere since look controller_supply bus_wiring bus_log swap_post",
        frozenset({*_DC, "hold", "end"}),
        frozenset({"bus"}),
        slow=None,
    ),
)
BY_PLAN = {plan.key: plan for plan in PLANS}
