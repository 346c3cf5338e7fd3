"""What the standard's codes say, in plain words.

Source: ISO 15118-2:2013, 8.4 and 8.6 (ResponseCode), DIN SPEC 70121:2014, type DC_EVErrorCode and DC_EVSEStatusCode; from
memory of the standards, words ours. Codes are spelled as their standard spells them.
"""

from __future__ import annotations

from collections.abc import Mapping

RESPONSES: Mapping[str, str] = {
    "OK_NewSessionEstablished": "a new session begins",
    "OK_OldSessionJoined": "an interrupted session is taken up again",
    "OK_CertificateExpiresSoon": "the contract certificate expires soon",
    "OK_SuccessfulNegotiation": "a protocol both know was found",
    "OK_SuccessfulNegotiationWithMinorDeviation": "the same protocol with another minor version",
    "Failed_NoNegotiation": "no protocol both know",
    "FAILED": "refused without a reason",
    "FAILED_SequenceError": "this request was not expected now",
    "FAILED_ServiceIDInvalid": "the service asked for does not exist",
    "FAILED_UnknownSession": "the session identity is not the one the post gave",
    "FAILED_ServiceSelectionInvalid": "the services chosen cannot be had together",
    "FAILED_PaymentSelectionInvalid": "the way of paying was not offered",
    "FAILED_CertificateExpired": "the contract certificate is out of date",
    "FAILED_SignatureError": "a signature does not hold",
    "FAILED_NoCertificateAvailable": "no contract certificate is available",
    "FAILED_CertChainError": "the certificate's chain does not hold",
    "FAILED_ChallengeInvalid": "the answer to the post's challenge does not match",
    "FAILED_ContractCanceled": "the contract has been cancelled",
    "FAILED_WrongChargeParameter": "the vehicle's limits do not suit the post",
    "FAILED_PowerDeliveryNotApplied": "the post could not switch its output",
    "FAILED_TariffSelectionInvalid": "the tariff chosen does not exist",
    "FAILED_ChargingProfileInvalid": "the vehicle's charging profile breaks the post's schedule",
    "FAILED_EVSEPresentVoltageToLow": "the post's output voltage is too low",
    "FAILED_MeteringSignatureNotValid": "the meter receipt's signature does not hold",
    "FAILED_WrongEnergyTransferType": "this post does not offer the kind of charging asked for",
    "FAILED_WrongEnergyTransferMode": "this post does not offer the kind of charging asked for",
    "FAILED_NoChargeServiceSelected": "the charging service itself was not selected",
    "FAILED_ContactorError": "the post's contactor did not do as told",
    "FAILED_CertificateNotAllowedAtThisEVSE": "this contract is not accepted here",
    "FAILED_CertificateRevoked": "the contract certificate has been revoked",
}

EV_ERRORS: Mapping[str, str] = {
    "FAILED_RESSTemperatureInhibit": "pack temperature forbids charging",
    "FAILED_EVShiftPosition": "the vehicle is not in park",
    "FAILED_ChargerConnectorLockFault": "the inlet's lock is not closed",
    "FAILED_EVRESSMalfunction": "the pack reports a malfunction",
    "FAILED_ChargingCurrentdifferential": "current given differs from current asked",
    "FAILED_ChargingVoltageOutOfRange": "charging voltage is out of range",
    "FAILED_ChargingSystemIncompatibility": "the post does not suit the vehicle",
    "NoData": "no data",
}

POST_STATUS: Mapping[str, str] = {
    "EVSE_NotReady": "not ready",
    "EVSE_Ready": "ready",
    "EVSE_Shutdown": "shuts down, asked by its operator or a person at the post",
    "EVSE_UtilityInterruptEvent": "interrupted by the grid",
    "EVSE_IsolationMonitoringActive": "insulation monitoring at work",
    "EVSE_EmergencyShutdown": "emergency shutdown",
    "EVSE_Malfunction": "malfunction",
}
EMERGENCY = ("EVSE_EmergencyShutdown", "EVSE_Malfunction")
STOPPING = ("EVSE_Shutdown", "EVSE_UtilityInterruptEvent")

# namespace in supportedAppProtocol -> the protocol's name
PROTOCOLS: Mapping[str, str] = {
    "urn:din:70121:2012:MsgDef": "DIN SPEC 70121",
    "urn:iso:15118:2:2010:MsgDef": "ISO 15118-2 of 2010",
    "urn:iso:15118:2:2013:MsgDef": "ISO 15118-2",
    "urn:iso:std:iso:15118:-20:AC": "ISO 15118-20 AC",
    "urn:iso:std:iso:15118:-20:DC": "ISO 15118-20 DC",
    "urn:iso:std:iso:15118:-20:WPT": "ISO 15118-20 wireless",
    "urn:iso:std:iso:15118:-20:ACDP": "ISO 15118-20 pantograph",
}

# message name without Req or Res -> (stage, what it is for)
MESSAGES: Mapping[str, tuple[str, str]] = {
    "supportedAppProtocol": ("agree", "which protocols the vehicle speaks"),
    "SessionSetup": ("agree", "begin a session"),
    "ServiceDiscovery": ("agree", "what the post offers"),
    "ServiceDetail": ("agree", "details of one service"),
    "PaymentServiceSelection": ("agree", "which services, and who pays"),
    "ServicePaymentSelection": ("agree", "which services, and who pays"),
    "PaymentDetails": ("authorise", "the contract that pays"),
    "CertificateInstallation": ("authorise", "a new contract certificate"),
    "CertificateUpdate": ("authorise", "a renewed contract certificate"),
    "Authorization": ("authorise", "may this session charge"),
    "ContractAuthentication": ("authorise", "may this session charge"),
    "ChargeParameterDiscovery": ("parameters", "limits of both sides"),
    "CableCheck": ("insulation", "insulation of the cable"),
    "PreCharge": ("precharge", "bring the cable to the pack's voltage"),
    "PowerDelivery": ("ramp", "switch power on or off"),
    "CurrentDemand": ("hold", "how much current now"),
    "ChargingStatus": ("hold", "how the AC charge goes"),
    "MeteringReceipt": ("hold", "sign the meter's reading"),
    "WeldingDetection": ("end", "are the vehicle's contactors open"),
    "AuthorizationSetup": ("authorise", "which ways of authorising there are"),
    "ServiceSelection": ("agree", "which services"),
    "DC_ChargeParameterDiscovery": ("parameters", "limits of both sides"),
    "AC_ChargeParameterDiscovery": ("parameters", "limits of both sides"),
    "ScheduleExchange": ("parameters", "when how much"),
    "DC_CableCheck": ("insulation", "insulation of the cable"),
    "DC_PreCharge": ("precharge", "bring the cable to the pack's voltage"),
    "DC_ChargeLoop": ("hold", "how much current now"),
    "AC_ChargeLoop": ("hold", "how the AC charge goes"),
    "MeteringConfirmation": ("hold", "sign the meter's reading"),
    "DC_WeldingDetection": ("end", "are the vehicle's contactors open"),
    "SessionStop": ("end", "end the session"),
}


def stage_of(stem: str) -> str:
    """The stage a message belongs to; messages nobody listed belong to Agree."""
    return MESSAGES.get(stem, ("agree", ""))[0]


def meaning(code: str) -> str:
    return RESPONSES.get(code, "a code the standards do not list")
