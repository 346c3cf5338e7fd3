"""Causes as data, one file an owner. To add one: copy a small one into its owner's file; nothing else has to be touched."""

from __future__ import annotations

from gladwire.core.diagnosis.cause import Cause
from gladwire.core.diagnosis.causes import backend, cable, evse, nobody, site, vehicle
from gladwire.core.rulebook import BY_CODE as RULES

CAUSES: tuple[Cause, ...] = (
    *evse.CAUSES,
    *cable.CAUSES,
    *vehicle.CAUSES,
    *site.CAUSES,
    *backend.CAUSES,
    *nobody.CAUSES,
)
BY_CODE = {cause.code: cause for cause in CAUSES}


def _stage(cause: Cause) -> str:
    if cause.stage or not cause.speaks_for:
        return cause.stage
    return RULES[max(cause.speaks_for, key=lambda code: cause.speaks_for[code])].stage


_STAGES = {cause.code: _stage(cause) for cause in CAUSES}


def stage_of(cause: Cause) -> str:
    """Key of the stage at which what tells it best is told."""
    return _STAGES[cause.code]
