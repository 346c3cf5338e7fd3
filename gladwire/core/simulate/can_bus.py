"""What is sent on a bus while a retrofit controller, or a connector that talks over CAN, charges: messages with values.

Nothing here knows how a message is laid into a frame; whoever writes the log does, by the description.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

Values = dict[str, Any]
Sent = tuple[float, str, Values]


@dataclass
class RetrofitPlan:
    """A harbour van's retrofit inlet and its battery manager.

    plugged_s, locked_s, precharge_s: when each happens. takes_s: how long the inlet takes to come up to the pack.
    reaches: share of the pack's volts the inlet comes up to. swapped: the sensing wires. closes: the main contactors follow.
    hv_line: its output is wired. asks_a: what the battery manager asks. silent_at_s: it stops sending. pin_rise_c_s: warming
    of pin 2. folds_at_c: the request falls above. pin_open_at_s: the sensor breaks. lock_slips_s: the lock opens.
    """

    lasts_s: float = 90.0
    plugged_s: float = 4.0
    locked_s: float = 6.0
    precharge_s: float = 14.0
    takes_s: float = 2.5
    reaches: float = 1.0
    swapped: bool = False
    closes: bool = True
    hv_line: bool = True
    pack_v: float = 362.0
    asks_a: float = 110.0
    post_a: float = 125.0
    ends_s: float = 80.0
    silent_at_s: float = float("inf")
    pin_rise_c_s: float = 0.05
    folds_at_c: float = 85.0
    pin_open_at_s: float = float("inf")
    lock_slips_s: float = float("inf")
    soc: float = 41.0
    seed: int = 5
    amps: float = field(default=0.0, init=False)
    pin_c: float = field(default=24.0, init=False)
    inlet: float = field(default=0.0, init=False)

    def play(self) -> list[Sent]:
        """Every message of the log, in order of time."""
        dice = random.Random(self.seed)
        cycles: dict[str, tuple[float, Callable[[float], Values]]] = {
            "INLET_State": (0.1, self._state),
            "INLET_Measured": (0.05, self._measured),
            "INLET_Pins": (0.5, self._pins),
            "INLET_Post": (0.2, self._post),
            "BATT_Request": (0.1, self._request),
            "BATT_Cells": (0.2, self._cells),
        }
        due = {name: 0.002 * n for n, name in enumerate(cycles)}
        sent: list[Sent] = []
        time_s = 0.0
        while time_s < self.lasts_s:
            self._step(0.01, time_s)
            for name, (cycle, values) in cycles.items():
                if time_s >= due[name]:
                    due[name] += cycle
                    if not (name.startswith("BATT") and time_s > self.silent_at_s):
                        sent.append((round(time_s + dice.uniform(0, 0.001), 6), name, values(time_s)))
            time_s += 0.01
        return sorted(sent, key=lambda s: s[0])

    @property
    def closed_s(self) -> float:
        """When the main contactors close."""
        return self.precharge_s + self.takes_s + 0.4 if self.closes else float("inf")

    def _open_s(self) -> float:
        return min(self.ends_s + 3.0, self.silent_at_s + 2.0)

    def _closed(self, time_s: float) -> bool:
        return self.closed_s <= time_s < self._open_s()

    def asked(self, time_s: float) -> float:
        if time_s < self.plugged_s or time_s > self.ends_s:
            return 0.0
        hot = max(0.0, self.pin_c - self.folds_at_c)
        return max(0.0, self.asks_a - 6.0 * hot) if time_s < self.pin_open_at_s else 0.0

    def _step(self, step_s: float, time_s: float) -> None:
        pre = self.precharge_s <= time_s
        aim = (
            self.reaches * self.pack_v
            if pre and not self._closed(time_s)
            else self.pack_v
            if self._closed(time_s)
            else 0.0
        )
        if time_s >= self._open_s():
            aim = 0.0
        self.inlet += (aim - self.inlet) * min(
            1.0, 3.0 * step_s / max(self.takes_s, 0.1) if not self._closed(time_s) else 1.0
        )
        wanted = min(self.asked(time_s), self.post_a) if self._closed(time_s) and time_s > self.closed_s + 0.8 else 0.0
        rate = 60.0 if wanted < self.amps else 25.0
        self.amps += max(-rate * step_s, min(rate * step_s, wanted - self.amps))
        if not self._closed(time_s):
            self.amps = 0.0
        self.pin_c += step_s * self.pin_rise_c_s * (self.amps / 100.0) ** 2 * 10.0
        self.soc = min(100.0, self.soc + step_s * self.amps / 3600.0)

    def _state(self, t: float) -> Values:
        fault = 1 if t >= self.pin_open_at_s else 3 if t >= self.silent_at_s + 1.0 else 0
        exchanging = self.locked_s <= t < self.closed_s
        lamp = 4 if fault else 3 if self.amps > 1 else 2 if exchanging else 1 if t >= self.plugged_s else 0
        return {
            "PlugDetect": int(t >= self.plugged_s),
            "AwakeLine": int(t >= self.plugged_s - 1.0),
            "LockClosed": int(self.locked_s <= t < min(self.lock_slips_s, self.ends_s + 4.0)),
            "HvPresent": int(self.hv_line and self._closed(t)),
            "LampState": lamp,
            "PrechargeContactor": int(self.precharge_s <= t < min(self.closed_s + 0.2, self.precharge_s + 14.0)),
            "DcContactors": int(self._closed(t)),
            "InletFault": fault,
            "Counter": int(t / 0.1) % 256,
        }

    def _measured(self, t: float) -> Values:
        inlet, pack = round(self.inlet, 1), round(self.pack_v + 0.03 * self.amps, 1)
        inlet, pack = (pack, inlet) if self.swapped else (inlet, pack)
        return {"InletVoltage": inlet, "PackVoltage": pack, "ChargeCurrent": round(self.amps, 1)}

    def _pins(self, t: float) -> Values:
        return {
            "PinTemperature1": round(0.8 * self.pin_c + 4.0),
            "PinTemperature2": round(self.pin_c) if t < self.pin_open_at_s else 205,
        }

    def _post(self, t: float) -> Values:
        exchanging = t >= self.locked_s + 3.0
        return {
            "PostAvailableCurrent": self.post_a if exchanging else 0.0,
            "PostAvailableVoltage": 500.0 if exchanging else 0.0,
        }

    def _request(self, t: float) -> Values:
        return {
            "RequestedCurrent": round(self.asked(t), 1),
            "RequestedVoltage": 410.0,
            "MaximumCurrent": 150.0,
            "StateOfCharge": round(2.0 * self.soc) / 2.0,
            "ChargeEnable": int(self.asked(t) > 0),
        }

    def _cells(self, t: float) -> Values:
        group = int(t / 0.2) % 3
        name = ("CellTemperatureLow", "CellTemperatureHigh", "PackTemperature")[group]
        return {"Group": group, name: (14, 19, 17)[group]}


@dataclass
class ConnectorPlan:
    """A connector that talks over CAN, vehicle and post each cyclic at 0.1 s. answers: the post is heard, vehicle: the car
    is. hot_at_s: the vehicle flags high temperature. stops_at_s: the post stops by itself."""

    lasts_s: float = 70.0
    vehicle: bool = True
    post: bool = True
    pack_v: float = 356.0
    asks_a: float = 90.0
    post_a: float = 100.0
    hot_at_s: float = float("inf")
    stops_at_s: float = float("inf")
    ends_s: float = 58.0
    soc: int = 52
    amps: float = field(default=0.0, init=False)
    volts: float = field(default=0.0, init=False)

    def play(self) -> list[Sent]:
        sent: list[Sent] = []
        step = 0
        while 0.1 * step < self.lasts_s:
            t = 0.1 * step
            self._step(t)
            if self.vehicle and t >= 1.0:
                sent += [(t + 0.001 * n, name, values) for n, (name, values) in enumerate(self._of_vehicle(t))]
            if self.post and t >= 0.6:
                sent += [(t + 0.05 + 0.001 * n, name, values) for n, (name, values) in enumerate(self._of_post(t))]
            step += 1
        return sorted(sent, key=lambda s: s[0])

    def _runs(self, t: float) -> bool:
        return self.vehicle and self.post and 9.0 <= t < min(self.ends_s, self.stops_at_s, self.hot_at_s + 0.3)

    def _asks(self, t: float) -> bool:
        return self._runs(t) or (self.post and 9.0 <= t < min(self.ends_s, self.hot_at_s, self.stops_at_s + 0.4))

    def _closed(self, t: float) -> bool:
        return self.vehicle and self.post and 8.0 <= t < min(self.ends_s, self.stops_at_s, self.hot_at_s) + 2.0

    def _step(self, t: float) -> None:
        wanted = min(self.asks_a, self.post_a) if self._runs(t) else 0.0
        self.amps += max(-9.0, min(3.0, wanted - self.amps))
        self.volts = self.pack_v + 0.03 * self.amps if self._closed(t) else max(0.0, self.volts - 30.0)

    def _of_vehicle(self, t: float) -> list[tuple[str, Values]]:
        hot = t >= self.hot_at_s
        request: Values = dict.fromkeys(
            ("FaultOverVoltage", "FaultUnderVoltage", "FaultCurrentDeviation", "FaultVoltageDeviation", "ShiftPositionWrong",
             "VehicleFault", "StopBeforeCharging"), 0)  # fmt: skip
        request |= {
            "ProtocolNumber": 2,
            "TargetBatteryVoltage": 410,
            "RequestedCurrent": round(self.asks_a) if self._asks(t) else 0,
            "FaultHighTemperature": int(hot),
            "ChargingEnabled": int(6.0 <= t < min(self.ends_s, self.hot_at_s)),
            "ContactorOpen": int(not self._closed(t)),
            "ChargedRate": self.soc,
        }
        limits = {
            "MinimumCurrent": 0,
            "MinimumBatteryVoltage": 280,
            "MaximumBatteryVoltage": 410,
            "ChargedRateReference": 100,
        }
        times = {"MaximumTimeBy10s": 2550, "MaximumTimeByMinute": 60, "EstimatedTime": 35, "BatteryCapacity": 40.0}
        return [("VehicleLimits", limits), ("VehicleTimes", times), ("VehicleRequest", request)]

    def _of_post(self, t: float) -> list[tuple[str, Values]]:
        offered = {"WeldDetectionSupported": 1, "AvailableVoltage": 500, "AvailableCurrent": round(self.post_a),
                   "ThresholdVoltage": 415}  # fmt: skip
        status = {
            "ProtocolNumber": 2,
            "OutputVoltage": round(self.volts),
            "OutputCurrent": round(self.amps),
            "Charging": int(self.amps > 1),
            "PostMalfunction": 0,
            "ConnectorLocked": int(7.0 <= t < min(self.ends_s, self.stops_at_s) + 4.0 and self.vehicle),
            "BatteryIncompatible": 0,
            "SystemMalfunction": 0,
            "StopControl": int(not self._runs(t)),
            "RemainingTimeBy10s": 2550,
            "RemainingTimeByMinute": 60,
        }
        return [("PostLimits", offered), ("PostStatus", status)]
