"""Every lane there is, one line each. To add one: a folder here with its `LANE`, and its line."""

from __future__ import annotations

from typing import Any

from gladwire.core.lanes.bus.lane import LANE as BUS
from gladwire.core.lanes.contactor.lane import LANE as CONTACTOR
from gladwire.core.lanes.frames.lane import LANE as FRAMES
from gladwire.core.lanes.lane import ChannelRole, Lane
from gladwire.core.lanes.lock.lane import LANE as LOCK
from gladwire.core.lanes.mains.lane import LANE as MAINS
from gladwire.core.lanes.pilot.lane import LANE as PILOT
from gladwire.core.lanes.power.lane import LANE as POWER
from gladwire.core.lanes.proximity.lane import LANE as PROXIMITY
from gladwire.core.lanes.unnamed.lane import LANE as UNNAMED

# In the order in which they are drawn; of two lanes that leave a stage open the later one's word stands.
LANES: tuple[Lane[Any], ...] = (UNNAMED, PILOT, PROXIMITY, CONTACTOR, LOCK, MAINS, FRAMES, BUS, POWER)
BY_KEY = {lane.key: lane for lane in LANES}

OTHER = ChannelRole("other", "something else", "ink-soft")
ROLES: tuple[ChannelRole, ...] = (*(role for lane in LANES for role in lane.roles), OTHER)
ROLE_BY_KEY = {role.key: role for role in ROLES}
# The lane a role belongs to; none for what is something else.
LANE_OF_ROLE = {role.key: lane for lane in LANES for role in lane.roles}
# What a person may settle a sampled channel to be; lanes of messages, buses and power records are made, not settled.
SETTLED_ROLES = (*(role.key for lane in LANES for role in lane.roles if role.named), OTHER.key)
