"""A sealed line: the simulated connection under real TLS, OpenSSL on both ends, with the key log it writes.

Certificates are made on the spot and belong to nobody; keys are new each time, so no two sealed captures are alike.
"""

from __future__ import annotations

import datetime
import ssl
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from gladwire.core.simulate.plc.wire import Line, Station, Wire

_PEM = serialization.Encoding.PEM
_ROUNDS = 12
# OpenSSL's flag of that name, which Python's module does not list.
_NO_CHECK_TIME = 0x200000


@dataclass
class Authority:
    """A root, one authority under it, and a leaf. at: the day they are made for. valid: days before and after it of the
    leaf. leaf_alone: the one between is not sent."""

    name: str
    at: datetime.datetime
    valid: tuple[int, int] = (30, 60)
    leaf_alone: bool = False
    certificates: list[x509.Certificate] = field(default_factory=list)
    key_pem: bytes = b""

    def __post_init__(self) -> None:
        keys = [ec.generate_private_key(ec.SECP256R1()) for _ in range(3)]
        names = [
            x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"{self.name} {n}")]) for n in ("root", "sub", "leaf")
        ]
        for n, (key, subject) in enumerate(zip(keys, names, strict=True)):
            before, after = (60, 3650) if n < 2 else self.valid
            made = (
                x509.CertificateBuilder()
                .subject_name(subject)
                .issuer_name(names[max(n - 1, 0)])
                .public_key(key.public_key())
                .serial_number(n + 1)
                .not_valid_before(self.at - datetime.timedelta(days=before))
                .not_valid_after(self.at + datetime.timedelta(days=after))
                .add_extension(x509.BasicConstraints(ca=n < 2, path_length=None), critical=True)
                .sign(keys[max(n - 1, 0)], hashes.SHA256())
            )
            self.certificates.append(made)
        plain = serialization.NoEncryption()
        self.key_pem = keys[2].private_bytes(_PEM, serialization.PrivateFormat.PKCS8, plain)

    @property
    def sent(self) -> list[x509.Certificate]:
        """What is shown to the other side, leaf first."""
        return [self.certificates[2]] if self.leaf_alone else [self.certificates[2], self.certificates[1]]

    @property
    def sent_hex(self) -> tuple[str, ...]:
        return tuple(c.public_bytes(serialization.Encoding.DER).hex().upper() for c in self.sent)

    def shown_by(self, context: ssl.SSLContext) -> None:
        with tempfile.TemporaryDirectory(prefix="gladwire-") as folder:
            chain, key = Path(folder) / "chain.pem", Path(folder) / "key.pem"
            chain.write_bytes(b"".join(c.public_bytes(_PEM) for c in self.sent))
            key.write_bytes(self.key_pem)
            context.load_cert_chain(chain, key)

    def trusted_by(self, context: ssl.SSLContext) -> None:
        context.verify_mode = ssl.CERT_REQUIRED
        context.load_verify_locations(cadata=self.certificates[0].public_bytes(_PEM).decode())


def contexts(
    post: Authority,
    version: ssl.TLSVersion,
    suite: str = "",
    car: Authority | None = None,
    trusted: Authority | None = None,
    checks_dates: bool = False,
) -> tuple[ssl.SSLContext, ssl.SSLContext]:
    """Contexts of vehicle and post. car: the vehicle shows a certificate. trusted: the root the vehicle knows. checks_dates:
    by the clock of this machine, which is not the demo's day."""
    client, server = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT), ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    for context in (client, server):
        context.minimum_version = context.maximum_version = version
        if suite:
            context.set_ciphers(f"{suite}:@SECLEVEL=0")
        if not checks_dates:
            context.verify_flags |= _NO_CHECK_TIME
    client.check_hostname = False
    client.verify_mode = ssl.CERT_NONE
    if trusted is not None:
        trusted.trusted_by(client)
    post.shown_by(server)
    if car is not None:
        car.shown_by(client)
        car.trusted_by(server)
    return client, server


@dataclass
class TlsLine(Line):
    """seals: contexts of vehicle and post. session: of an earlier connection, to resume. cut: how bytes are laid into
    segments. keys: the key log of this connection, once it is open. error: why it did not open."""

    seals: tuple[ssl.SSLContext, ssl.SSLContext] | None = None
    session: ssl.SSLSession | None = None
    cut: Callable[[bytes], list[bytes]] | None = None
    keys: str = ""
    error: str = ""

    def __post_init__(self) -> None:
        self._into = [ssl.MemoryBIO(), ssl.MemoryBIO()]
        self._out = [ssl.MemoryBIO(), ssl.MemoryBIO()]
        self._objects: list[ssl.SSLObject] = []

    def open(self, answered: bool = True) -> None:
        super().open(answered)
        assert self.seals is not None
        client, server = self.seals
        with tempfile.TemporaryDirectory(prefix="gladwire-") as folder:
            log = Path(folder) / "keys"
            client.keylog_filename = str(log)
            self._objects = [
                client.wrap_bio(self._into[0], self._out[0], session=self.session),
                server.wrap_bio(self._into[1], self._out[1], server_side=True),
            ]
            self.error = self._shake_hands()
            self.keys = log.read_text() if log.exists() else ""
        self.usable = not self.error
        if self.error:
            self.close(0)

    def _shake_hands(self) -> str:
        """Until both are done or one gives up; what went wrong, or an empty text."""
        done, error = [False, False], ""
        for side in [0, 1] * _ROUNDS:
            try:
                if not done[side]:
                    self._objects[side].do_handshake()
                    done[side] = True
            except ssl.SSLWantReadError:
                pass
            except ssl.SSLError as wrong:
                error = error or str(wrong)
                done[side] = True
            self._pass(1)
        return error

    def _pass(self, pieces: int) -> None:
        """What either end has to send goes over the wire."""
        for side in (0, 1):
            data = self._out[side].read()
            if data:
                for part in self.cut(data) if self.cut else [data]:
                    super().say(side, part, pieces)
                self.wire.time_s += 0.004
                self._into[1 - side].write(data)

    def say(self, side: int, payload: bytes, pieces: int = 1) -> None:
        self._objects[side].write(payload)
        self._pass(pieces)
        self._objects[1 - side].read(1 << 16)

    @property
    def kept_session(self) -> ssl.SSLSession | None:
        return None if self.error else self._objects[0].session


@dataclass
class Sealing:
    """Makes sealed lines for a plan and gathers the key logs of all its connections."""

    seals: tuple[ssl.SSLContext, ssl.SSLContext]
    lines: list[TlsLine] = field(default_factory=list)

    def line(self, wire: Wire, ends: tuple[Station, Station]) -> Line:
        made = TlsLine(wire, ends, seals=self.seals)
        self.lines.append(made)
        return made

    @property
    def keys(self) -> str:
        return "".join(line.keys for line in self.lines)
