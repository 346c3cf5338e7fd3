"""Messages as a vehicle and a post would say them to each other, in plain words with their numbers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from gladwire.core.lanes.frames.folding import FLAGS, UNDECODED
from gladwire.core.lanes.frames.record import Exchange
from gladwire.core.plc.exi.units import unit_of
from gladwire.core.standards.v2g_codes import (
    EV_ERRORS,
    ISO_20,
    NOTICES,
    POST_STATUS,
    PROTOCOLS,
    RENEGOTIATIONS,
    RESPONSES,
    meaning,
)

_PAID = {"Contract": "by contract", "ExternalPayment": "at the post", "PnC": "by contract", "EIM": "at the post"}


class Spoken(NamedTuple):
    """A turn as dialogue. ev, evse: what each says, empty for nothing; remark: what stands between them."""

    ev: str
    evse: str
    remark: str = ""


def speak(exchange: Exchange) -> Spoken:
    """What both say in a turn."""
    if exchange.stem == UNDECODED:
        sentence = "Something that is not decoded here."
        return Spoken(sentence if exchange.request else "", sentence if exchange.response else "", _remark(exchange))
    says = _SAYS.get(exchange.stem) or _SAYS.get(exchange.kind)
    if exchange.stem == "ServiceDiscovery" and exchange.protocol == ISO_20:
        says = _services_20
    ev, evse = says(exchange) if says else (f"{exchange.stem}?" if exchange.request else "", _other(exchange))
    if not exchange.request:
        ev = ""
    elif (error := exchange.of_either("EVErrorCode")) not in (None, "NO_ERROR"):
        ev = f"{ev} But: {EV_ERRORS.get(str(error), error)}."
    if exchange.failed or (exchange.warned and exchange.stage == "authorise"):
        evse = f"No: {meaning(exchange.response_code)}."
    elif not exchange.answered:
        evse = ""
    else:
        evse = f"{evse}{_status(exchange)}"
    return Spoken(ev, evse, _remark(exchange))


def stage_of_exchange(exchange: Exchange) -> str:
    """The stage a turn belongs to; switching off belongs to the end."""
    return "end" if exchange.switches == "off" else exchange.stage


def _status(exchange: Exchange) -> str:
    status, notify = exchange.of_either("EVSEStatusCode"), exchange.of_either("EVSENotification")
    sentence = ""
    if status in ("EVSE_Shutdown", "EVSE_UtilityInterruptEvent", "EVSE_EmergencyShutdown", "EVSE_Malfunction"):
        sentence += f" I {_VERBS.get(str(status), POST_STATUS[str(status)])}."
    if notify in NOTICES:
        sentence += f" I ask {NOTICES[str(notify)]}."
    isolation = exchange.of_either("EVSEIsolationStatus")
    if isolation in ("Warning", "Fault") and exchange.kind != "CableCheck":
        sentence += f" Insulation: {isolation}."
    return sentence


_VERBS = {
    "EVSE_Shutdown": "shut down",
    "EVSE_EmergencyShutdown": "stop in an emergency",
    "EVSE_Malfunction": "have a malfunction",
    "EVSE_UtilityInterruptEvent": "am interrupted by the grid",
}


def _remark(exchange: Exchange) -> str:
    remarks = []
    if exchange.flags:
        words = dict(zip(FLAGS, ("current", "voltage", "power"), strict=True))
        remarks += [
            f"{words[flag]} limit reached in {count} of {exchange.count}" for flag, count in exchange.flags.items()
        ]
    if exchange.late:
        remarks.append(
            f"{exchange.late} answer{'s' if exchange.late > 1 else ''} late, "
            f"the slowest after {1000 * (exchange.worst_s or 0):.0f} ms"
        )
    return "; ".join(remarks)


def _quantity(exchange: Exchange, field: str) -> str:
    """A value with its unit, or the range it ran through."""
    unit = unit_of(field)
    value = exchange.of_either(field)
    if value is None:
        return "?"
    ran = exchange.range_of(field)
    firsts = [f for m in (exchange.request, exchange.response) if m and (f := m.field(field)) is not None]
    first, last = firsts[-1] if firsts else value, value
    if ran is None or first == last:
        return _amount(last, unit)
    low, high = ran
    through = "" if {low, high} == {first, last} else f" ({_amount(low, unit, last)} to {_amount(high, unit, last)})"
    return (
        f"{_amount(first, unit, last).removesuffix(_shown_unit(unit, last)).strip()} → {_amount(last, unit)}{through}"
    )


def _shown_unit(unit: str, size: Any) -> str:
    """Kilowatts from a thousand watts on; the size of one value chooses for all that stand beside it."""
    return "kW" if unit == "W" and isinstance(size, int | float) and abs(size) >= 1000 else unit


def _amount(value: Any, unit: str, beside: Any = None) -> str:
    shown = _shown_unit(unit, value if beside is None else beside)
    return f"{_plain(value / 1000 if shown != unit else value)} {shown}".strip()


def _plain(value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, int | float):
        return str(value)
    return f"{value:g}" if isinstance(value, int) else f"{value:.1f}".removesuffix(".0")


def _other(exchange: Exchange) -> str:
    if not exchange.response:
        return ""
    return exchange.response_code or exchange.response.name or "?"


def offers_of(exchange: Exchange) -> tuple[list[str], str]:
    """(names of the protocols the vehicle offers, the one chosen or an empty text)."""
    fields = exchange.request.fields if exchange.request else {}
    offered = [PROTOCOLS.get(v, v) for k, v in fields.items() if k.endswith(".ProtocolNamespace")]
    ids = [v for k, v in fields.items() if k.endswith("].SchemaID")]
    chosen = exchange.of_response("SchemaID")
    return offered, offered[ids.index(chosen)] if chosen in ids and len(ids) == len(offered) else ""


def _hello(exchange: Exchange) -> tuple[str, str]:
    offered, chosen = offers_of(exchange)
    return f"I speak {' and '.join(offered) or 'something'}.", f"Let us speak {chosen or 'that'}."


def _setup(exchange: Exchange) -> tuple[str, str]:
    return (
        f"Let us begin; I am {exchange.of_request('EVCCID') or '?'}.",
        f"Begun; I am {_text(exchange.of_response('EVSEID'))}.",
    )


def _text(value: Any) -> str:
    """A post's identity, which DIN sends as bytes of text."""
    try:
        plain = bytes.fromhex(str(value)).decode("ascii")
        return plain if plain.isprintable() and plain else str(value)
    except ValueError:
        return str(value)


def _services(exchange: Exchange) -> tuple[str, str]:
    paid = [
        _PAID.get(v, v)
        for k, v in (exchange.response.fields if exchange.response else {}).items()
        if ".PaymentOption[" in k
    ]
    kind = exchange.of_either("EnergyTransferType") or exchange.of_either("EnergyTransferMode[0]") or "charging"
    return "What do you offer?", f"{str(kind).replace('_', ' ')}, paid {' or '.join(paid) or 'somehow'}."


def _chosen(exchange: Exchange) -> tuple[str, str]:
    return f"Charging, paid {_PAID.get(str(exchange.of_request('SelectedPaymentOption')), '?')}.", "Good."


def _may_i(exchange: Exchange) -> tuple[str, str]:
    processing = exchange.of_response("EVSEProcessing")
    way = _PAID.get(str(exchange.of_request("SelectedAuthorizationService")))
    answer = {
        "Finished": "Yes.",
        "Ongoing": "Not yet.",
        "Ongoing_WaitingForCustomerInteraction": "Waiting for the customer.",
    }
    return f"May I charge{f', {way}' if way else ''}?", answer.get(str(processing), "?")


def _limits(exchange: Exchange) -> tuple[str, str]:
    def q(name: str) -> str:
        return _quantity(exchange, name)

    power = f", {q('EVMaximumPowerLimit')}" if exchange.of_either("EVMaximumPowerLimit") is not None else ""
    ev = f"I take up to {q('EVMaximumVoltageLimit')} and {q('EVMaximumCurrentLimit')}{power}."
    if exchange.of_either("EVMaximumVoltageLimit") is None:
        ev = "These are my limits."
    if str(exchange.of_response("EVSEProcessing")).startswith("Ongoing"):
        return ev, "Not settled yet."
    if exchange.of_either("EVSEMaximumVoltageLimit") is None:
        return ev, "These are mine."
    give = f", {q('EVSEMaximumPowerLimit')}" if exchange.of_either("EVSEMaximumPowerLimit") is not None else ""
    low = f", from {q('EVSEMinimumVoltageLimit')}" if exchange.of_either("EVSEMinimumVoltageLimit") is not None else ""
    return ev, f"I give up to {q('EVSEMaximumVoltageLimit')} and {q('EVSEMaximumCurrentLimit')}{give}{low}."


def _cable(exchange: Exchange) -> tuple[str, str]:
    if str(exchange.of_response("EVSEProcessing")).startswith("Ongoing"):
        return "Is the cable's insulation good?", "Still checking."
    status = exchange.of_either("EVSEIsolationStatus")
    return "Is the cable's insulation good?", f"Insulation {status}." if status else "Checked."


def _precharge(exchange: Exchange) -> tuple[str, str]:
    return (
        f"Bring the cable to {_quantity(exchange, 'EVTargetVoltage')}.",
        f"It is at {_quantity(exchange, 'EVSEPresentVoltage')}.",
    )


def _power(exchange: Exchange) -> tuple[str, str]:
    progress = exchange.of_request("ChargeProgress")
    if progress in RENEGOTIATIONS:
        return "Let us negotiate anew.", "Good."
    if progress == "Standby":
        return "I wait; keep me connected.", "Good."
    if exchange.switches == "on" and exchange.of_request("EVProcessing") == "Ongoing":
        return "I am getting ready; stay with me.", "Good."
    return ("Switch on.", "On.") if exchange.switches == "on" else ("Switch off.", "Off.")


def _loop(exchange: Exchange) -> tuple[str, str]:
    soc = exchange.of_either("EVRESSSOC")
    at = f" I am at {_quantity(exchange, 'EVRESSSOC')}." if soc is not None else ""
    full = " I am full." if exchange.of_request("ChargingComplete") is True else ""
    give = f"Give me {_quantity(exchange, 'EVTargetCurrent')}."
    if exchange.of_request("EVTargetCurrent") is None:
        give = f"You decide, up to {_quantity(exchange, 'EVMaximumCurrentLimit')}."
    return (
        f"{give}{at}{full}",
        f"You get {_quantity(exchange, 'EVSEPresentCurrent')} at {_quantity(exchange, 'EVSEPresentVoltage')}.",
    )


def _ac_loop(exchange: Exchange) -> tuple[str, str]:
    most = exchange.of_either("EVSEMaxCurrent")
    if exchange.of_request("EVPresentActivePower") is not None:
        soc = f" I am at {_quantity(exchange, 'EVRESSSOC')}." if exchange.of_request("EVRESSSOC") is not None else ""
        limit = exchange.of_response("EVSETargetActivePower")
        told = f"Take up to {_quantity(exchange, 'EVSETargetActivePower')}." if limit is not None else "Going on."
        return f"I take {_quantity(exchange, 'EVPresentActivePower')}.{soc}", told
    return "How is it going?", f"Up to {most:g} A." if most is not None else "Going on."


def _weld(exchange: Exchange) -> tuple[str, str]:
    return "Are my contactors open?", f"The cable is at {_quantity(exchange, 'EVSEPresentVoltage')}."


def _stop(exchange: Exchange) -> tuple[str, str]:
    how = exchange.of_request("ChargingSession")
    if how == "ServiceRenegotiation":
        return "Let us choose services anew.", "Good."
    why = exchange.of_request("EVTerminationExplanation") or exchange.of_request("EVTerminationCode")
    because = f" Because: {why}." if why else ""
    return (f"Let us pause.{because}", "Paused.") if how == "Pause" else (f"Let us end.{because}", "Ended.")


def _ways_to_authorise(exchange: Exchange) -> tuple[str, str]:
    fields = exchange.response.fields if exchange.response else {}
    ways = [_PAID.get(v, v) for k, v in fields.items() if k.startswith("AuthorizationServices[")]
    install = " I can install a contract." if exchange.of_response("CertificateInstallationService") is True else ""
    return "How may I authorise?", f"{(' or '.join(ways) or 'somehow').capitalize()}.{install}"


# Source: ISO 15118-20:2022, 8.4, table of service identities, from memory.
_SERVICES_20 = {
    1: "AC",
    2: "DC",
    3: "wireless",
    4: "pantograph",
    5: "AC both ways",
    6: "DC both ways",
    7: "pantograph both ways",
    65: "internet access",
    66: "parking status",
}


def _named(exchange: Exchange, ending: str, request: bool) -> str:
    message = exchange.request if request else exchange.response
    numbers = [v for k, v in message.fields.items() if k.endswith(ending)] if message else []
    return ", ".join(_SERVICES_20.get(n, f"service {n}") for n in numbers)


def _services_20(exchange: Exchange) -> tuple[str, str]:
    return "What do you offer?", f"{_named(exchange, '.ServiceID', False) or 'Nothing'}."


def _detail(exchange: Exchange) -> tuple[str, str]:
    service = (
        _named(exchange, "ServiceID", True)
        if exchange.protocol == ISO_20
        else f"service {exchange.of_request('ServiceID')}"
    )
    sets = sum(1 for k in (exchange.response.fields if exchange.response else {}) if k.endswith("ParameterSetID"))
    return f"Tell me more of {service}.", f"{sets} way{'' if sets == 1 else 's'} to have it."


def _services_chosen(exchange: Exchange) -> tuple[str, str]:
    return f"I take {_named(exchange, 'EnergyTransferService.ServiceID', True) or 'it'}.", "Good."


def _schedule(exchange: Exchange) -> tuple[str, str]:
    leave, want = exchange.of_request("DepartureTime"), exchange.of_request("EVTargetEnergyRequest")
    wish = [
        f"{want / 1000:g} kWh" if want is not None else "",
        f"leave in {leave / 60:.0f} min" if leave is not None else "",
    ]
    ev = f"I want {' and '.join(w for w in wish if w)}." if any(wish) else "When may I have how much?"
    if exchange.ongoing:
        return ev, "Not settled yet."
    dynamic = any(k.startswith("Dynamic_") for k in (exchange.response.fields if exchange.response else {}))
    return ev, "I decide as we go." if dynamic else "Here is a schedule."


def _contract(exchange: Exchange) -> tuple[str, str]:
    return f"My contract is {exchange.of_request('eMAID') or '?'}.", "Sign this challenge."


def _certificate(exchange: Exchange) -> tuple[str, str]:
    return "Give me a contract certificate.", "Not yet." if exchange.ongoing else "Here it is."


def _receipt(exchange: Exchange) -> tuple[str, str]:
    reading = exchange.of_request("MeterReading")
    if reading is None:
        reading = exchange.of_request("ChargedEnergyReadingWh")
    return f"I sign for {reading / 1000:.2f} kWh." if reading is not None else "I sign for the meter.", "Good."


_SAYS: Mapping[str, Callable[[Exchange], tuple[str, str]]] = {
    "supportedAppProtocol": _hello,
    "SessionSetup": _setup,
    "ServiceDiscovery": _services,
    "PaymentServiceSelection": _chosen,
    "ServicePaymentSelection": _chosen,
    "Authorization": _may_i,
    "ContractAuthentication": _may_i,
    "ChargeParameterDiscovery": _limits,
    "CableCheck": _cable,
    "PreCharge": _precharge,
    "PowerDelivery": _power,
    "CurrentDemand": _loop,
    "ChargingStatus": _ac_loop,
    "WeldingDetection": _weld,
    "SessionStop": _stop,
    "AuthorizationSetup": _ways_to_authorise,
    "ServiceSelection": _services_chosen,
    "ServiceDetail": _detail,
    "ScheduleExchange": _schedule,
    "PaymentDetails": _contract,
    "CertificateInstallation": _certificate,
    "CertificateUpdate": _certificate,
    "MeteringReceipt": _receipt,
}


def means(field: str, value: Any) -> str:
    """What a field's value means where it is a code, or an empty text."""
    text = str(value)
    if field.endswith("ResponseCode"):
        return RESPONSES.get(text, "")
    if field.endswith("EVErrorCode"):
        return EV_ERRORS.get(text, "")
    if field.endswith("EVSEStatusCode"):
        return POST_STATUS.get(text, "")
    if field.endswith("ProtocolNamespace"):
        return PROTOCOLS.get(text, "")
    if field.endswith("EVSEID"):
        plain = _text(value)
        return plain if plain != text else ""
    return ""
