"""What the standard's codes say, in plain words.

Source: ISO 15118-2:2013, 8.4 and 8.6 (ResponseCode), ISO 15118-20:2022, 8.3 (responseCodeType, evseNotificationType), DIN
SPEC 70121:2014, type DC_EVErrorCode and DC_EVSEStatusCode; from memory of the standards, words ours. Codes are spelled as
their standard spells them.
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
    "OK_PowerToleranceConfirmed": "the tolerance of power asked for is granted",
    "WARNING_AuthorizationSelectionInvalid": "this way of authorising was not offered",
    "WARNING_CertificateExpired": "the contract certificate is out of date",
    "WARNING_CertificateNotYetValid": "the contract certificate is not valid yet, or a clock is wrong",
    "WARNING_CertificateRevoked": "the contract certificate has been revoked",
    "WARNING_CertificateValidationError": "the contract certificate's chain does not hold",
    "WARNING_ChallengeInvalid": "the answer to the post's challenge does not match",
    "WARNING_EIMAuthorizationFailure": "card, app or key at the post was refused",
    "WARNING_eMSPUnknown": "the contract's provider is not known here",
    "WARNING_EVPowerProfileViolation": "the vehicle leaves the power profile it announced",
    "WARNING_GeneralPnCAuthorizationError": "the contract was refused without a reason",
    "WARNING_NoCertificateAvailable": "no contract certificate is available",
    "WARNING_NoContractMatchingPCIDFound": "no contract is known for this vehicle's provisioning certificate",
    "WARNING_PowerToleranceNotConfirmed": "the tolerance of power asked for is not granted",
    "WARNING_ScheduleRenegotiationFailed": "negotiating the schedule anew did not succeed",
    "WARNING_StandbyNotAllowed": "standby is not allowed here",
    "WARNING_WPT": "a warning of wireless transfer",
    "FAILED_AssociationError": "the vehicle could not be matched to its place",
    "FAILED_EVPowerProfileInvalid": "the vehicle's power profile breaks the post's schedule",
    "FAILED_EVPowerProfileViolation": "the vehicle left the power profile it announced",
    "FAILED_NoEnergyTransferServiceSelected": "no way of charging was selected",
    "FAILED_NoServiceRenegotiationSupported": "this post cannot change services during a session",
    "FAILED_PauseNotAllowed": "a pause is not allowed here",
    "FAILED_PowerToleranceNotConfirmed": "the tolerance of power asked for is not granted",
    "FAILED_ScheduleRenegotiation": "negotiating the schedule anew failed",
    "FAILED_ScheduleSelectionInvalid": "the schedule chosen does not exist",
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

# What a post asks of a vehicle, as ISO 15118-2 and -20 name it, in words that follow "the post asks".
NOTICES: Mapping[str, str] = {
    "StopCharging": "to stop",
    "Terminate": "to stop",
    "Pause": "to pause",
    "ExitStandby": "to leave standby",
    "ReNegotiation": "to negotiate anew",
    "ScheduleRenegotiation": "for a new schedule",
    "ServiceRenegotiation": "to choose services anew",
    "MeteringConfirmation": "to confirm the meter's reading",
}
STOP_NOTICES = ("StopCharging", "Terminate")
RENEGOTIATIONS = ("ReNegotiation", "Renegotiate", "ScheduleRenegotiation", "ServiceRenegotiation")

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

ISO_20 = "ISO15118-20"

# message name without Req or Res -> (stage, what it is for)
MESSAGES: Mapping[str, tuple[str, str]] = {
    "supportedAppProtocol": ("agree", "which protocols the vehicle speaks"),
    "SessionSetup": ("agree", "begin a session"),
    "ServiceDiscovery": ("agree", "what the post offers"),
    "ServiceDetail": ("agree", "details of one service"),
    "PaymentServiceSelection": ("agree", "which services, and who pays"),
    "ServicePaymentSelection": ("agree", "which services, and who pays"),
    "ServiceSelection": ("agree", "which services"),
    "PaymentDetails": ("authorise", "the contract that pays"),
    "CertificateInstallation": ("authorise", "a new contract certificate"),
    "CertificateUpdate": ("authorise", "a renewed contract certificate"),
    "AuthorizationSetup": ("authorise", "which ways of authorising there are"),
    "Authorization": ("authorise", "may this session charge"),
    "ContractAuthentication": ("authorise", "may this session charge"),
    "ChargeParameterDiscovery": ("parameters", "limits of both sides"),
    "ScheduleExchange": ("parameters", "when how much"),
    "ACDP_VehiclePositioning": ("parameters", "is the vehicle under the pantograph"),
    "ACDP_Connect": ("parameters", "lower the pantograph"),
    "ACDP_SystemStatus": ("hold", "state of the pantograph"),
    "ACDP_Disconnect": ("end", "raise the pantograph"),
    "WPT_FinePositioningSetup": ("parameters", "how the vehicle finds its place over the coil"),
    "WPT_FinePositioning": ("parameters", "where the vehicle stands over the coil"),
    "WPT_Pairing": ("parameters", "which coil belongs to this vehicle"),
    "WPT_AlignmentCheck": ("parameters", "are the coils over each other"),
    "VehicleCheckIn": ("parameters", "the vehicle is in its place"),
    "VehicleCheckOut": ("end", "the vehicle leaves its place"),
    "CableCheck": ("insulation", "insulation of the cable"),
    "PreCharge": ("precharge", "bring the cable to the pack's voltage"),
    "PowerDelivery": ("ramp", "switch power on or off"),
    "CurrentDemand": ("hold", "how much current now"),
    "ChargingStatus": ("hold", "how the AC charge goes"),
    "MeteringReceipt": ("hold", "sign the meter's reading"),
    "WeldingDetection": ("end", "are the vehicle's contactors open"),
    "SessionStop": ("end", "end the session"),
}

# Messages of ISO 15118-20 that do what an earlier protocol's message does, by its name.
KINDS: Mapping[str, str] = {
    "DC_ChargeParameterDiscovery": "ChargeParameterDiscovery",
    "AC_ChargeParameterDiscovery": "ChargeParameterDiscovery",
    "WPT_ChargeParameterDiscovery": "ChargeParameterDiscovery",
    "DC_CableCheck": "CableCheck",
    "DC_PreCharge": "PreCharge",
    "DC_ChargeLoop": "CurrentDemand",
    "AC_ChargeLoop": "ChargingStatus",
    "WPT_ChargeLoop": "ChargingStatus",
    "DC_WeldingDetection": "WeldingDetection",
    "MeteringConfirmation": "MeteringReceipt",
}
# ISO 15118-20 authorises first: services are found and chosen after it, and belong with limits and schedule.
_AFTER_AUTHORISING = ("ServiceDiscovery", "ServiceDetail", "ServiceSelection")

# field as rules name it (DIN, ISO 15118-2) -> what ISO 15118-20 calls it
FIELDS_20: Mapping[str, str] = {
    "EVMaximumVoltageLimit": "EVMaximumVoltage",
    "EVMaximumCurrentLimit": "EVMaximumChargeCurrent",
    "EVMaximumPowerLimit": "EVMaximumChargePower",
    "EVSEMaximumVoltageLimit": "EVSEMaximumVoltage",
    "EVSEMaximumCurrentLimit": "EVSEMaximumChargeCurrent",
    "EVSEMaximumPowerLimit": "EVSEMaximumChargePower",
    "EVSEMinimumVoltageLimit": "EVSEMinimumVoltage",
    "EVSEMinimumCurrentLimit": "EVSEMinimumChargeCurrent",
    "EVRESSSOC": "PresentSOC",
}


def kind_of(stem: str) -> str:
    """What a message does, by the name ISO 15118-2 has for it: `DC_CableCheck` is a `CableCheck`."""
    return KINDS.get(stem, stem)


def stage_of(stem: str, protocol: str = "") -> str:
    """The stage a message belongs to; messages nobody listed belong to Agree."""
    if protocol == ISO_20 and stem in _AFTER_AUTHORISING:
        return "parameters"
    return MESSAGES.get(kind_of(stem), ("agree", ""))[0]


def purpose_of(stem: str) -> str:
    """What a message is for, in a few words; empty where nobody listed it."""
    return MESSAGES.get(kind_of(stem), ("", ""))[1]


def meaning(code: str) -> str:
    return RESPONSES.get(code, "a code the standards do not list")
