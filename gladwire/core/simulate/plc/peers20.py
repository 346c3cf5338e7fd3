"""The two controllers when they speak ISO 15118-20: what they add to, or say otherwise than, the earlier protocols."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from gladwire.core.simulate.plc.peers import Fields, Post, Vehicle

AC_SERVICE, DC_SERVICE, BPT_AC_SERVICE, BPT_DC_SERVICE = 1, 2, 5, 6
_CHALLENGE = "EC64E176DA34B904FBBD4649B2994F3E"


@dataclass
class Vehicle20(Vehicle):
    """A vehicle that prefers ISO 15118-20. gives: amperes it gives back where the post asks, for both ways.

    contract: certificates (leaf first, hexadecimal) it pays with. dynamic: leaves the course to the post. takes_w: what it
    draws of AC. leaves_s, wants_wh: what it tells of its departure. explains: why it ends, in its own words.
    """

    protocols: tuple[str, ...] = ("iso20_dc", "iso2", "din")
    gives_a: float = 0.0
    dynamic: bool = False
    takes_w: float = 10_800.0
    leaves_s: int = 7200
    wants_wh: float = 40_000.0
    explains: str = ""

    @property
    def both_ways(self) -> bool:
        return self.gives_a > 0

    def _Authorization(self, key: str) -> Fields:
        if not key.startswith("iso20"):
            return super()._Authorization(key)
        if not self.contract:
            return {"SelectedAuthorizationService": "EIM", "EIM_AReqAuthorizationMode": {}}
        at = "PnC_AReqAuthorizationMode"
        chain = f"{at}.ContractCertificateChain"
        return {
            "SelectedAuthorizationService": "PnC",
            f"{at}.Id": "id1",
            f"{at}.GenChallenge": self.challenge,
            f"{chain}.Certificate": self.contract[0],
            **{f"{chain}.SubCertificates.Certificate[{n}]": c for n, c in enumerate(self.contract[1:])},
        }

    def _ServiceDetail(self, key: str) -> Fields:
        return {"ServiceID": self.service(key)}

    def _ServiceSelection(self, key: str) -> Fields:
        at = "SelectedEnergyTransferService"
        return {f"{at}.ServiceID": self.service(key), f"{at}.ParameterSetID": 1}

    def service(self, key: str) -> int:
        if key == "iso20_ac":
            return BPT_AC_SERVICE if self.both_ways else AC_SERVICE
        return BPT_DC_SERVICE if self.both_ways else DC_SERVICE

    def _DC_ChargeParameterDiscovery(self, key: str) -> Fields:
        at = "BPT_DC_CPDReqEnergyTransferMode" if self.both_ways else "DC_CPDReqEnergyTransferMode"
        told: Fields = {
            f"{at}.EVMaximumChargePower": self.max_w,
            f"{at}.EVMinimumChargePower": 0,
            f"{at}.EVMaximumChargeCurrent": self.max_a,
            f"{at}.EVMinimumChargeCurrent": 0,
            f"{at}.EVMaximumVoltage": self.max_v,
            f"{at}.EVMinimumVoltage": round(0.7 * self.pack_v),
        }
        if self.both_ways:
            told |= {
                f"{at}.EVMaximumDischargePower": round(self.gives_a * self.pack_v),
                f"{at}.EVMinimumDischargePower": 0,
                f"{at}.EVMaximumDischargeCurrent": self.gives_a,
                f"{at}.EVMinimumDischargeCurrent": 0,
            }
        return told

    def _AC_ChargeParameterDiscovery(self, key: str) -> Fields:
        at = "AC_CPDReqEnergyTransferMode"
        return {f"{at}.EVMaximumChargePower": self.max_w, f"{at}.EVMinimumChargePower": 1380}

    def _ScheduleExchange(self, key: str) -> Fields:
        at = "Dynamic_SEReqControlMode" if self.dynamic else "Scheduled_SEReqControlMode"
        return {
            "MaximumSupportingPoints": 1024,
            f"{at}.DepartureTime": self.leaves_s,
            f"{at}.EVTargetEnergyRequest": self.wants_wh,
            f"{at}.EVMaximumEnergyRequest": self.wants_wh,
            f"{at}.EVMinimumEnergyRequest": 0,
        }

    def _DC_PreCharge(self, key: str) -> Fields:
        near = abs(self.seen_v - self.pack_v) < 5.0
        return {
            "EVProcessing": "Finished" if near and not self.never_closes else "Ongoing",
            "EVPresentVoltage": round(self.pack_v, 1),
            "EVTargetVoltage": round(self.pack_v, 1),
        }

    def _DC_ChargeLoop(self, key: str) -> Fields:
        self.loops += 1
        asked = round(min(self.asks_a, 5.0 + 8.0 * self.loops), 1)
        both = "BPT_" if self.both_ways else ""
        if self.dynamic:
            at = f"{both}Dynamic_DC_CLReqControlMode"
            control: Fields = {
                f"{at}.DepartureTime": self.leaves_s,
                f"{at}.EVTargetEnergyRequest": self.wants_wh,
                f"{at}.EVMaximumEnergyRequest": self.wants_wh,
                f"{at}.EVMinimumEnergyRequest": 0,
                f"{at}.EVMaximumChargePower": self.max_w,
                f"{at}.EVMinimumChargePower": 0,
                f"{at}.EVMaximumChargeCurrent": self.max_a,
                f"{at}.EVMaximumVoltage": self.max_v,
                f"{at}.EVMinimumVoltage": round(0.7 * self.pack_v),
            }
            if self.both_ways:
                control |= {
                    f"{at}.EVMaximumDischargePower": round(self.gives_a * self.pack_v),
                    f"{at}.EVMinimumDischargePower": 0,
                    f"{at}.EVMaximumDischargeCurrent": self.gives_a,
                }
        else:
            at = f"{both}Scheduled_DC_CLReqControlMode"
            control = {f"{at}.EVTargetCurrent": asked, f"{at}.EVTargetVoltage": self.max_v,
                       f"{at}.EVMaximumChargeCurrent": self.max_a, f"{at}.EVMaximumChargePower": self.max_w}  # fmt: skip
        return {**self._display(), "MeterInfoRequested": False, "EVPresentVoltage": round(self.pack_v, 1), **control}

    def _AC_ChargeLoop(self, key: str) -> Fields:
        self.loops += 1
        taken = round(min(self.takes_w, 1500.0 * self.loops))
        at = "Scheduled_AC_CLReqControlMode"
        return {**self._display(), "MeterInfoRequested": False, f"{at}.EVPresentActivePower": taken}

    def _display(self) -> Fields:
        at = "DisplayParameters"
        return {f"{at}.PresentSOC": self.soc, f"{at}.ChargingComplete": self.soc >= self.full_at}

    def _PowerDelivery(self, key: str) -> Fields:
        return {"EVProcessing": "Finished"} if key.startswith("iso20") else super()._PowerDelivery(key)

    def _DC_WeldingDetection(self, key: str) -> Fields:
        return {"EVProcessing": "Finished"}

    def _SessionStop(self, key: str) -> Fields:
        if not key.startswith("iso20"):
            return super()._SessionStop(key)
        told: Fields = {"ChargingSession": "Pause" if self.pauses else "Terminate"}
        return told | ({"EVTerminationExplanation": self.explains} if self.explains else {})


@dataclass
class Post20(Post):
    """A post that speaks ISO 15118-20 too. gives_back: asks for current from the vehicle after so many loops."""

    speaks: tuple[str, ...] = ("iso20_dc", "iso20_ac", "iso2", "din")
    services: tuple[int, ...] = (DC_SERVICE, BPT_DC_SERVICE)
    takes_back_after: int = -1
    takes_back_a: float = 40.0
    notices: dict[int, str] = field(default_factory=dict)

    def _AuthorizationSetup(self, key: str, request: Fields) -> Fields:
        return {
            "AuthorizationServices[0]": "PnC",
            "AuthorizationServices[1]": "EIM",
            "CertificateInstallationService": True,
            "PnC_ASResAuthorizationMode.GenChallenge": _CHALLENGE,
        }

    def _ServiceDiscovery(self, key: str, request: Fields) -> Fields:
        if not key.startswith("iso20"):
            return super()._ServiceDiscovery(key, request)
        at = "EnergyTransferServiceList.Service"
        told: Fields = {"ServiceRenegotiationSupported": True}
        for n, service in enumerate(self.services):
            told |= {f"{at}[{n}].ServiceID": service, f"{at}[{n}].FreeService": False}
        return told

    def _ServiceDetail(self, key: str, request: Fields) -> Fields:
        at = "ServiceParameterList.ParameterSet[0]"
        names = {"Connector": 2, "ControlMode": 1, "MobilityNeedsMode": 1, "Pricing": 0}
        told: Fields = {"ServiceID": request["ServiceID"], f"{at}.ParameterSetID": 1}
        for n, (name, value) in enumerate(names.items()):
            told |= {f"{at}.Parameter[{n}].Name": name, f"{at}.Parameter[{n}].intValue": value}
        return told

    def _DC_ChargeParameterDiscovery(self, key: str, request: Fields) -> Fields:
        both = any(k.startswith("BPT_") for k in request)
        at = "BPT_DC_CPDResEnergyTransferMode" if both else "DC_CPDResEnergyTransferMode"
        told: Fields = {
            f"{at}.EVSEMaximumChargePower": self.max_w,
            f"{at}.EVSEMinimumChargePower": 0,
            f"{at}.EVSEMaximumChargeCurrent": self.max_a,
            f"{at}.EVSEMinimumChargeCurrent": self.min_a,
            f"{at}.EVSEMaximumVoltage": self.max_v,
            f"{at}.EVSEMinimumVoltage": self.min_v,
        }
        if both:
            told |= {
                f"{at}.EVSEMaximumDischargePower": self.max_w,
                f"{at}.EVSEMinimumDischargePower": 0,
                f"{at}.EVSEMaximumDischargeCurrent": self.max_a,
                f"{at}.EVSEMinimumDischargeCurrent": 0,
            }
        return told

    def _AC_ChargeParameterDiscovery(self, key: str, request: Fields) -> Fields:
        at = "AC_CPDResEnergyTransferMode"
        return {
            f"{at}.EVSEMaximumChargePower": self.max_w,
            f"{at}.EVSEMinimumChargePower": 1380,
            f"{at}.EVSENominalFrequency": 50,
        }

    def _ScheduleExchange(self, key: str, request: Fields) -> Fields:
        told: Fields = {"EVSEProcessing": self.processing("ScheduleExchange")}
        if any(k.startswith("Dynamic_") for k in request):
            return told | {"Dynamic_SEResControlMode": {}}
        at = "Scheduled_SEResControlMode.ScheduleTuple[0]"
        entry = f"{at}.ChargingSchedule.PowerSchedule"
        return told | {
            f"{at}.ScheduleTupleID": 1,
            f"{entry}.TimeAnchor": 0,
            f"{entry}.PowerScheduleEntries.PowerScheduleEntry[0].Duration": 7200,
            f"{entry}.PowerScheduleEntries.PowerScheduleEntry[0].Power": self.max_w,
        }

    def _DC_CableCheck(self, key: str, request: Fields) -> Fields:
        return {"EVSEProcessing": self.processing("DC_CableCheck")}

    def _DC_PreCharge(self, key: str, request: Fields) -> Fields:
        return {"EVSEPresentVoltage": self.rises_to(float(request["EVTargetVoltage"]))}

    def _PowerDelivery(self, key: str, request: Fields) -> Fields:
        return {} if key.startswith("iso20") else super()._PowerDelivery(key, request)

    def _DC_ChargeLoop(self, key: str, request: Fields) -> Fields:
        mode = next(k.partition(".")[0] for k in request if "ControlMode." in k)
        asked = next((float(v) for k, v in request.items() if k.endswith("EVTargetCurrent")), self.max_a)
        most = next((float(v) for k, v in request.items() if k.endswith("EVMaximumChargeCurrent")), self.max_a)
        wanted = min(asked, most)
        if 0 <= self.takes_back_after < self.counts["DC_ChargeLoop"]:
            wanted = -self.takes_back_a
        told = self.flows(wanted, "DC_ChargeLoop")
        at = mode.replace("CLReq", "CLRes")
        if mode.startswith(("Dynamic", "BPT_Dynamic")):
            told |= {
                f"{at}.EVSEMaximumChargePower": self.max_w,
                f"{at}.EVSEMinimumChargePower": 0,
                f"{at}.EVSEMaximumChargeCurrent": self.max_a,
                f"{at}.EVSEMaximumVoltage": self.max_v,
            }
            if mode.startswith("BPT"):
                told |= {
                    f"{at}.EVSEMaximumDischargePower": self.max_w,
                    f"{at}.EVSEMinimumDischargePower": 0,
                    f"{at}.EVSEMaximumDischargeCurrent": self.max_a,
                    f"{at}.EVSEMinimumVoltage": self.min_v,
                }
        else:
            told |= {f"{at}.EVSEMaximumChargeCurrent": self.max_a, f"{at}.EVSEMaximumChargePower": self.max_w}
        return self._noticed("DC_ChargeLoop") | told

    def _AC_ChargeLoop(self, key: str, request: Fields) -> Fields:
        mode = next(k.partition(".")[0] for k in request if "ControlMode." in k)
        at = mode.replace("CLReq", "CLRes")
        return self._noticed("AC_ChargeLoop") | {f"{at}.EVSETargetActivePower": self.max_w}

    def _noticed(self, name: str) -> Fields:
        """What the post asks of the vehicle in this loop."""
        notice = next((n for at, n in sorted(self.notices.items(), reverse=True) if at < self.counts[name]), "")
        if not notice:
            return {}
        return {"EVSEStatus.NotificationMaxDelay": 0, "EVSEStatus.EVSENotification": notice}

    def _DC_WeldingDetection(self, key: str, request: Fields) -> Fields:
        self.present_v *= 1.0 if self.stays_charged else 0.35
        return {"EVSEPresentVoltage": round(self.present_v, 1)}


def header20(session: str, at_s: float, signed: bool) -> dict[str, Any]:
    """The header of a message. at_s: its sender's clock, seconds since 1970."""
    return {"SessionID": session, "TimeStamp": round(at_s), **(SIGNATURE if signed else {})}


# A signature's form, its numbers made up: what signs and checks is outside this line.
SIGNATURE: dict[str, Any] = {
    "Signature.SignedInfo.CanonicalizationMethod.Algorithm": "http://www.w3.org/TR/canonical-exi/",
    "Signature.SignedInfo.SignatureMethod.Algorithm": "http://www.w3.org/2001/04/xmldsig-more#ecdsa-sha256",
    "Signature.SignedInfo.Reference[0].URI": "#id1",
    "Signature.SignedInfo.Reference[0].Transforms.Transform[0].Algorithm": "http://www.w3.org/TR/canonical-exi/",
    "Signature.SignedInfo.Reference[0].DigestMethod.Algorithm": "http://www.w3.org/2001/04/xmlenc#sha256",
    "Signature.SignedInfo.Reference[0].DigestValue": "6F" * 32,
    "Signature.SignatureValue": "5C" * 64,
}
