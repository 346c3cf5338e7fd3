"""The two controllers: a vehicle that asks and a post that answers, each by its own state, both by protocol."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import Any

Fields = dict[str, Any]
NAMESPACES = {"din": "urn:din:70121:2012:MsgDef", "iso2": "urn:iso:15118:2:2013:MsgDef"}
_VERSIONS = {"din": (2, 0), "iso2": (2, 0)}


@dataclass
class Vehicle:
    """A vehicle. protocols: in its order of preference. asks_a: current it wants. full_at: state of charge it stops at.

    error: the EV error code it reports from `error_at` (a message name) on. ignores_stop: goes on when asked to stop.
    silent_after: the answer after which it says nothing more. soc_every: loops for one percent more.
    """

    protocols: tuple[str, ...] = ("iso2", "din")
    pack_v: float = 352.0
    max_v: float = 410.0
    max_a: float = 250.0
    max_w: float = 100_000.0
    asks_a: float = 120.0
    soc: int = 42
    full_at: int = 100
    error: str = ""
    error_at: str = ""
    ignores_stop: bool = False
    silent_after: str = ""
    never_closes: bool = False
    evccid: str = "02A1B2C3D4E5"
    charged_ah: float = 0.0
    loops: int = 0
    soc_every: int = 40

    def status(self, name: str) -> Fields:
        wrong = self.error and self.error_at == name
        return {
            "DC_EVStatus.EVReady": not wrong,
            "DC_EVStatus.EVErrorCode": self.error if wrong else "NO_ERROR",
            "DC_EVStatus.EVRESSSOC": self.soc,
        }

    def hello(self) -> Fields:
        fields: Fields = {}
        for number, key in enumerate(self.protocols):
            major, minor = _VERSIONS[key]
            at = f"AppProtocol[{number}]"
            fields |= {
                f"{at}.ProtocolNamespace": NAMESPACES[key],
                f"{at}.VersionNumberMajor": major,
                f"{at}.VersionNumberMinor": minor,
                f"{at}.SchemaID": number + 1,
                f"{at}.Priority": number + 1,
            }
        return fields

    def request(self, key: str, name: str, **more: Any) -> Fields:
        """Fields of a request of this protocol."""
        build = getattr(self, f"_{name}", None)
        made: Fields = build(key) if build else {}
        return made | more

    def _SessionSetup(self, key: str) -> Fields:
        return {"EVCCID": self.evccid}

    def _ServiceDiscovery(self, key: str) -> Fields:
        return {"ServiceCategory": "EVCharging"} if key == "din" else {}

    def _PaymentServiceSelection(self, key: str) -> Fields:
        return {"SelectedPaymentOption": "ExternalPayment", "SelectedServiceList.SelectedService[0].ServiceID": 1}

    _ServicePaymentSelection = _PaymentServiceSelection

    def _ChargeParameterDiscovery(self, key: str) -> Fields:
        mode = "EVRequestedEnergyTransferType" if key == "din" else "RequestedEnergyTransferMode"
        status = {f"DC_EVChargeParameter.{k}": v for k, v in self.status("ChargeParameterDiscovery").items()}
        return {
            mode: "DC_extended",
            **status,
            "DC_EVChargeParameter.EVMaximumCurrentLimit": self.max_a,
            "DC_EVChargeParameter.EVMaximumPowerLimit": self.max_w,
            "DC_EVChargeParameter.EVMaximumVoltageLimit": self.max_v,
        }

    def _CableCheck(self, key: str) -> Fields:
        return self.status("CableCheck")

    def _PreCharge(self, key: str) -> Fields:
        return {**self.status("PreCharge"), "EVTargetVoltage": round(self.pack_v, 1), "EVTargetCurrent": 1}

    def _PowerDelivery(self, key: str) -> Fields:
        status = {f"DC_EVPowerDeliveryParameter.{k}": v for k, v in self.status("PowerDelivery").items()}
        return {**status, "DC_EVPowerDeliveryParameter.ChargingComplete": self.soc >= self.full_at}

    def _CurrentDemand(self, key: str) -> Fields:
        self.loops += 1
        return {
            **self.status("CurrentDemand"),
            "EVTargetCurrent": round(min(self.asks_a, 5.0 + 8.0 * self.loops), 1),
            "EVMaximumVoltageLimit": self.max_v,
            "EVMaximumCurrentLimit": self.max_a,
            "EVMaximumPowerLimit": self.max_w,
            "ChargingComplete": self.soc >= self.full_at,
            "EVTargetVoltage": self.max_v,
        }

    def _WeldingDetection(self, key: str) -> Fields:
        return self.status("WeldingDetection")

    def _SessionStop(self, key: str) -> Fields:
        return {"ChargingSession": "Terminate"} if key == "iso2" else {}


@dataclass
class Post:
    """A post. speaks: protocols it knows. fails: message stem -> response code. wrong: message stem -> status code.

    silent_at: message it never answers. ongoing: message stem -> how often “Ongoing” before “Finished” (-1 for ever).
    insulation: what its check finds. reaches_v: its output in pre-charge ends there. stops_after: loops until it asks to
    stop. emergency_after: loops until it stops itself. noise: what its measurements wander with. late_at, late_s: message
    answered late.
    """

    speaks: tuple[str, ...] = ("din", "iso2")
    max_v: float = 500.0
    min_v: float = 150.0
    max_a: float = 200.0
    min_a: float = 0.0
    max_w: float = 60_000.0
    evse_id: str = "NL*HBR*E00042*1"
    fails: dict[str, str] = field(default_factory=dict)
    wrong: dict[str, str] = field(default_factory=dict)
    silent_at: str = ""
    ongoing: dict[str, int] = field(default_factory=lambda: {"CableCheck": 6})
    insulation: str = "Valid"
    reaches_v: float | None = None
    stops_after: int = -1
    stop_status: str = "EVSE_Shutdown"
    late_at: str = ""
    late_s: float = 0.0
    present_v: float = 0.0
    present_a: float = 0.0
    counts: dict[str, int] = field(default_factory=dict)
    stays_charged: bool = False
    emergency_after: int = -1
    noise: random.Random | None = None

    def answer(self, key: str, name: str, request: Fields) -> Fields | None:
        """Fields of the answer, None for silence."""
        if self.silent_at == name:
            return None
        self.counts[name] = self.counts.get(name, 0) + 1
        code = self.fails.get(name) or ("OK_NewSessionEstablished" if name == "SessionSetup" else "OK")
        build = getattr(self, f"_{name}", None)
        made: Fields = build(key, request) if build else {}
        return {"ResponseCode": code, **made}

    def hello(self, request: Fields) -> Fields:
        known = [NAMESPACES[key] for key in self.speaks]
        for number in range(20):
            if request.get(f"AppProtocol[{number}].ProtocolNamespace") in known:
                schema = request[f"AppProtocol[{number}].SchemaID"]
                return {"ResponseCode": "OK_SuccessfulNegotiation", "SchemaID": schema}
        return {"ResponseCode": "Failed_NoNegotiation"}

    def processing(self, name: str) -> str:
        wanted = self.ongoing.get(name, 0)
        return "Ongoing" if wanted < 0 or self.counts[name] <= wanted else "Finished"

    def status(self, name: str, at: str = "DC_EVSEStatus") -> Fields:
        code = self.wrong.get(name, "EVSE_Ready")
        notify = "None"
        if name == "CurrentDemand" and 0 <= self.stops_after < self.counts[name]:
            code, notify = self.stop_status, "StopCharging"
        if name == "CurrentDemand" and 0 <= self.emergency_after < self.counts[name]:
            code = "EVSE_EmergencyShutdown"
        if name == "CableCheck" and self.processing(name) == "Ongoing":
            code = "EVSE_IsolationMonitoringActive"
        checked = "CableCheck" in self.counts and (name != "CableCheck" or self.processing(name) == "Finished")
        return {
            f"{at}.NotificationMaxDelay": 0,
            f"{at}.EVSENotification": notify,
            f"{at}.EVSEIsolationStatus": self.insulation if checked else "Invalid",
            f"{at}.EVSEStatusCode": code,
        }

    def _SessionSetup(self, key: str, request: Fields) -> Fields:
        if key == "din":
            return {"EVSEID": self.evse_id.encode().hex().upper()}
        return {"EVSEID": self.evse_id}

    def _ServiceDiscovery(self, key: str, request: Fields) -> Fields:
        if key == "din":
            return {
                "PaymentOptions.PaymentOption[0]": "ExternalPayment",
                "ChargeService.ServiceTag.ServiceID": 1,
                "ChargeService.ServiceTag.ServiceCategory": "EVCharging",
                "ChargeService.FreeService": False,
                "ChargeService.EnergyTransferType": "DC_extended",
            }
        return {
            "PaymentOptionList.PaymentOption[0]": "ExternalPayment",
            "ChargeService.ServiceID": 1,
            "ChargeService.ServiceCategory": "EVCharging",
            "ChargeService.FreeService": False,
            "ChargeService.SupportedEnergyTransferMode.EnergyTransferMode[0]": "DC_extended",
        }

    def _Authorization(self, key: str, request: Fields) -> Fields:
        return {"EVSEProcessing": self.processing("Authorization")}

    def _ContractAuthentication(self, key: str, request: Fields) -> Fields:
        return {"EVSEProcessing": self.processing("ContractAuthentication")}

    def _ChargeParameterDiscovery(self, key: str, request: Fields) -> Fields:
        entry = "SAScheduleList.SAScheduleTuple[0]"
        schedule: Fields = {f"{entry}.SAScheduleTupleID": 1}
        if key == "din":
            slot = f"{entry}.PMaxSchedule.PMaxScheduleEntry[0]"
            schedule |= {f"{entry}.PMaxSchedule.PMaxScheduleID": 1, f"{slot}.RelativeTimeInterval.start": 0}
            schedule |= {f"{slot}.PMax": 30000}
        else:
            slot = f"{entry}.PMaxSchedule.PMaxScheduleEntry[0]"
            schedule |= {f"{slot}.RelativeTimeInterval.start": 0, f"{slot}.PMax": self.max_w}
        at = "DC_EVSEChargeParameter"
        return {
            "EVSEProcessing": self.processing("ChargeParameterDiscovery"),
            **schedule,
            **self.status("ChargeParameterDiscovery", f"{at}.DC_EVSEStatus"),
            f"{at}.EVSEMaximumCurrentLimit": self.max_a,
            f"{at}.EVSEMaximumPowerLimit": self.max_w,
            f"{at}.EVSEMaximumVoltageLimit": self.max_v,
            f"{at}.EVSEMinimumCurrentLimit": self.min_a,
            f"{at}.EVSEMinimumVoltageLimit": self.min_v,
            f"{at}.EVSEPeakCurrentRipple": 5,
        }

    def _CableCheck(self, key: str, request: Fields) -> Fields:
        return {**self.status("CableCheck"), "EVSEProcessing": self.processing("CableCheck")}

    def _PreCharge(self, key: str, request: Fields) -> Fields:
        target = float(request["EVTargetVoltage"])
        ceiling = self.reaches_v if self.reaches_v is not None else target
        self.present_v += 0.35 * (min(target, ceiling) - self.present_v)
        return {**self.status("PreCharge"), "EVSEPresentVoltage": round(self.present_v, 1)}

    def _PowerDelivery(self, key: str, request: Fields) -> Fields:
        return self.status("PowerDelivery")

    def _CurrentDemand(self, key: str, request: Fields) -> Fields:
        wander = (self.noise.gauss(0, 0.4), self.noise.gauss(0, 0.6)) if self.noise else (0.0, 0.0)
        stopping = 0 <= self.stops_after < self.counts["CurrentDemand"]
        wanted = (
            0.0
            if stopping
            else min(float(request["EVTargetCurrent"]), self.max_a, self.max_w / max(self.present_v, 1.0))
        )
        self.present_a += 0.5 * (wanted - self.present_a)
        asked = float(request["EVTargetCurrent"])
        more: Fields = {"EVSEID": self.evse_id, "SAScheduleTupleID": 1} if key == "iso2" else {}
        return {
            **self.status("CurrentDemand"),
            "EVSEPresentVoltage": round(self.present_v + 0.02 * self.present_a + wander[0], 1),
            "EVSEPresentCurrent": round(self.present_a + wander[1], 1),
            "EVSECurrentLimitAchieved": asked > self.max_a,
            "EVSEVoltageLimitAchieved": False,
            "EVSEPowerLimitAchieved": asked * self.present_v > self.max_w,
            "EVSEMaximumVoltageLimit": self.max_v,
            "EVSEMaximumCurrentLimit": self.max_a,
            "EVSEMaximumPowerLimit": self.max_w,
            **more,
        }

    def _WeldingDetection(self, key: str, request: Fields) -> Fields:
        self.present_v *= 1.0 if self.stays_charged else 0.35
        return {**self.status("WeldingDetection"), "EVSEPresentVoltage": round(self.present_v, 1)}
