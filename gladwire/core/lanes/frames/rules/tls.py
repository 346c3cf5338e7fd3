"""Link, sealed: the TLS handshake, what a key log opened, certificates and clocks."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

from gladwire.core.findings import Fact, Rule, Severity, only
from gladwire.core.lanes.frames.record import (
    SIDE_WORDS,
    Alert,
    Certificate,
    CertificateChain,
    Connection,
    ConversationRecord,
    TlsSummary,
)
from gladwire.core.plc.certificates import TROUBLE_WORDS
from gladwire.core.standards.practice import CLOCK_ASIDE_S, CLOCK_WRONG_S
from gladwire.core.standards.source import ISO_15118_2_TRANSPORT, PRACTICE, RFC_5280, RFC_5280_STATUS, RFC_9850
from gladwire.core.standards.v2g_timers import SETTLED_S
from gladwire.core.words import seconds

_DATES = ("expired", "not_yet_valid")
_BROKEN = ("unreadable", "not_signed_by_next", "missing_intermediate", "leaf_alone")
# What an alert about certificates says of the one who sent it (RFC 8446, 6.2; words ours).
_ALERT_WORDS = {
    "unknown_ca": "it does not know the root, or an authority between was not sent",
    "certificate_expired": "by its clock the certificate is out of its dates",
    "certificate_revoked": "the certificate was revoked",
    "certificate_required": "it wants a certificate of the other side and got none",
    "bad_certificate": "a signature or a field of the certificate does not hold",
    "unsupported_certificate": "it cannot use this kind of certificate",
    "bad_certificate_status_response": "the answer about revocation is missing or does not hold",
    "handshake_failure": "nothing both can do was found: cipher suites, curves or signatures",
    "protocol_version": "no TLS version both know",
    "decrypt_error": "a signature or a check of the handshake failed",
    "bad_record_mac": "a record was altered, or the keys differ",
}
_UNOPENED = {
    "no_line": "The key log holds {sessions} and none is this one: it is of another session, or was started too late.",
    "no_hello": "The beginning of the handshake was not captured, so the key log cannot be matched to this connection.",
    "wrong": "The key log names this connection, and its secrets do not open it: they are of another side or damaged.",
    "suite": "The connection uses the cipher suite {cipher}, which is not opened here.",
    "partly": "{unopened} sealed records stay closed: the key log lacks a secret, or the capture lost part of them.",
}


# What a refusal is about, by its alert -> code of the finding.
_ABOUT = {
    "certificate_expired": "tls_date_refused",
    "unknown_ca": "tls_root_refused",
    "bad_certificate": "tls_root_refused",
    "certificate_unknown": "tls_root_refused",
    "unsupported_certificate": "tls_nothing_common",
    "handshake_failure": "tls_nothing_common",
    "protocol_version": "tls_nothing_common",
    "insufficient_security": "tls_nothing_common",
}
REFUSALS = ("tls_failed", *dict.fromkeys(_ABOUT.values()))


def _handshake(code: str) -> Callable[[ConversationRecord], Iterator[Fact]]:
    """A check that tells failed handshakes whose alert belongs to this code."""

    def check(record: ConversationRecord) -> Iterator[Fact]:
        for connection in record.connections:
            summary = connection.tls
            if summary is None:
                continue
            alert = _fatal(summary)
            if alert and _ABOUT.get(alert.name, "tls_failed") == code:
                who, why = SIDE_WORDS[alert.by], _ALERT_WORDS.get(alert.name)
                named = f"{alert.name}{f': {why}' if why else ''}"
                text = f"TLS failed at {alert.time_s:.2f} s: the {who} sent the alert {named}."
                yield Fact("fault", text, connection.start_s, alert.time_s, alert.name, "a handshake that completes")
            elif alert is None and code == "tls_failed" and _never_completed(record, connection, summary):
                closed = connection.ends[0] if connection.ends else None
                how = f"; the {SIDE_WORDS[closed.by]} closed" if closed else ""
                text = f"The TLS handshake of {connection.start_s:.2f} s never completed{how}."
                yield Fact(
                    "fault", text, connection.start_s, connection.end_s, "not completed", "a handshake that completes"
                )

    return check


def _never_completed(record: ConversationRecord, connection: Connection, summary: TlsSummary) -> bool:
    return summary.finished_at_s is None and record.end_s - connection.end_s > SETTLED_S and connection.opened


def _fatal(summary: TlsSummary) -> Alert | None:
    return next((a for a in summary.alerts if a.fatal), None)


def _encrypted(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        s = connection.tls
        if s is None or s.finished_at_s is None or connection.exchanges:
            continue
        closed = connection.ends[0] if connection.ends else None
        end = f"The {SIDE_WORDS[closed.by]} closed it at {closed.time_s:.2f} s" if closed else "It was not closed"
        if closed and closed.kind == "rst":
            end += " by a reset"
        text = (
            f"The conversation is sealed ({s.version or 'TLS'}): {s.records[0]} records of the vehicle and {s.records[1]} of "
            f"the post pass until {s.last_at_s or connection.end_s:.2f} s, the longest silence "
            f"{seconds(s.longest_silence_s)}. {end}. "
            "What was said cannot be read without its keys."
        )
        yield Fact("note", text, connection.start_s, connection.end_s, s.version or "TLS", "")


def _opened(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        s = connection.tls
        if s and s.opening in ("opened", "partly"):
            again = ", an earlier TLS session taken up again" if s.resumed else ""
            text = f"The conversation was sealed ({s.version}, {s.cipher}{again}) and opened with the key log."
            yield Fact("normal", text, connection.start_s, s.finished_at_s or connection.start_s, s.version, "")


def _unopened(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        s = connection.tls
        if s and s.opening in _UNOPENED:
            text = _UNOPENED[s.opening].format(sessions="lines of other sessions", cipher=s.cipher, unopened=s.unopened)
            yield Fact(
                "suspect" if s.opening != "partly" else "note",
                text,
                connection.start_s,
                connection.end_s,
                s.opening,
                "opened",
            )


class _Shown(NamedTuple):
    """A certificate in its chain and talk."""

    connection: Connection
    chain: CertificateChain
    certificate: Certificate

    @property
    def fact_at(self) -> float:
        return self.chain.time_s or self.connection.start_s

    @property
    def stage(self) -> str:
        return "link" if self.chain.whose == "TLS" else "authorise"

    @property
    def whose(self) -> str:
        words = SIDE_WORDS[self.chain.by]
        return f"The {words}'s certificate" if self.chain.whose == "TLS" else f"The {self.chain.whose} certificate"


def _shown(record: ConversationRecord) -> Iterator[_Shown]:
    for connection in record.connections:
        for chain in connection.certificate_chains:
            for certificate in chain.certificates:
                yield _Shown(connection, chain, certificate)


def _chains(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        for chain in connection.certificate_chains:
            leaf = chain.certificates[0]
            up = " ← ".join(c.name for c in chain.certificates)
            root = "" if chain.certificates[-1].own_root else f", issued by {chain.certificates[-1].issuer}"
            whose = f"The {SIDE_WORDS[chain.by]} shows" if chain.whose == "TLS" else f"The {chain.whose} chain is"
            at = chain.time_s or connection.start_s
            stage = "link" if chain.whose == "TLS" else "authorise"
            if not leaf.not_after:
                continue  # its own trouble is told beside
            text = f"{whose} {up}{root}; {leaf.key}, {leaf.signature}, until {leaf.not_after[:10]}."
            yield Fact("normal", text, at, at, f"until {leaf.not_after[:10]}", "in its dates", stage=stage)


def _out(record: ConversationRecord) -> Iterator[Fact]:
    for shown in _shown(record):
        c = shown.certificate
        for trouble in c.troubles:
            if trouble not in _DATES:
                continue
            text = (
                f"{shown.whose} {c.name} holds from {c.not_before[:10]} to {c.not_after[:10]} and is "
                f"{TROUBLE_WORDS[trouble]} on the day of this capture, by the capture's clock."
            )
            yield Fact(
                "fault", text, shown.fact_at, shown.fact_at, c.not_after[:10], "a certificate in its dates", shown.stage
            )


def _incomplete(record: ConversationRecord) -> Iterator[Fact]:
    for shown in _shown(record):
        c = shown.certificate
        for trouble in c.troubles:
            if trouble not in _BROKEN:
                continue
            alert = _fatal(shown.connection.tls) if shown.connection.tls else None
            refused = alert is not None and alert.name in ("unknown_ca", "bad_certificate")
            severity: Severity = "fault" if refused else "suspect"
            text = f"{shown.whose} {c.name} is {TROUBLE_WORDS[trouble]}."
            if trouble == "unreadable":
                text = f"{shown.whose} cannot be read: what is in it is not known here."
            yield Fact(severity, text, shown.fact_at, shown.fact_at, trouble, "a whole chain", shown.stage)


def _clock_of_the_one_who_refused(record: ConversationRecord) -> Iterator[Fact]:
    """An alert about dates against a certificate that is in them: a clock is wrong, and whose."""
    for connection in record.connections:
        alert = _fatal(connection.tls) if connection.tls else None
        if alert is None or alert.name != "certificate_expired":
            continue
        others = [
            c
            for chain in connection.certificate_chains
            if chain.by != alert.by and chain.whose == "TLS"
            for c in chain.certificates
        ]
        if others and not any(t in _DATES for c in others for t in c.troubles):
            who = SIDE_WORDS[alert.by]
            text = (
                f"The {who} calls a certificate out of its dates that is in them by the capture's clock: the {who}'s clock "
                "is wrong, or the capture's."
            )
            yield Fact("suspect", text, alert.time_s, alert.time_s, "in its dates", "the clocks agree")


def _clocks(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        for side, off in connection.clocks.items():
            if abs(off) < CLOCK_ASIDE_S:
                continue
            way = "ahead of" if off > 0 else "behind"
            size = f"{abs(off) / 86_400.0:.1f} days" if abs(off) >= CLOCK_WRONG_S else f"{abs(off) / 60.0:.0f} min"
            text = (
                f"The {SIDE_WORDS[side]}'s clock is {size} {way} the capture's. One of them is wrong; a certificate's dates "
                "are judged by the vehicle's and the post's own."
            )
            yield Fact(
                "suspect" if abs(off) >= CLOCK_WRONG_S else "note",
                text,
                connection.start_s,
                connection.start_s,
                size,
                "the same time",
            )


def _no_status(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        s = connection.tls
        read = s and (s.version != "TLS 1.3" or s.opening == "opened") and not s.resumed
        if (
            s
            and read
            and s.status_asked
            and not s.status_given
            and any(c.whose == "TLS" for c in connection.certificate_chains)
        ):
            text = (
                "The vehicle asked whether the post's certificates were revoked, and the post sent no answer with them."
            )
            yield Fact(
                "note", text, connection.start_s, connection.start_s, "no answer", "an answer with the certificates"
            )


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "tls_failed",
        "link",
        ISO_15118_2_TRANSPORT,
        "a TLS handshake that fails otherwise, and who ended it",
        _handshake("tls_failed"),
        breaks=("link",),
    ),
    Rule(
        "tls_date_refused",
        "link",
        RFC_5280,
        "a certificate refused for its dates",
        _handshake("tls_date_refused"),
        breaks=("link",),
    ),
    Rule(
        "tls_root_refused",
        "link",
        RFC_5280,
        "a certificate chain refused",
        _handshake("tls_root_refused"),
        breaks=("link",),
    ),
    Rule(
        "tls_nothing_common",
        "link",
        ISO_15118_2_TRANSPORT,
        "no TLS version, suite or kind of certificate both know",
        _handshake("tls_nothing_common"),
        breaks=("link",),
    ),
    Rule("tls_sealed", "link", ISO_15118_2_TRANSPORT, "what a sealed conversation can still say", _encrypted),
    Rule("tls_opened", "link", RFC_9850, "a sealed conversation that a key log opened", _opened),
    Rule("tls_keys", "link", RFC_9850, "a key log that does not open the conversation, and why", _unopened),
    Rule("tls_certificate", "link", RFC_5280, "certificate chains seen, and their dates, keys and signatures", _chains),
    Rule(
        "tls_certificate_out",
        "link",
        RFC_5280,
        "certificates out of their dates",
        only(_out, "fault"),
        breaks=("link",),
    ),
    Rule(
        "chain_incomplete",
        "link",
        RFC_5280,
        "a chain with a certificate missing or not signed by the one above it",
        _incomplete,
        breaks=("link",),
    ),
    Rule("clock_refuses", "link", PRACTICE, "a certificate refused for dates it is in", _clock_of_the_one_who_refused),
    Rule("clock_wrong", "link", PRACTICE, "a vehicle's or post's clock far from the capture's", _clocks),
    Rule(
        "revocation_unanswered",
        "link",
        RFC_5280_STATUS,
        "an answer about revocation asked for and not given",
        _no_status,
    ),
)
