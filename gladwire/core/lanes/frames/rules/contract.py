"""Authorise by contract: installing and renewing certificates, payment details, the signed authorisation, receipts."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Rule, only
from gladwire.core.lanes.frames.record import ConversationRecord, Talk, Turn
from gladwire.core.lanes.frames.rules.link import talks_of
from gladwire.core.lanes.frames.rules.loop import LOOPS
from gladwire.core.standards.source import ISO_15118_2_CONTRACT
from gladwire.core.standards.v2g_codes import meaning
from gladwire.core.words import seconds

_PROVISIONING = ("CertificateInstallation", "CertificateUpdate")


def _installed(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        for turn in talk.of(*_PROVISIONING):
            if turn.done and not turn.warned:
                what = "renewed" if turn.kind == "CertificateUpdate" else "installed"
                text = (
                    f"A contract certificate was {what} in {seconds(turn.end_s - turn.start_s)}: the back end knows this "
                    "vehicle's provisioning certificate and had a contract for it."
                )
                yield Fact("normal", text, turn.start_s, turn.end_s, "OK", "OK")


def _not_installed(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        for turn in talk.of(*_PROVISIONING):
            if turn.failed or turn.warned:
                text = (
                    f"No contract certificate was given at {turn.start_s:.2f} s: {turn.response_code}. The vehicle can still "
                    "be started by card or app."
                )
                yield Fact("suspect", text, turn.start_s, turn.end_s, turn.response_code, "OK")


def _contract(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        for turn in talk.of("PaymentDetails"):
            if turn.done:
                named = turn.asked("eMAID")
                text = f"The contract {named or ''} was taken and a challenge given: its chain holds for the post."
                yield Fact("normal", text.replace("  ", " "), turn.start_s, turn.end_s, str(named or "OK"), "OK")


def refused_by_contract(talk: Talk) -> list[Turn]:
    """Answers that refuse the contract itself."""
    turns = talk.of("PaymentDetails", "Authorization", "ContractAuthentication")
    return [
        t
        for t in turns
        if (t.failed or t.warned) and (t.kind == "PaymentDetails" or t.asked("GenChallenge") is not None)
    ]


def _refused(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        for turn in refused_by_contract(talk):
            text = (
                f"The contract was refused at {turn.start_s:.2f} s: the post answers {turn.stem}Req with "
                f"{turn.response_code}, {meaning(turn.response_code)}."
            )
            yield Fact("fault", text, turn.start_s, turn.end_s, turn.response_code, "OK")


def _by_contract(talk: Talk) -> Turn | None:
    """The request that authorises by contract."""
    for turn in talk.of("Authorization", "ContractAuthentication"):
        if turn.asked("GenChallenge") is not None:
            return turn
    return None


def _signed(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        turn = _by_contract(talk)
        if turn is None or turn.request is None:
            continue
        given = next((t.told("GenChallenge") for t in talk.of("PaymentDetails", "AuthorizationSetup")
                      if t.told("GenChallenge") is not None), None)  # fmt: skip
        echoed = given is None or given == turn.asked("GenChallenge")
        signed = turn.request.signed
        if signed and echoed:
            text = (
                "The vehicle authorised with its contract: it answered the post's challenge and signed. The signature itself "
                "is checked by the post, not here."
            )
            yield Fact("normal", text, turn.start_s, turn.end_s, "signed", "signed, the challenge answered")
        else:
            wrong = "did not sign" if not signed else "answered another challenge than the post gave"
            text = f"The vehicle authorised with its contract and {wrong}: a post that checks has to refuse it."
            yield Fact("suspect", text, turn.start_s, turn.end_s, wrong, "signed, the challenge answered")


def _receipts(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        turns = [t for t in talk.of("MeteringReceipt") if t.answer and not t.failed]
        if turns:
            reading = turns[-1].asked("MeterReading")
            if reading is None:
                reading = turns[-1].asked("ChargedEnergyReadingWh")
            upto = f", the last over {reading / 1000.0:.2f} kWh" if reading is not None else ""
            count = sum(t.count for t in turns)
            text = f"The vehicle signed {count} meter receipt{'s' if count > 1 else ''}{upto}."
            yield Fact("normal", text, turns[0].start_s, turns[-1].end_s, f"{count}", "as asked")
            continue
        asked = next((t for t in talk.of(*LOOPS) if t.told("ReceiptRequired") is True
                      or t.told("EVSENotification") == "MeteringConfirmation"), None)  # fmt: skip
        if asked:
            text = f"The post asked for a signed meter receipt from {asked.start_s:.2f} s on and the vehicle sent none."
            yield Fact("suspect", text, asked.start_s, talk.end_s, "none", "a receipt")


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
