"""Every rule there is, by subject. What makes findings is named here once; pages, docs and tests read this."""

from __future__ import annotations

from gladwire.core import lock_rules, mains_rules, proximity_rules
from gladwire.core.findings import Rule
from gladwire.core.lock import LockRecord
from gladwire.core.mains_rules import Ac
from gladwire.core.pilot.record import PilotRecord
from gladwire.core.pilot.rules import RULES
from gladwire.core.proximity_lane import ProximityRecord

PILOT: tuple[Rule[PilotRecord], ...] = RULES
PROXIMITY: tuple[Rule[ProximityRecord], ...] = proximity_rules.RULES
LOCK: tuple[Rule[LockRecord], ...] = lock_rules.RULES
MAINS: tuple[Rule[Ac], ...] = mains_rules.RULES
AnyRule = Rule[PilotRecord] | Rule[ProximityRecord] | Rule[LockRecord] | Rule[Ac]
ALL: tuple[AnyRule, ...] = (*PILOT, *PROXIMITY, *LOCK, *MAINS)
