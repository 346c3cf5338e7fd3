"""Authorise by contract: installing and renewing certificates, payment details, the signed authorisation, receipts."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Rule, only
from gladwire.core.lanes.frames.record import Connection, ConversationRecord, Exchange
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.lanes.frames.rules.loop import LOOPS
from gladwire.core.standards.source import ISO_15118_2_CONTRACT
from gladwire.core.standards.v2g_codes import meaning
from gladwire.core.words import number_of, seconds

_PROVISIONING = ("CertificateInstallation", "CertificateUpdate")


def _installed(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.of(*_PROVISIONING):
            if exchange.done and not exchange.warned:
                what = "renewed" if exchange.kind == "CertificateUpdate" else "installed"
                text = (
                    f"A contract certificate was {what} in {seconds(exchange.end_s - exchange.start_s)}: the back end knows "
                    "this vehicle's provisioning certificate and had a contract for it."
                )
                yield Fact("normal", text, exchange.start_s, exchange.end_s, "OK", "OK")


def _not_installed(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.of(*_PROVISIONING):
            if exchange.failed or exchange.warned:
                text = (
                    f"No contract certificate was given at {exchange.start_s:.2f} s: {exchange.response_code}. The vehicle "
                    "can still be started by card or app."
                )
                yield Fact("suspect", text, exchange.start_s, exchange.end_s, exchange.response_code, "OK")


def _contract(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.of("PaymentDetails"):
            if exchange.done:
                named = exchange.of_request("eMAID")
                text = f"The contract {named or ''} was taken and a challenge given: its chain holds for the post."
                yield Fact(
                    "normal", text.replace("  ", " "), exchange.start_s, exchange.end_s, str(named or "OK"), "OK"
                )


def refused_by_contract(connection: Connection) -> list[Exchange]:
    """Answers that refuse the contract itself."""
    exchanges = connection.of("PaymentDetails", "Authorization", "ContractAuthentication")
    return [
        t
        for t in exchanges
        if (t.failed or t.warned) and (t.kind == "PaymentDetails" or t.of_request("GenChallenge") is not None)
    ]


def _refused(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in refused_by_contract(connection):
            text = (
                f"The contract was refused at {exchange.start_s:.2f} s: the post answers {exchange.stem}Req with "
                f"{exchange.response_code}, {meaning(exchange.response_code)}."
            )
            yield Fact("fault", text, exchange.start_s, exchange.end_s, exchange.response_code, "OK")


def _by_contract(connection: Connection) -> Exchange | None:
    """The request that authorises by contract."""
    for exchange in connection.of("Authorization", "ContractAuthentication"):
        if exchange.of_request("GenChallenge") is not None:
            return exchange
    return None


def _signed(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchange = _by_contract(connection)
        if exchange is None or exchange.request is None:
            continue
        given = next((t.of_response("GenChallenge") for t in connection.of("PaymentDetails", "AuthorizationSetup")
                      if t.of_response("GenChallenge") is not None), None)  # fmt: skip
        echoed = given is None or given == exchange.of_request("GenChallenge")
        signed = exchange.request.signed
        if signed and echoed:
            text = (
                "The vehicle authorised with its contract: it answered the post's challenge and signed. The signature itself "
                "is checked by the post, not here."
            )
            yield Fact("normal", text, exchange.start_s, exchange.end_s, "signed", "signed, the challenge answered")
        else:
            wrong = "did not sign" if not signed else "answered another challenge than the post gave"
            text = f"The vehicle authorised with its contract and {wrong}: a post that checks has to refuse it."
            yield Fact("suspect", text, exchange.start_s, exchange.end_s, wrong, "signed, the challenge answered")


def _receipts(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        exchanges = [t for t in connection.of("MeteringReceipt") if t.response and not t.failed]
        if exchanges:
            reading = exchanges[-1].of_request("MeterReading")
            if reading is None:
                reading = exchanges[-1].of_request("ChargedEnergyReadingWh")
            upto = f", the last over {reading / 1000.0:.2f} kWh" if reading is not None else ""
            count = sum(t.count for t in exchanges)
            text = f"The vehicle signed {number_of(count, 'meter receipt')}{upto}."
            yield Fact("normal", text, exchanges[0].start_s, exchanges[-1].end_s, f"{count}", "as asked")
            continue
        asked = next((t for t in connection.of(*LOOPS) if t.of_response("ReceiptRequired") is True
                      or t.of_response("EVSENotification") == "MeteringConfirmation"), None)  # fmt: skip
        if asked:
            text = f"The post asked for a signed meter receipt from {asked.start_s:.2f} s on and the vehicle sent none."
            yield Fact("suspect", text, asked.start_s, connection.end_s, "none", "a receipt")


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "contract_installed",
        "authorise",
        ISO_15118_2_CONTRACT,
        "a contract certificate installed or renewed",
        _installed,
    ),
    Rule(
        "contract_not_installed",
        "authorise",
        ISO_15118_2_CONTRACT,
        "a contract certificate asked for and not given",
        _not_installed,
    ),
    Rule("contract_taken", "authorise", ISO_15118_2_CONTRACT, "payment details taken, and what that proves", _contract),
    Rule(
        "contract_refused",
        "authorise",
        ISO_15118_2_CONTRACT,
        "a contract the post refuses, and why",
        _refused,
        breaks=("authorise",),
    ),
    Rule(
        "contract_signed",
        "authorise",
        ISO_15118_2_CONTRACT,
        "an authorisation signed by contract",
        only(_signed, "normal"),
    ),
    Rule(
        "contract_unsigned",
        "authorise",
        ISO_15118_2_CONTRACT,
        "an authorisation by contract without signature or with another challenge",
        only(_signed, "suspect"),
    ),
    Rule(
        "receipts_signed", "hold", ISO_15118_2_CONTRACT, "meter receipts the vehicle signed", only(_receipts, "normal")
    ),
    Rule(
        "receipt_missing",
        "hold",
        ISO_15118_2_CONTRACT,
        "a meter receipt asked for and not sent",
        only(_receipts, "suspect"),
    ),
)
