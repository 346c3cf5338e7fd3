"""Every rule there is, by subject. What makes findings is named here once; pages, docs and tests read this."""

from __future__ import annotations

from typing import Any

from gladwire.core.findings import Rule
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.bus.rules import RULES as CAN_RULES
from gladwire.core.lanes.contactor import rules as contactor_rules
from gladwire.core.lanes.contactor.rules import Switching
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.frames.rules import RULES as CONVERSATION_RULES
from gladwire.core.lanes.lock import rules as lock_rules
from gladwire.core.lanes.lock.measure import LockRecord
from gladwire.core.lanes.mains import rules as mains_rules
from gladwire.core.lanes.mains.rules import Ac
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.pilot.rules import RULES
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.power.rules import RULES as POWER_RULES
from gladwire.core.lanes.proximity import rules as proximity_rules
from gladwire.core.lanes.proximity.measure import ProximityRecord
from gladwire.core.session import scene_rules, stamp_rules, together_rules
from gladwire.core.session.scene import Scene

PILOT: tuple[Rule[PilotRecord], ...] = RULES
PROXIMITY: tuple[Rule[ProximityRecord], ...] = proximity_rules.RULES
LOCK: tuple[Rule[LockRecord], ...] = lock_rules.RULES
MAINS: tuple[Rule[Ac], ...] = mains_rules.RULES
CONTACTOR: tuple[Rule[Switching], ...] = contactor_rules.RULES
CONVERSATION: tuple[Rule[ConversationRecord], ...] = CONVERSATION_RULES
BUS: tuple[Rule[CanRecord], ...] = CAN_RULES
POWER: tuple[Rule[PowerReport], ...] = POWER_RULES
SCENE: tuple[Rule[Scene], ...] = (*scene_rules.RULES, *together_rules.RULES, *stamp_rules.RULES)
ALL: tuple[Rule[Any], ...] = (*PILOT, *PROXIMITY, *LOCK, *MAINS, *CONTACTOR, *CONVERSATION, *BUS, *POWER, *SCENE)
