"""The two controllers: a vehicle that asks and a post that answers, each by its own state, both by protocol."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import Any

Fields = dict[str, Any]
NAMESPACES = {
    "din": "urn:din:70121:2012:MsgDef",
    "iso2": "urn:iso:15118:2:2013:MsgDef",
    "iso20_dc": "urn:iso:std:iso:15118:-20:DC",
    "iso20_ac": "urn:iso:std:iso:15118:-20:AC",
}
# A post of 22 kW, whatever its DC twin is rated for.
_MOST_AC_A = 32.0
_VERSIONS = {"din": (2, 0), "iso2": (2, 0), "iso20_dc": (1, 0), "iso20_ac": (1, 0)}
_CHALLENGE = "410F90201ACEA2F3BE7C2943259C1A65"


@dataclass
class Vehicle:
    """A vehicle. protocols: in its order of preference. asks_a: current it wants. full_at: state of charge it stops at.

    error: the EV error code it reports from `error_at` (a message name) on. ignores_stop: goes on when asked to stop.
    silent_after: the answer after which it says nothing more. soc_every: loops for one percent more. contract: certificates
    it pays with, leaf first, hexadecimal. pauses: ends with a pause. unsigned: forgets to sign. mode: of energy transfer.
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
    contract: tuple[str, ...] = ()
    pauses: bool = False
    unsigned: bool = False
    mode: str = "DC_extended"
    challenge: str = ""
    seen_v: float = 0.0

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
        way = "Contract" if self.contract else "ExternalPayment"
        return {"SelectedPaymentOption": way, "SelectedServiceList.SelectedService[0].ServiceID": 1}

    _ServicePaymentSelection = _PaymentServiceSelection

    def _PaymentDetails(self, key: str) -> Fields:
        chain = "ContractSignatureCertChain"
        return {
            "eMAID": "XXHBR123456791A",
            f"{chain}.Certificate": self.contract[0],
            **{f"{chain}.SubCertificates.Certificate[{n}]": c for n, c in enumerate(self.contract[1:])},
        }

    def _Authorization(self, key: str) -> Fields:
        return {"Id": "id1", "GenChallenge": self.challenge} if self.contract else {}

    def _ChargeParameterDiscovery(self, key: str) -> Fields:
        if self.mode.startswith("AC"):
            at = "AC_EVChargeParameter"
            return {
                "RequestedEnergyTransferMode": self.mode,
                f"{at}.DepartureTime": 7200,
                f"{at}.EAmount": 20_000,
                f"{at}.EVMaxVoltage": 400,
                f"{at}.EVMaxCurrent": self.max_a,
                f"{at}.EVMinCurrent": 6,
            }
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
        if self.mode.startswith("AC"):
            return {}
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
        return {"ChargingSession": "Pause" if self.pauses else "Terminate"} if key == "iso2" else {}


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
    by_contract: bool = False
    mode: str = "DC_extended"
    meter_wh: int = 184_200
    renegotiates_after: int = -1
    joins: bool = False

    def answer(self, key: str, name: str, request: Fields) -> Fields | None:
        """Fields of the answer, None for silence."""
        if self.silent_at == name:
            return None
        self.counts[name] = self.counts.get(name, 0) + 1
        code = self.fails.get(name) or ("OK_NewSessionEstablished" if name == "SessionSetup" else "OK")
        if name == "SessionSetup" and self.joins and not self.fails.get(name):
            code = "OK_OldSessionJoined"
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
            **({"PaymentOptionList.PaymentOption[1]": "Contract"} if self.by_contract else {}),
            "ChargeService.ServiceID": 1,
            "ChargeService.ServiceCategory": "EVCharging",
            "ChargeService.FreeService": False,
            "ChargeService.SupportedEnergyTransferMode.EnergyTransferMode[0]": self.mode,
        }

    def _PaymentDetails(self, key: str, request: Fields) -> Fields:
        return {"GenChallenge": _CHALLENGE, "EVSETimeStamp": round(self.clock_s)}

    clock_s: float = 1_794_300_000.0

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
        told: Fields = {"EVSEProcessing": self.processing("ChargeParameterDiscovery"), **schedule}
        if self.mode.startswith("AC"):
            at = "AC_EVSEChargeParameter"
            return told | {
                f"{at}.AC_EVSEStatus.NotificationMaxDelay": 0,
                f"{at}.AC_EVSEStatus.EVSENotification": "None",
                f"{at}.AC_EVSEStatus.RCD": False,
                f"{at}.EVSENominalVoltage": 230,
                f"{at}.EVSEMaxCurrent": min(self.max_a, _MOST_AC_A),
            }
        at = "DC_EVSEChargeParameter"
        return {
            **told,
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
        return {**self.status("PreCharge"), "EVSEPresentVoltage": self.rises_to(float(request["EVTargetVoltage"]))}

    def rises_to(self, target_v: float) -> float:
        """One step of pre-charge; the volts reached."""
        ceiling = self.reaches_v if self.reaches_v is not None else target_v
        self.present_v += 0.35 * (min(target_v, ceiling) - self.present_v)
        return round(self.present_v, 1)

    def _PowerDelivery(self, key: str, request: Fields) -> Fields:
        return self.ac_status() if self.mode.startswith("AC") else self.status("PowerDelivery")

    def ac_status(self) -> Fields:
        at = "AC_EVSEStatus"
        loops = self.counts.get("ChargingStatus", 0)
        anew = self.renegotiates_after >= 0 and loops == self.renegotiates_after + 1
        notice = "ReNegotiation" if anew else "StopCharging" if 0 <= self.stops_after < loops else "None"
        return {f"{at}.NotificationMaxDelay": 0, f"{at}.EVSENotification": notice, f"{at}.RCD": False}

    def _ChargingStatus(self, key: str, request: Fields) -> Fields:
        self.meter_wh += 3
        return {
            "EVSEID": self.evse_id,
            "SAScheduleTupleID": 1,
            "EVSEMaxCurrent": min(self.max_a, _MOST_AC_A),
            "MeterInfo.MeterID": "HBR-M7",
            "MeterInfo.MeterReading": self.meter_wh,
            "ReceiptRequired": self.by_contract and self.counts["ChargingStatus"] % 20 == 0,
            **self.ac_status(),
        }

    def _MeteringReceipt(self, key: str, request: Fields) -> Fields:
        return self.ac_status() if self.mode.startswith("AC") else self.status("MeteringReceipt")

    def flows(self, wanted_a: float, name: str) -> Fields:
        """One step of the charge loop: what flows towards what is wanted, and which limit holds it."""
        wander = (self.noise.gauss(0, 0.4), self.noise.gauss(0, 0.6)) if self.noise else (0.0, 0.0)
        stopping = 0 <= self.stops_after < self.counts[name]
        within = max(-self.max_a, min(wanted_a, self.max_a, self.max_w / max(self.present_v, 1.0)))
        self.present_a += 0.5 * ((0.0 if stopping else within) - self.present_a)
        return {
            "EVSEPresentVoltage": round(self.present_v + 0.02 * self.present_a + wander[0], 1),
            "EVSEPresentCurrent": round(self.present_a + wander[1], 1),
            "EVSECurrentLimitAchieved": wanted_a > self.max_a,
            "EVSEVoltageLimitAchieved": False,
            "EVSEPowerLimitAchieved": wanted_a * self.present_v > self.max_w,
        }

    def _CurrentDemand(self, key: str, request: Fields) -> Fields:
        more: Fields = {"EVSEID": self.evse_id, "SAScheduleTupleID": 1} if key == "iso2" else {}
        return {
            **self.status("CurrentDemand"),
            **self.flows(float(request["EVTargetCurrent"]), "CurrentDemand"),
            "EVSEMaximumVoltageLimit": self.max_v,
            "EVSEMaximumCurrentLimit": self.max_a,
            "EVSEMaximumPowerLimit": self.max_w,
            **more,
        }

    def _WeldingDetection(self, key: str, request: Fields) -> Fields:
        self.present_v *= 1.0 if self.stays_charged else 0.35
        return {**self.status("WeldingDetection"), "EVSEPresentVoltage": round(self.present_v, 1)}
