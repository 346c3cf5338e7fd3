"""Every rule there is, by subject. What makes findings is named here once; pages, docs and tests read this."""

from __future__ import annotations

from typing import Any

from gladwire.core import contactor_rules, lock_rules, mains_rules, proximity_rules
from gladwire.core.can.record import CanRecord
from gladwire.core.can.rules import RULES as CAN_RULES
from gladwire.core.contactor_rules import Switching
from gladwire.core.findings import Rule
from gladwire.core.lock import LockRecord
from gladwire.core.mains_rules import Ac
from gladwire.core.pilot.record import PilotRecord
from gladwire.core.pilot.rules import RULES
from gladwire.core.plc.conversation import ConversationRecord
from gladwire.core.plc.rules import RULES as CONVERSATION_RULES
from gladwire.core.power.report import PowerReport
from gladwire.core.power.rules import RULES as POWER_RULES
from gladwire.core.proximity_lane import ProximityRecord
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
