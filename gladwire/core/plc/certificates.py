"""Certificates as they are sent: names, dates, keys, signatures, and whether one vouches for the next.

Source: RFC 5280; key and signature kinds as ISO 15118-2 (secp256r1, ECDSA with SHA-256) and -20 (secp521r1, Ed448) ask.
"""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import pairwise
from typing import Literal

Trouble = Literal["expired", "not_yet_valid", "unreadable", "not_signed_by_next", "missing_intermediate", "leaf_alone"]
TROUBLE_WORDS: dict[Trouble, str] = {
    "expired": "out of its dates",
    "not_yet_valid": "not valid yet",
    "unreadable": "cannot be read",
    "not_signed_by_next": "not signed by the one above it",
    "missing_intermediate": "issued by none of those sent",
    "leaf_alone": "sent alone, without the authority that issued it",
}


@dataclass(frozen=True, slots=True)
class CertificateSeen:
    """A certificate as it went over the wire. side: 0 the one that opened the connection. dates as ISO moments, UTC, empty
    where it could not be read. authority: it may issue others. der: its bytes."""

    side: int
    subject: str
    issuer: str = ""
    not_before: str = ""
    not_after: str = ""
    key: str = ""
    signature: str = ""
    authority: bool = False
    der: bytes = b""

    @property
    def own_root(self) -> bool:
        return bool(self.subject) and self.subject == self.issuer


def read_certificate(side: int, der: bytes) -> CertificateSeen:
    """A certificate; one that cannot be read says so. Never raises."""
    from cryptography import x509  # takes a tenth of a second to import, and few sessions are sealed

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            seen = x509.load_der_x509_certificate(der)
            begin, end = seen.not_valid_before_utc, seen.not_valid_after_utc
            subject, issuer = seen.subject.rfc4514_string(), seen.issuer.rfc4514_string()
            key, signature, authority = _key(seen), _signature(seen), _authority(seen)
    except Exception:  # whatever is wrong with it, it was sent and could not be read
        return CertificateSeen(side, "a certificate that cannot be read", der=der)
    return CertificateSeen(
        side, subject, issuer, begin.isoformat()[:19], end.isoformat()[:19], key, signature, authority, der
    )


def _key(seen: object) -> str:
    try:
        key = seen.public_key()  # type: ignore[attr-defined]
    except Exception:  # a kind of key this library does not know
        return "unknown key"
    curve = getattr(getattr(key, "curve", None), "name", "")
    size = getattr(key, "key_size", "")
    kind = type(key).__name__.strip("_").removesuffix("PublicKey")
    return f"EC {curve}" if curve else f"{kind} {size}".strip()


def _signature(seen: object) -> str:
    kind = getattr(seen.signature_algorithm_oid, "_name", "")  # type: ignore[attr-defined]
    return str(kind).replace("ecdsa-with-", "ECDSA with ").replace("WithRSAEncryption", " with RSA")


def _authority(seen: object) -> bool:
    from cryptography import x509

    try:
        basic = seen.extensions.get_extension_for_class(x509.BasicConstraints)  # type: ignore[attr-defined]
    except Exception:  # none, or extensions that cannot be read
        return False
    return bool(basic.value.ca)


def troubles(chain: Sequence[CertificateSeen], at: float) -> list[tuple[CertificateSeen, Trouble]]:
    """What is wrong with a chain as sent, leaf first. at: seconds since 1970, 0 where the capture does not know.

    A root that was not sent is no trouble: the other side has it or does not.
    """
    found: list[tuple[CertificateSeen, Trouble]] = []
    for seen in chain:
        if not seen.not_after:
            found.append((seen, "unreadable"))
        elif (out := out_of_dates(seen, at)) is not None:
            found.append((seen, out))
    for below, above in pairwise(chain):
        if below.issuer and above.subject and below.issuer != above.subject:
            named = any(below.issuer == c.subject for c in chain)
            found.append((below, "not_signed_by_next" if named else "missing_intermediate"))
        elif below.issuer and not _vouches(above, below):
            found.append((below, "not_signed_by_next"))
    if len(chain) == 1 and chain[0].issuer and not chain[0].own_root:
        found.append((chain[0], "leaf_alone"))
    return found


def out_of_dates(seen: CertificateSeen, at: float) -> Literal["expired", "not_yet_valid"] | None:
    """Which of its dates a moment is outside of (seconds since 1970; 0 is unknown)."""
    if not at or not seen.not_after:
        return None
    moment = datetime.fromtimestamp(at, UTC).isoformat()[:19]
    if moment < seen.not_before:
        return "not_yet_valid"
    return "expired" if moment > seen.not_after else None


def _vouches(above: CertificateSeen, below: CertificateSeen) -> bool:
    from cryptography import x509

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            one, two = (x509.load_der_x509_certificate(c.der) for c in (below, above))
            one.verify_directly_issued_by(two)
    except (ValueError, TypeError):
        return False
    except Exception as error:  # a bad signature, or a kind of key that cannot be checked here
        return type(error).__name__ != "InvalidSignature"
    return True
