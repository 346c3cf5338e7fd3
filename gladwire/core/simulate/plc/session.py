"""A whole session: matching, discovery, the conversation to its end or to the fault, and the pilot beside it."""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from gladwire.core.plc.frames import Frame
from gladwire.core.plc.message import read_message, write_message
from gladwire.core.simulate.plc.matching import Listener, Matching
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import SIGNATURE, header20
from gladwire.core.simulate.plc.wire import BROADCAST, Line, Station, Wire

# Payload types of the envelope; ISO 15118-20 has one for each of its parts.
_EXI = {"iso20": 0x8002, "iso20_ac": 0x8003, "iso20_dc": 0x8004}
_EARLIER = 0x8001
_DISCOVER_LIST = 0x0016
_PAYMENT = {"din": "ServicePaymentSelection", "iso2": "PaymentServiceSelection"}
_AUTHORISATION = {"din": "ContractAuthentication", "iso2": "Authorization"}
_PREFIXED = ("ChargeParameterDiscovery", "CableCheck", "PreCharge", "ChargeLoop", "WeldingDetection")
_SESSION = "1A2B3C4D5E6F7081"


@dataclass
class Plan:
    """What is played. loop_s: how long current flows. every_s: between loop requests. discovery, tls: of SDP.

    hangs_up: message stem -> side (0 vehicle, 1 post) that resets right after its answer. plugged_s: before the offer.
    pilot_lost_in_loop: the pilot contact opens after so many loops. patience: answers “Ongoing” the vehicle waits for.
    pieces: segments a message is cut into. chatter_s: between the modems' own frames. line: what carries the connection.
    resumes_s: a paused session is taken up again after so long. started_at: seconds since 1970 of time 0. ev_clock_s,
    post_clock_s: how far their clocks are ahead.
    """

    vehicle: Vehicle = field(default_factory=Vehicle)
    post: Post = field(default_factory=Post)
    listeners: tuple[Listener, ...] = ()
    chooses: int | None = None
    seed: int = 1
    loop_s: float = 8.0
    every_s: float = 0.2
    plugged_s: float = 1.5
    discovery: bool = True
    tls_asked: bool = False
    tls_given: bool = False
    connects: bool = True
    joins: bool = True
    hangs_up: dict[str, int] = field(default_factory=dict)
    pilot_lost_in_loop: int = -1
    patience: int = 30
    watch_s: float = 4.0
    pieces: int = 1
    chatter_s: float = 1.5
    line: Callable[[Wire, tuple[Station, Station]], Line] = Line
    resumes_s: float = -1.0
    started_at: float = 1_794_300_000.0
    ev_clock_s: float = 0.0
    post_clock_s: float = 0.0


@dataclass
class Played:
    """What happened. frames in seconds of the session's clock; steps: (moment, pilot state) in order."""

    frames: list[Frame]
    steps: list[tuple[float, str]]
    end_s: float


class _StoppedError(Exception):
    """The session is over."""


class Stage:
    """Plays one plan on one wire."""

    ev = Station(bytes.fromhex("02a1b2c3d4e5"))
    secc = Station(bytes.fromhex("02d00d000042"))

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.wire = Wire()
        self.key = "din"
        self.session = "0000000000000000"
        self.steps: list[tuple[float, str]] = [(0.0, "A1")]
        self.line = self._line()

    def _line(self) -> Line:
        return self.plan.line(self.wire, (self.ev, self.secc))

    def play(self) -> Played:
        plan, wire = self.plan, self.wire
        wire.time_s = plan.plugged_s
        self.steps += [(wire.time_s, "B1"), (wire.time_s + 0.8, "B2")]
        wire.time_s += 1.6
        try:
            self._match()
            self._discover()
            self._converse()
        except _StoppedError:
            pass
        wire.time_s += plan.watch_s
        if self.steps[-1][1] == "C2":
            self.steps.append((wire.time_s - plan.watch_s + 0.3, "B2"))
        if self.steps[-1][1] != "A1":
            self.steps.append((wire.time_s - 1.0, "B1"))
        return Played(self._with_chatter(), self.steps, wire.time_s)

    def _with_chatter(self) -> list[Frame]:
        """The frames with what modems say among themselves all the while."""
        chatter = Wire(0.4)
        while chatter.time_s < self.wire.time_s:
            chatter.homeplug(BROADCAST, self.secc.mac, _DISCOVER_LIST, b"\1\0\0")
            chatter.time_s += self.plan.chatter_s
        return sorted([*self.wire.frames, *chatter.frames], key=lambda f: f.time_s)

    def _match(self) -> None:
        listeners = self.plan.listeners or (Listener(self.secc),)
        matching = Matching(self.ev, listeners, self.plan.seed, self.plan.chooses)
        found = matching.run(self.wire)
        if found is None:
            # The vehicle tries again with a new identity, and leaves it at that.
            self.wire.time_s += 3.0
            matching.seed += 100
            found = matching.run(self.wire)
        if found is None:
            raise _StoppedError
        if not self.plan.joins:
            self.wire.time_s += 13.0
            raise _StoppedError
        self.secc = found
        self.line = self._line()
        self.wire.time_s += 2.2

    def _discover(self) -> None:
        wire, plan = self.wire, self.plan
        security = 0x00 if plan.tls_asked else 0x10
        ask = struct.pack(">BBHI", 1, 0xFE, 0x9000, 2) + bytes([security, 0])
        for _ in range(1 if plan.discovery else 50):
            wire.udp(self.ev, 49152, None, 15118, ask)
            wire.time_s += 0.05 if plan.discovery else 0.25
        if not plan.discovery:
            raise _StoppedError
        given = 0x00 if plan.tls_asked and plan.tls_given else 0x10
        body = self.secc.address + struct.pack(">H", self.line.ports[1]) + bytes([given, 0])
        wire.udp(self.secc, 15118, self.ev, 49152, struct.pack(">BBHI", 1, 0xFE, 0x9001, 20) + body)
        wire.time_s += 0.08
        if not plan.connects or (plan.tls_asked and not plan.tls_given):
            raise _StoppedError
        self.line.open()
        if not self.line.usable:
            raise _StoppedError
        wire.time_s += 0.05

    def _converse(self) -> None:
        vehicle, post = self.plan.vehicle, self.plan.post
        hello = vehicle.hello()
        self._send(0, write_message("sap", "supportedAppProtocolReq", hello))
        answer = post.hello(hello)
        self._send(1, write_message("sap", "supportedAppProtocolRes", answer))
        if answer["ResponseCode"].startswith("Failed"):
            self._close(0)
        self.key = vehicle.protocols[answer["SchemaID"] - 1]
        self.ask("SessionSetup")
        if self.newer:
            self._services_20()
        else:
            self._services()
        self._charge()
        self.ask("SessionStop")
        if vehicle.pauses and self.plan.resumes_s >= 0:
            self._resume()
        self._close(0)

    @property
    def newer(self) -> bool:
        return self.key.startswith("iso20")

    @property
    def ac(self) -> bool:
        return self.key == "iso20_ac" or self.plan.post.mode.startswith("AC")

    def _named(self, name: str) -> str:
        """A message's name in the protocol spoken."""
        if not self.newer or name not in _PREFIXED:
            return name
        return ("AC_" if self.ac else "DC_") + name

    def _services(self) -> None:
        vehicle = self.plan.vehicle
        self.ask("ServiceDiscovery")
        self.ask(_PAYMENT[self.key])
        if vehicle.contract:
            vehicle.challenge = self.ask("PaymentDetails")["GenChallenge"]
        self._until_finished(_AUTHORISATION[self.key], 0.5)
        self._until_finished("ChargeParameterDiscovery", 0.4)

    def _services_20(self) -> None:
        vehicle = self.plan.vehicle
        vehicle.challenge = self.ask("AuthorizationSetup").get("PnC_ASResAuthorizationMode.GenChallenge", "")
        self._until_finished("Authorization", 0.5)
        for name in ("ServiceDiscovery", "ServiceDetail", "ServiceSelection"):
            self.ask(name)
        self.ask(self._named("ChargeParameterDiscovery"))
        self._until_finished("ScheduleExchange", 0.4)

    def _charge(self) -> None:
        """From the request on the pilot to the output switched off again."""
        self.steps.append((self.wire.time_s, "C2"))
        self.wire.time_s += 0.15
        if not self.ac:
            self._until_finished(self._named("CableCheck"), 0.5)
            self._precharge()
        self.ask("PowerDelivery", **self._switch(True))
        self._loop()
        self.ask("PowerDelivery", **self._switch(False))
        self.wire.time_s += 0.3
        self.steps.append((self.wire.time_s, "B2"))
        for _ in range(0 if self.ac else 6):
            volts = self.ask(self._named("WeldingDetection"))["EVSEPresentVoltage"]
            self.wire.time_s += 0.3
            if volts < 20:
                break

    def _resume(self) -> None:
        """The same session over a new connection, after a pause in which the oscillator rests."""
        plan = self.plan
        self.line.close(0)
        self.steps.append((self.wire.time_s + 0.5, "B1"))
        self.wire.time_s += plan.resumes_s
        self.steps.append((self.wire.time_s, "B2"))
        self.wire.time_s += 0.6
        self._match()
        ports = (self.line.ports[0] + 1, self.line.ports[1])
        self.line = self._line()
        self.line.ports = ports
        self._discover()
        plan.vehicle.pauses = False
        plan.post.joins = True
        plan.vehicle.loops = 0
        self._converse()

    def _switch(self, on: bool) -> dict[str, Any]:
        if self.key == "din":
            return {"ReadyToChargeState": on}
        told = {"ChargeProgress": "Start" if on else "Stop"}
        return told if self.newer else {**told, "SAScheduleTupleID": 1}

    def _precharge(self) -> None:
        vehicle = self.plan.vehicle
        for _ in range(28):
            present = float(self.ask(self._named("PreCharge"))["EVSEPresentVoltage"])
            self.wire.time_s += 0.25
            vehicle.seen_v = present
            if abs(present - vehicle.pack_v) < 5.0 and not vehicle.never_closes:
                return
        self._close(0)

    def _loop(self) -> None:
        vehicle, plan = self.plan.vehicle, self.plan
        begun = self.wire.time_s
        while self.wire.time_s - begun < plan.loop_s and vehicle.soc < vehicle.full_at:
            told = self.ask(self._loop_name())
            vehicle.soc = min(100, vehicle.soc + (vehicle.loops % vehicle.soc_every == 0))
            self.wire.time_s += plan.every_s
            if told.get("ReceiptRequired"):
                self._receipt(told)
            notice = next((v for k, v in told.items() if k.endswith("EVSENotification")), "None")
            if notice in ("StopCharging", "Terminate", "Pause") and not vehicle.ignores_stop:
                vehicle.pauses = vehicle.pauses or notice == "Pause"
                return
            if notice == "ReNegotiation":
                self._renegotiate()
            if vehicle.loops == plan.pilot_lost_in_loop:
                self.steps += [(self.wire.time_s, "A2"), (self.wire.time_s + 0.4, "A1")]
                self.wire.time_s += 0.12
                self.line.reset(1)
                raise _StoppedError
        if vehicle.ignores_stop:
            self.line.reset(1)
            raise _StoppedError

    def _loop_name(self) -> str:
        if self.newer:
            return self._named("ChargeLoop")
        return "ChargingStatus" if self.ac else "CurrentDemand"

    def _receipt(self, told: dict[str, Any]) -> None:
        at = "MeterInfo"
        reading = {f"{at}.MeterID": told[f"{at}.MeterID"], f"{at}.MeterReading": told[f"{at}.MeterReading"]}
        self.ask("MeteringReceipt", Id="id1", SessionID=self.session, SAScheduleTupleID=1, **reading)

    def _renegotiate(self) -> None:
        self.ask("PowerDelivery", ChargeProgress="Renegotiate", SAScheduleTupleID=1)
        self.plan.post.max_a *= 0.6
        self._until_finished("ChargeParameterDiscovery", 0.4)
        self.ask("PowerDelivery", **self._switch(True))

    def _until_finished(self, name: str, every_s: float) -> None:
        for _ in range(self.plan.patience):
            if self.ask(name)["EVSEProcessing"] == "Finished":
                return
            self.wire.time_s += every_s
        self._close(0)

    def ask(self, name: str, **more: Any) -> dict[str, Any]:
        """A request and its answer, both encoded, sent and decoded again by the other side."""
        vehicle, post, wire = self.plan.vehicle, self.plan.post, self.wire
        grammar = self._grammar(name)
        signs = name in ("Authorization", "MeteringReceipt") and bool(vehicle.contract) and not vehicle.unsigned
        fields = vehicle.request(self.key, name, **more)
        as_sent = self._send(0, write_message(grammar, f"{name}Req", fields, self._header(0, signs)), grammar)
        if name == "SessionSetup":
            self.session = _SESSION  # the post gives it, in the header of its answer
        if vehicle.error_at == name and vehicle.error:
            wire.time_s += 0.03
        answer = post.answer(self.key, name, as_sent)
        if answer is None:
            wire.time_s += 5.0 if name == "PowerDelivery" else 2.0
            self._close(0)
        wire.time_s += post.late_s if post.late_at == name else 0.018
        assert answer is not None
        post.clock_s = plan_clock(self.plan, self.wire.time_s)
        told = self._send(1, write_message(grammar, f"{name}Res", answer, self._header(1, False)), grammar)
        wire.time_s += 0.02
        self._after(name, told)
        return told

    def _grammar(self, name: str) -> str:
        if not self.newer:
            return self.key
        return {"DC_": "iso20_dc", "AC_": "iso20_ac"}.get(name[:3], "iso20")

    def _header(self, side: int, signs: bool) -> dict[str, Any]:
        plan = self.plan
        if self.newer:
            ahead = plan.post_clock_s if side else plan.ev_clock_s
            return header20(self.session, plan.started_at + self.wire.time_s + ahead, signs)
        return {"SessionID": self.session, **(SIGNATURE if signs else {})}

    def _after(self, name: str, told: dict[str, Any]) -> None:
        vehicle = self.plan.vehicle
        if vehicle.silent_after == name:
            self.wire.time_s += 60.0
            self._close(1)
        if name in self.plan.hangs_up:
            self.line.reset(self.plan.hangs_up[name])
            raise _StoppedError
        code = str(told["ResponseCode"])
        refused = code.upper().startswith("FAILED") or (name == "Authorization" and code.startswith("WARNING"))
        broken = told.get("DC_EVSEStatus.EVSEStatusCode") in ("EVSE_EmergencyShutdown", "EVSE_Malfunction")
        broken = broken or told.get("DC_EVSEStatus.EVSEIsolationStatus") == "Fault"
        if refused or broken or (vehicle.error and vehicle.error_at == name):
            self.wire.time_s += 0.4
            self._close(0)

    def _send(self, side: int, payload: bytes, grammar: str = "") -> dict[str, Any]:
        kind = _EXI.get(grammar, _EARLIER)
        self.line.say(side, struct.pack(">BBHI", 1, 0xFE, kind, len(payload)) + payload, self.plan.pieces)
        return read_message(payload, (grammar,) if grammar else ("sap",)).fields

    def _close(self, side: int) -> None:
        self.line.close(side)
        raise _StoppedError


def plan_clock(plan: Plan, time_s: float) -> float:
    """The post's own clock, seconds since 1970."""
    return plan.started_at + time_s + plan.post_clock_s


def play(plan: Plan) -> Played:
    """Play a session. A fault ends it as it ends on the street; frames and pilot stop where they would."""
    return Stage(plan).play()
