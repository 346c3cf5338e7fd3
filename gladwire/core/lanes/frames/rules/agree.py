"""Agree and Authorise: protocol, session, services, payment, and every answer that says no."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from gladwire.core.findings import Fact, Needs, Rule, only
from gladwire.core.lanes.frames.plain import offers_of
from gladwire.core.lanes.frames.record import SPOKEN, Connection, ConversationRecord, Exchange
from gladwire.core.lanes.frames.rules.contract import refused_by_contract
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.lanes.frames.rules.order import told_here
from gladwire.core.standards.source import ISO_15118_2, PRACTICE
from gladwire.core.standards.v2g_codes import meaning, purpose_of
from gladwire.core.standards.v2g_timers import ongoing_max_s, timer_source
from gladwire.core.words import seconds

AUTHORISING = ("Authorization", "ContractAuthentication")
AUTHORISED_BY = {
    "Contract": "by contract",
    "PnC": "by contract",
    "ExternalPayment": "by card, app or key at the post",
    "EIM": "by card, app or key at the post",
}
SWITCHING = ("FAILED_PowerDeliveryNotApplied", "FAILED_ContactorError", "FAILED_EVSEPresentVoltageToLow")
UNSUITED = (
    "FAILED_WrongChargeParameter",
    "FAILED_WrongEnergyTransferType",
    "FAILED_WrongEnergyTransferMode",
    "FAILED_ChargingProfileInvalid",
)


def _agreed(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        hello = next(iter(connection.of("supportedAppProtocol")), None)
        if hello and hello.response_code.startswith("OK"):
            chosen = offers_of(hello)[1] or connection.protocol or "a protocol that was not captured"
            yield Fact(
                "normal", f"Vehicle and post agreed on {chosen}.", hello.start_s, hello.end_s, chosen, "one both know"
            )


def _no_protocol(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for hello in connection.of("supportedAppProtocol"):
            if not hello.failed:
                continue
            offered, _ = offers_of(hello)
            text = (
                f"No common protocol: the vehicle offers {', '.join(offered) or 'none that was captured'}, and the post "
                f"answers {hello.response_code}."
            )
            yield Fact("fault", text, hello.start_s, hello.end_s, hello.response_code, "OK_SuccessfulNegotiation")


def _minor(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for hello in connection.of("supportedAppProtocol"):
            if hello.response_code.endswith("MinorDeviation"):
                text = "The post speaks another minor version of the protocol the vehicle asked for."
                yield Fact("note", text, hello.start_s, hello.end_s, hello.response_code, "OK_SuccessfulNegotiation")


def _refusals(connection: Connection) -> Iterator[Exchange]:
    for exchange in connection.exchanges:
        if exchange.failed and exchange.stem != "supportedAppProtocol":
            yield exchange


def _refusing(wanted: tuple[str, ...] | None) -> Callable[[ConversationRecord], Iterator[Fact]]:
    """A check that tells refusals with these codes; None: with any code no other rule tells."""

    def check(record: ConversationRecord) -> Iterator[Fact]:
        for connection in connections_of(record):
            for exchange in _refusals(connection):
                told = exchange.response_code in (wanted or (*SWITCHING, *UNSUITED))
                if exchange.stem in (*AUTHORISING, "PaymentDetails") or told == (wanted is None):
                    continue
                if told_here(connection, exchange):
                    continue
                what = purpose_of(exchange.stem)
                times = f" {exchange.count} times" if exchange.count > 1 else ""
                text = (
                    f"The post answers {exchange.stem}Req{f' ({what})' if what else ''} with {exchange.response_code}{times} "
                    f"at {exchange.start_s:.2f} s: {meaning(exchange.response_code)}."
                )
                yield Fact(
                    "fault", text, exchange.start_s, exchange.end_s, exchange.response_code, "OK", stage=exchange.stage
                )

    return check


def _refused(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.of(*AUTHORISING, "PaymentDetails"):
            # ISO 15118-20 refuses an authorisation with a warning, after which another may be tried.
            if (exchange.failed or exchange.warned) and exchange not in refused_by_contract(connection):
                text = (
                    f"Authorisation refused at {exchange.start_s:.2f} s: the post answers {exchange.stem}Req with "
                    f"{exchange.response_code}, {meaning(exchange.response_code)}."
                )
                yield Fact("fault", text, exchange.start_s, exchange.end_s, exchange.response_code, "OK")


def _warned(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        for exchange in connection.exchanges:
            told = exchange.warned and exchange.stem not in AUTHORISING
            if told or exchange.response_code == "OK_CertificateExpiresSoon":
                text = f"With {exchange.stem}Res the post says: {meaning(exchange.response_code)}."
                yield Fact(
                    "suspect" if told else "note",
                    text,
                    exchange.start_s,
                    exchange.end_s,
                    exchange.response_code,
                    "OK",
                    stage=exchange.stage,
                )


def _authorising(connection: Connection) -> tuple[list[Exchange], list[Exchange]]:
    """(turns in which the post has not decided, turns in which it has)."""
    exchanges = [t for t in connection.of(*AUTHORISING) if not t.failed and not t.warned]
    return [t for t in exchanges if t.ongoing], [t for t in exchanges if t.of_response("EVSEProcessing") == "Finished"]


def _authorised(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        waiting, done = _authorising(connection)
        if done:
            took = done[0].end_s - (waiting[0] if waiting else done[0]).start_s
            chosen = connection.of("PaymentServiceSelection", "ServicePaymentSelection")
            how = done[0].of_request("SelectedAuthorizationService") or next(
                (t.of_request("SelectedPaymentOption") for t in chosen), None
            )
            by = AUTHORISED_BY.get(str(how), "")
            text = f"Authorised {by + ' ' if by else ''}after {seconds(took)}."
            yield Fact(
                "normal",
                text,
                done[0].start_s,
                done[0].end_s,
                seconds(took),
                f"within {ongoing_max_s(connection.protocol):g} s",
            )


def _endless(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        waiting, done = _authorising(connection)
        if not waiting or done:
            continue
        lasted = waiting[-1].end_s - waiting[0].start_s
        limit = ongoing_max_s(connection.protocol)
        asked = sum(t.count for t in waiting)
        given_up = connection.ends or record.end_s - waiting[-1].end_s > 5.0
        if lasted > limit or given_up:
            by = f"{lasted:.1f} s of {limit:g} s" if lasted <= limit else f"{lasted:.1f} s, longer than {limit:g} s"
            text = (
                f"The post never decided: {asked} times “{waiting[-1].of_response('EVSEProcessing')}” in {by}, from "
                f"{waiting[0].start_s:.2f} s on."
            )
            yield Fact(
                "fault",
                text,
                waiting[0].start_s,
                waiting[-1].end_s,
                seconds(lasted),
                f"decided within {limit:g} s",
                source=timer_source(connection.protocol),
            )
        else:
            text = (
                f"The post waits for authorisation for {seconds(lasted)} when the capture ends; no fault "
                f"before {limit:g} s."
            )
            yield Fact(
                "note", text, waiting[0].start_s, waiting[-1].end_s, seconds(lasted), f"decided within {limit:g} s"
            )


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule("protocol_agreed", "agree", ISO_15118_2, "the protocol both agreed on", _agreed, rank="progress"),
    Rule("no_common_protocol", "agree", ISO_15118_2, "no protocol both know", _no_protocol, breaks=("agree",)),
    Rule("protocol_minor", "agree", ISO_15118_2, "another minor version", _minor),
    Rule(
        "response_failed",
        "agree",
        ISO_15118_2,
        "every other FAILED answer, with its meaning",
        _refusing(None),
        breaks=SPOKEN,
        needs=Needs(reached="agree"),
    ),
    Rule(
        "switching_refused",
        "ramp",
        ISO_15118_2,
        "a post that could not switch its output",
        _refusing(SWITCHING),
        breaks=SPOKEN,
    ),
    Rule(
        "limits_refused",
        "parameters",
        ISO_15118_2,
        "limits or kind of charging refused",
        _refusing(UNSUITED),
        breaks=SPOKEN,
    ),
    Rule(
        "response_warning",
        "agree",
        ISO_15118_2,
        "answers that are OK with a warning",
        _warned,
        needs=Needs(reached="agree"),
    ),
    Rule(
        "authorisation_refused",
        "authorise",
        ISO_15118_2,
        "authorisation or payment refused",
        _refused,
        breaks=("authorise",),
    ),
    Rule(
        "authorised",
        "authorise",
        ISO_15118_2,
        "authorised, how and after how long",
        _authorised,
        proves=("authorise",),
        rank="progress",
    ),
    Rule(
        "authorisation_endless",
        "authorise",
        PRACTICE,
        "a post that never decides",
        only(_endless, "fault"),
        breaks=("authorise",),
    ),
    Rule("authorisation_waiting", "authorise", PRACTICE, "a card still waited for", only(_endless, "note")),
)
