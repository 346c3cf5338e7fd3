"""Times, shares and levels of common practice, without a source: where a rule begins to speak."""

from __future__ import annotations

from gladwire.core.standards.limit import Limit, limits_of
from gladwire.core.standards.source import PRACTICE


def _limit(value: float, unit: str, form: str, about: str) -> Limit:
    return Limit(value, unit, form, about, PRACTICE)


# Mains and contactors
SLACK_S = _limit(0.03, "s", "give or take {}", "Envelopes of mains and lines, and armatures")
CURRENT_PATIENCE_S = _limit(10.0, "s", "within {}", "Current follows the mains")
IDLE_MAINS_S = _limit(0.8, "s", "over {}", "Mains without a request, longer than a contactor takes to open")
OVER_OFFER_SHARE = _limit(1.05, "share", "up to {} of the offer", "Current the vehicle draws")
OVER_OFFER_A = _limit(0.5, "A", "and {}", "Current the vehicle draws, beside the share")
OVER_OFFER_S = _limit(0.2, "s", "over {}", "Time over the offer that counts")
DIP_BEFORE_S = _limit(2.0, "s", "within {}", "A dip that belongs to what went after it")
LINE_LIVE_V = _limit(60.0, "V", "over {}", "A line of mains that is live")
LINE_DEAD_S = _limit(1.0, "s", "for {}", "A phase that is dead, not one that closes late")
LEVEL_STAYS_S = _limit(2.0, "s", "for {}", "A current that is a level, not a ramp")
LESS_SHARE = _limit(0.8, "share", "under {}", "A current that is less than another")
STAYS_CLOSED_S = _limit(1.0, "s", "over {}", "A contactor closed after the request that is stuck")
CUT_OFF_S = _limit(0.6, "s", "under {}", "Mains that goes with the offer, before a vehicle could let go")
LOST_BEFORE_S = _limit(0.25, "s", "over {}", "Current that ends before the request does")
# Seat, proximity and lock
SEAT_S = _limit(2.0, "s", "within {}", "The pilot answers proximity")
LOCKS_WITHIN_S = _limit(8.0, "s", "within {}", "An inlet locks")
STOPS_WITHIN_S = _limit(1.0, "s", "within {}", "A vehicle stops when its latch is pressed or proximity opens")
LATCH_STUCK_S = _limit(5.0, "s", "over {}", "A latch pressed on the way in or out that is stuck")
PROXIMITY_GAP_S = _limit(1.0, "s", "under {}", "Proximity that opens by a contact, not by a plug drawn")
PROXIMITY_WRONG_S = _limit(0.1, "s", "over {}", "A proximity value no plug has")
# Captures on one clock
CLOCKS_S = _limit(0.3, "s", "to within {}", "Two instruments' clocks without a shared event")
TIE_S = _limit(2.0, "s", "within {}", "A step and the message it follows")
BREAKS_WITHIN_S = _limit(3.0, "s", "within {}", "The pilot's step and the messages of a session that breaks")
TAKES_WITH_IT_S = _limit(3.0, "s", "within {}", "A pilot that goes takes the conversation with it")
HAND_S = _limit(1.0, "s", "give or take {}", "A hand on the button")
UNDER_WAY_S = _limit(4.0, "s", "after {}", "A vehicle that asks has begun to draw")
HELD_UNTIL_S = _limit(5.0, "s", "within {}", "Current ends before the request, as chargers ramp down")
# A neighbour's own start-up takes so long before it draws; one window wherever a step is held against a plug-in.
NEIGHBOUR_BEFORE_S = _limit(10.0, "s", "from {} before", "A step that answers a neighbour's plug-in")
NEIGHBOUR_AFTER_S = _limit(150.0, "s", "to {} after", "A step that answers a neighbour's plug-in")
# Clocks and certificates
CLOCK_ASIDE_S = _limit(300.0, "s", "within {}", "A vehicle's or post's clock against the capture's")
CLOCK_WRONG_S = _limit(86_400.0, "s", "within {}", "A clock that refuses certificates")
# Buses
BUS_PRECHARGE_S = _limit(10.0, "s", "within {}", "Pre-charge by a controller")
BUS_SETTLED_S = _limit(1.0, "s", "after {}", "A signal follows what closes")
LIVE_V = _limit(60.0, "V", "over {}", "A side of the contactors that counts as live")
POST_GONE_S = _limit(3.0, "s", "within {}", "A controller opens its contactors after the post stopped")
GIVEN_LESS_S = _limit(10.0, "s", "over {}", "Less current than asked and allowed that is no ramp")
PIN_HOT_C = _limit(80.0, "°C", "under {}", "A DC pin")
PIN_LEAST_C = _limit(-40.0, "°C", "from {}", "A pin's sensor that can be believed")
PIN_MOST_C = _limit(150.0, "°C", "to {}", "A pin's sensor that can be believed")
ASKS_NOTHING_S = _limit(20.0, "s", "within {}", "A battery manager asks for current")
ONE_SIDE_S = _limit(5.0, "s", "within {}", "Both sides of a connector send")
# Power
SLOW_RAMP_S = _limit(150.0, "s", "within {}", "Power reaches its level")
COLD_AIR_C = _limit(7.0, "°C", "under {}", "Air in which a pack that takes little is cold")
COLD_PACK_C = _limit(18.0, "°C", "under {}", "A cold pack")
HOT_PACK_C = _limit(44.0, "°C", "over {}", "A hot pack")
WARM_CONNECTOR_C = _limit(60.0, "°C", "from {}", "A warm connector")
NEAR_SHARE = _limit(0.03, "share", "within {}", "A level that is a rating's")
OVER_RATING_SHARE = _limit(0.03, "share", "up to {} over", "A current that is a continuous rating's")
OVER_RATING_S = _limit(30.0, "s", "over {}", "Time over a continuous rating that counts")
BOOST_MIN = _limit(15.0, "min", "within {}", "A boost of a cooled cable whose own time is not known")
ENTRY_MIN = _limit(0.5, "min", "from {}", "An entry of the ledger worth a finding")
WORTH_KWH = _limit(0.15, "kWh", "over {}", "A shortfall worth more than a note")
WORTH_SHARE = _limit(0.03, "share", "over {} of expected", "A shortfall worth more than a note")
DEEP_MIN = _limit(5.0, "min", "from {}", "A level clearly under what is expected, however short beside the session")
MISSED_SHARE = _limit(0.08, "share", "over {} of expected", "A level clearly under what ratings promise")

LIMITS: tuple[Limit, ...] = limits_of(globals())
