"""The demo's DC plug-ins: a vehicle and a post that really talk, their frames as one instrument took them, and the pilot
as another did."""

from __future__ import annotations

from copy import deepcopy
from functools import lru_cache
from itertools import pairwise

from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, Played, play
from gladwire.core.simulate.plc.wire import Station
from gladwire.core.simulate.script import PilotScript, Scope
from gladwire.formats import pcapng
from gladwire.scenarios.ac import HEALTHY, HZ
from gladwire.scenarios.files import archive

# Frames begin here by the frame instrument's clock; the scope was started a little earlier.
_FIRST_AT = 1_794_300_000.0
_SCOPE_LEADS_S = 0.75
_RATE_HZ = 50e3
_SCOPE = Scope(noise_v=0.05, bits=8)

MINE = Station(bytes.fromhex("02d00d000042"))
NEIGHBOUR = Station(bytes.fromhex("02d00d000043"))

PLANS: dict[str, Plan] = {
    "whole": Plan(vehicle=Vehicle(soc=78, full_at=80), loop_s=18.0),
    "whole_din": Plan(vehicle=Vehicle(("din",), soc=61), loop_s=6.0, post=Post(max_a=100.0)),
    "modem_silent": Plan(listeners=(Listener(MINE, answers=False),)),
    "neighbour": Plan(
        listeners=(Listener(MINE, 7.0), Listener(NEIGHBOUR, 18.0, sounds_received=9)),
        chooses=1,
        post=Post(ongoing={"CableCheck": -1}),
        patience=84,
    ),
    "nobody_home": Plan(discovery=False),
    "old_tongue": Plan(
        vehicle=Vehicle(("din",), pack_v=612.0, max_v=690.0, asks_a=95.0, soc=31), post=Post(("iso2",), max_v=920.0)
    ),
    "card": Plan(post=Post(ongoing={"Authorization": -1, "CableCheck": 6}), patience=116),
    "small_pack": Plan(
        vehicle=Vehicle(("din",), pack_v=118.0, max_v=134.0, max_a=100.0, max_w=13_000.0, asks_a=60.0),
        post=Post(min_v=150.0),
        hangs_up={"ChargeParameterDiscovery": 0},
    ),
    "wet_inlet": Plan(post=Post(insulation="Fault")),
    "low_output": Plan(post=Post(reaches_v=211.0)),
    "no_switch": Plan(post=Post(fails={"PowerDelivery": "FAILED_PowerDeliveryNotApplied"})),
    "contact_opens": Plan(pilot_lost_in_loop=28, loop_s=20.0),
    "button": Plan(post=Post(emergency_after=24), loop_s=20.0),
    "no_schedule": Plan(vehicle=Vehicle20(), post=Post20(ongoing={"ScheduleExchange": -1}), patience=170),
    "whole_20": Plan(vehicle=Vehicle20(soc=77, full_at=80), post=Post20(), loop_s=22.0),
    "both_ways": Plan(
        vehicle=Vehicle20(gives_a=60.0, dynamic=True, max_a=150.0),
        post=Post20(takes_back_after=40, notices={90: "Terminate"}),
        loop_s=40.0,
    ),
    "pause": Plan(vehicle=Vehicle(pauses=True), loop_s=9.0, resumes_s=45.0),
    "ac_refuses": Plan(
        vehicle=Vehicle20(("iso20_ac",), max_w=11_000.0, soc=60),
        post=Post20(max_w=11_000.0, services=(1,), fails={"PowerDelivery": "FAILED_ContactorError"}),
    ),
    "stop_ignored": Plan(vehicle=Vehicle(ignores_stop=True), post=Post(stops_after=20), loop_s=24.0),
}


@lru_cache(maxsize=4)
def _played(name: str) -> Played:
    # Peers remember what they did; each play begins with fresh ones.
    return play(deepcopy(PLANS[name]))


def frames(name: str) -> bytes:
    """The frames, from the first one on."""
    played = _played(name)
    start = played.frames[0].time_s
    return pcapng.write([f._replace(time_s=f.time_s - start) for f in played.frames], _FIRST_AT, "harbour bench")


def pilot(name: str) -> bytes:
    """The pilot beside it, on the scope's own clock."""
    played = _played(name)
    script = PilotScript()
    steps = [*played.steps, (played.end_s, "")]
    branches = {"A": "none", "B": "waiting", "C": "asking"}
    for (start, label), (end, _) in pairwise(steps):
        lasts = 1e3 * (end - start + (_SCOPE_LEADS_S if start == 0.0 else 0.0))
        if lasts > 0:
            duty = 5.0 if label.endswith("2") else None
            script.circuit(HEALTHY, branches[label[0]], lasts, duty, HZ)  # type: ignore[arg-type]
    return archive(script.record(_RATE_HZ, _SCOPE, 7))
