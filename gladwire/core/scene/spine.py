"""The spine: the stages a session climbs, AC and DC."""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.findings import Finding
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.rules.offer import is_told, offers
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.scene.scene import Scene
from gladwire.core.stage import Stage
from gladwire.core.standards.v2g_codes import ISO_20

# Three phases of 32 A give 22 kW; a phase of mains stays under this.
_AC_MOST_KW, _MAINS_MOST_V = 23.0, 265.0


_COMMON = (
    Stage("seat", "Seat"),
    Stage("proximity", "Proximity"),
    Stage("lock", "Lock"),
    Stage("pilot", "Pilot"),
    Stage("offer", "Offer"),
)
AC_SPINE = (
    *_COMMON,
    Stage("request", "Request"),
    Stage("energise", "Energise"),
    Stage("draw", "Draw"),
    Stage("hold", "Hold"),
    Stage("end", "End"),
)
_TALKED = (
    Stage("match", "Match"),
    Stage("link", "Link"),
    Stage("agree", "Agree"),
    Stage("authorise", "Authorise"),
    Stage("parameters", "Parameters"),
)
DC_SPINE = (
    *_COMMON,
    *_TALKED,
    Stage("insulation", "Insulation"),
    Stage("precharge", "Pre-charge"),
    Stage("ramp", "Ramp"),
    Stage("hold", "Hold"),
    Stage("end", "End"),
)

# AC whose conversation runs over ISO 15118: matched and authorised as DC is, then switched on as AC is.
AC_TALKED_SPINE = (
    *_COMMON,
    *_TALKED,
    Stage("energise", "Energise"),
    Stage("draw", "Draw"),
    Stage("hold", "Hold"),
    Stage("end", "End"),
)


# A connector that talks over CAN: no pilot, no matching; the handshake is the bus's own.
CAN_SPINE = (
    Stage("seat", "Seat"),
    Stage("proximity", "Proximity"),
    Stage("lock", "Lock"),
    Stage("link", "Bus"),
    Stage("parameters", "Parameters"),
    Stage("insulation", "Insulation"),
    Stage("precharge", "Pre-charge"),
    Stage("ramp", "Ramp"),
    Stage("hold", "Hold"),
    Stage("end", "End"),
)
# ISO 15118-20 authorises before services are chosen and tells no insulation status: two stages carry other titles.
_TITLES_20 = {"agree": "Session", "parameters": "Services", "insulation": "Cable check"}
DC_20_SPINE = tuple(Stage(s.key, _TITLES_20.get(s.key, s.title)) for s in DC_SPINE)
AC_20_SPINE = tuple(Stage(s.key, _TITLES_20.get(s.key, s.title)) for s in AC_TALKED_SPINE)


def spine_of(scene: Scene) -> tuple[Stage, ...]:
    """What was talked about decides; a power record alone by its size and what is known; without both, at 5 % duty the DC
    spine (the pilot cannot tell), else the AC one."""
    if scene.of(ConversationRecord):
        newer = any(t.protocol == ISO_20 for c in scene.of(ConversationRecord) for t in c.connections)
        if _asks_for_ac(scene):
            return AC_20_SPINE if newer else AC_TALKED_SPINE
        return DC_20_SPINE if newer else DC_SPINE
    if scene.of(CanRecord) and scene.pilot is None:
        return CAN_SPINE if any(b.kind == "connector" for b in scene.of(CanRecord)) else DC_SPINE
    pilot = scene.pilot
    if pilot is None and scene.of(PowerReport):
        return AC_SPINE if any(_is_ac(power) for power in scene.of(PowerReport)) else DC_SPINE
    digital = [s for s in offers(pilot) if s.offer_kind == "digital" and s.state != "A"] if pilot else []
    # Where the samples do not fix the duty, mains beside it says which.
    told = any(is_told(s) for s in digital)
    return DC_SPINE if digital and (told or not scene.of(MainsRecord)) else AC_SPINE


def _is_ac(power: PowerReport) -> bool:
    """By what is known, else by size: no DC post gives so little, nor AC so much, at volts of a mains phase."""
    if not power.context.is_empty:
        return power.context.is_ac
    mains_volts = power.volts is not None and power.volts[1] < _MAINS_MOST_V
    return power.peak_kw < _AC_MOST_KW and (power.volts is None or mains_volts)


def _asks_for_ac(scene: Scene) -> bool:
    for conversation in scene.of(ConversationRecord):
        for connection in conversation.connections:
            for exchange in connection.of("ChargeParameterDiscovery"):
                if exchange.stem != exchange.kind:  # ISO 15118-20 says it in the message's name
                    return exchange.stem.startswith("AC_")
                kind = exchange.of_request("RequestedEnergyTransferMode") or exchange.of_request(
                    "EVRequestedEnergyTransferType"
                )
                if kind:
                    return str(kind).startswith("AC")
            if connection.of("ChargingStatus"):
                return True
    return False


def placed(findings: Sequence[Finding], spine: Sequence[Stage]) -> tuple[Finding, ...]:
    """Findings on the stages of this spine: where both talk the request (C) is what ends Parameters, and AC has one stage
    for switching on that DC climbs in three."""
    return tuple(
        f if (here := stage_here(f.stage, spine)) == f.stage else f.model_copy(update={"stage": here}) for f in findings
    )


_MOVED = {"request": "parameters", "insulation": "energise", "precharge": "energise", "ramp": "energise"}


def stage_here(key: str, spine: Sequence[Stage]) -> str:
    """The stage of this spine that a stage of another is climbed in; the same where there is none."""
    here = {stage.key for stage in spine}
    return _MOVED[key] if key not in here and _MOVED.get(key) in here else key
