"""Causes as data, one file an owner. To add one: copy a small one into its owner's file; nothing else has to be touched."""

from __future__ import annotations

from gladwire.core.diagnosis.cause import Cause
from gladwire.core.diagnosis.causes import backend, cable, evse, nobody, site, vehicle

CAUSES: tuple[Cause, ...] = (
    *evse.CAUSES,
    *cable.CAUSES,
    *vehicle.CAUSES,
    *site.CAUSES,
    *backend.CAUSES,
    *nobody.CAUSES,
)
BY_CODE = {cause.code: cause for cause in CAUSES}
