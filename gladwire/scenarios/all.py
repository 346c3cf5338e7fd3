"""Every scenario whose truth is known."""

from __future__ import annotations

from gladwire.scenarios.conversation_faults import CONVERSATION_FAULTS
from gladwire.scenarios.pilot_faults import PILOT_FAULTS
from gladwire.scenarios.scenario import Scenario

SCENARIOS: tuple[Scenario, ...] = (*PILOT_FAULTS, *CONVERSATION_FAULTS)
