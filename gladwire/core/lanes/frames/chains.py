"""Certificate chains of a connection: those of the handshake, and those that contracts and provisioning send in messages."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from gladwire.core.lanes.frames.connection import CapturedMessage
from gladwire.core.lanes.frames.record import SIDES, Certificate, CertificateChain
from gladwire.core.plc.certificates import CertificateSeen, read_certificate, troubles
from gladwire.core.plc.tls import TlsView

# Messages that carry certificates.
_CARRIERS = frozenset(
    f"{stem}{end}"
    for stem in ("PaymentDetails", "CertificateInstallation", "CertificateUpdate", "Authorization")
    for end in ("Req", "Res")
)
_LEAF, _ABOVE = ".Certificate", ".SubCertificates.Certificate["
# Part of a path that carries a chain -> whose certificates these are
_WHOSE = (
    ("OEMProvisioning", "provisioning"),
    ("SAProvisioning", "provisioning service"),
    ("CPSCertificateChain", "provisioning service"),
    ("Contract", "contract"),
)


def chains_of(
    view: TlsView | None, messages: Sequence[CapturedMessage], swapped: bool, at: float
) -> tuple[CertificateChain, ...]:
    """All chains of a connection in the order sent. at: the capture's first moment in seconds since 1970, 0 if unknown."""
    found: list[CertificateChain] = []
    if view is not None:
        for side in (0, 1):
            sent = [c for c in view.certificates if c.side == side]
            if sent:
                found.append(_chain("TLS", side ^ swapped, 0.0, sent, at))
    for captured in messages:
        if captured.message.name not in _CARRIERS:
            continue
        for whose, sent in _in_message(captured.message.fields, captured.side):
            found.append(_chain(whose, captured.side, captured.time_s, sent, at + captured.time_s if at else 0.0))
    return tuple(found)


def _in_message(fields: Mapping[str, Any], side: int) -> Iterator[tuple[str, list[CertificateSeen]]]:
    for path, value in fields.items():
        if not path.endswith(_LEAF) and path != "OEMProvisioningCert":
            continue
        parent = path.removesuffix(_LEAF)
        whose = next((words for part, words in _WHOSE if part in path), "")
        if whose:
            above = [v for p, v in fields.items() if p.startswith(parent + _ABOVE)]
            yield whose, [read_certificate(side, bytes.fromhex(str(v))) for v in (value, *above)]


def _chain(whose: str, side: int, time_s: float, sent: Sequence[CertificateSeen], at: float) -> CertificateChain:
    wrong = [t for t in troubles(sent, at) if whose != "provisioning" or t[1] != "leaf_alone"]  # it is asked for alone
    return CertificateChain(
        whose=whose,
        by=SIDES[side],
        time_s=time_s,
        certificates=tuple(
            Certificate(
                subject=c.subject,
                issuer=c.issuer,
                not_before=c.not_before,
                not_after=c.not_after,
                key=c.key,
                signature=c.signature,
                authority=c.authority,
                own_root=c.own_root,
                troubles=tuple(trouble for seen, trouble in wrong if seen is c),
            )
            for c in sent
        ),
    )
