"""Refusals a vehicle earns: a request out of order, another session's identity, a way of charging not offered; and a check or
a pre-charge the post refuses."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.frames.record import SPOKEN, Connection, ConversationRecord, Exchange
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.standards.source import ISO_15118_2
from gladwire.core.standards.v2g_codes import meaning

_PAYS = ("PaymentServiceSelection", "ServicePaymentSelection")
_AUTHORISES = ("Authorization", "ContractAuthentication")
# What may stand right before a request, in DIN SPEC 70121 and ISO 15118-2: from memory of their sequences. The same request
# again is always allowed.
BEFORE: Mapping[str, tuple[str, ...]] = {
    "SessionSetup": ("supportedAppProtocol",),
    "ServiceDiscovery": ("SessionSetup",),
    "ServiceDetail": ("ServiceDiscovery",),
    "PaymentServiceSelection": ("ServiceDiscovery", "ServiceDetail"),
    "ServicePaymentSelection": ("ServiceDiscovery", "ServiceDetail"),
    "PaymentDetails": (*_PAYS, "CertificateInstallation", "CertificateUpdate"),
    "Authorization": (*_PAYS, "PaymentDetails"),
    "ContractAuthentication": (*_PAYS, "PaymentDetails"),
    "ChargeParameterDiscovery": (*_AUTHORISES, "PowerDelivery"),
    "CableCheck": ("ChargeParameterDiscovery",),
    "PreCharge": ("CableCheck",),
    "CurrentDemand": ("PowerDelivery",),
    "ChargingStatus": ("PowerDelivery", "MeteringReceipt"),
    "WeldingDetection": ("PowerDelivery",),
}
_OWN_FAULT = (
    "FAILED_SequenceError",
    "FAILED_UnknownSession",
    "FAILED_WrongEnergyTransferMode",
    "FAILED_WrongEnergyTransferType",
)
_MODES = ("RequestedEnergyTransferMode", "EVRequestedEnergyTransferType")
# Refused without more, these say what was being done and not who is confused.
CHECKED = {"CableCheck": "insulation", "PreCharge": "precharge"}


def breach(connection: Connection, exchange: Exchange) -> str:
    """What the vehicle did that its request was refused for, as the capture shows it; "" where it shows nothing of it."""
    code = exchange.response_code
    if code not in _OWN_FAULT or exchange.request is None or exchange.after_hole:
        return ""
    if code == "FAILED_SequenceError":
        before = _before(connection, exchange)
        allowed = BEFORE.get(exchange.stem)
        if before and allowed and before not in (*allowed, exchange.stem):
            return f"it asks {exchange.stem} right after {before}, where {' or '.join(allowed[:2])} comes before it"
        return ""
    if code == "FAILED_UnknownSession":
        used = exchange.request.session
        if connection.session and used and used != connection.session:
            return f"it uses the session identity {used}, where the post gave {connection.session}"
        return ""
    wanted = next((w for name in _MODES if (w := exchange.of_request(name)) is not None), None)
    offered = _offered(connection)
    if wanted is not None and offered and str(wanted) not in offered:
        return f"it asks for {wanted}, where the post offers {', '.join(sorted(offered))}"
    return ""


def _before(connection: Connection, exchange: Exchange) -> str:
    at = connection.exchanges.index(exchange)
    return connection.exchanges[at - 1].stem if at else ""


def _offered(connection: Connection) -> set[str]:
    found: set[str] = set()
    for exchange in connection.of("ServiceDiscovery"):
        fields = exchange.response.fields if exchange.response else {}
        found |= {
            str(v) for path, v in fields.items() if "EnergyTransferMode" in path or path.endswith("EnergyTransferType")
        }
    return found


def _leaves_order(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.exchanges:
            if exchange.failed and (why := breach(connection, exchange)):
                text = (
                    f"The vehicle's request {exchange.stem}Req at {exchange.start_s:.2f} s is refused with "
                    f"{exchange.response_code} ({meaning(exchange.response_code)}), and rightly: {why}."
                )
                yield Fact(
                    "fault", text, exchange.start_s, exchange.end_s, exchange.response_code, "OK", stage=exchange.stage
                )


_LISTS = ("ServiceDiscovery", "ServiceDetail")


def _not_taken(record: ConversationRecord) -> Iterator[Fact]:
    """A vehicle that has heard what the post offers and goes no further."""
    for connection in connections_of(record):
        last, offered = connection.exchanges[-1], _offered(connection)
        first = min(connection.ends, key=lambda c: c.time_s, default=None)
        if last.stem not in _LISTS or not last.answered or last.failed or not offered:
            continue
        if first is None or first.by != "ev":
            continue
        kinds = ", ".join(sorted(offered))
        text = (
            f"The post offers {kinds}, and the vehicle goes no further: it closes the connection at {first.time_s:.2f} s. "
            "Perhaps none of it is what it wants; what it wants it did not say."
        )
        yield Fact("fault", text, last.start_s, first.time_s, kinds, "a kind of charging both know", stage=last.stage)


def _check_refused(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.exchanges:
            if exchange.failed and exchange.kind in CHECKED and not _tells_more(connection, exchange):
                what = "the cable check" if exchange.kind == "CableCheck" else "pre-charge"
                text = (
                    f"The post ends {what} at {exchange.end_s:.2f} s with {exchange.response_code}: what was being done "
                    "failed; the other fields of such an answer say nothing."
                )
                yield Fact(
                    "fault", text, exchange.start_s, exchange.end_s, exchange.response_code, "OK", stage=exchange.stage
                )


def _tells_more(connection: Connection, exchange: Exchange) -> bool:
    return exchange.response_code != "FAILED" or bool(breach(connection, exchange))


def told_here(connection: Connection, exchange: Exchange) -> bool:
    """Whether one of these rules tells a refusal."""
    checked = exchange.kind in CHECKED and not _tells_more(connection, exchange)
    return exchange.failed and (checked or bool(breach(connection, exchange)))


def _asked_together(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        if not connection.together:
            continue
        first, last = connection.together[0], connection.together[-1]
        times = f"{len(connection.together)} times" if len(connection.together) > 1 else "once"
        text = (
            f"The vehicle sends {first.name} together with the request before it, in one segment, {times}, first at "
            f"{first.time_s:.2f} s: it does not wait for the answer. Answers are held to their requests in order."
        )
        yield Fact("note", text, first.time_s, last.time_s, "two requests in a segment", "one at a time")


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "vehicle_leaves_order",
        "agree",
        ISO_15118_2,
        "a request the post rightly refuses: order, session or kind of charging",
        _leaves_order,
        breaks=SPOKEN,
        needs=Needs(reached="agree"),
    ),
    Rule(
        "services_not_taken",
        "agree",
        ISO_15118_2,
        "a list of services after which the vehicle leaves",
        _not_taken,
        breaks=SPOKEN,
        needs=Needs(reached="agree"),
    ),
    Rule(
        "check_refused",
        "insulation",
        ISO_15118_2,
        "a cable check or pre-charge that ends with FAILED",
        _check_refused,
        breaks=("insulation", "precharge"),
        needs=Needs(reached="insulation"),
    ),
    Rule(
        "requests_together",
        "agree",
        ISO_15118_2,
        "requests that do not wait for the answer to the one before",
        _asked_together,
        rank="quiet",
        needs=Needs(reached="agree"),
    ),
)
