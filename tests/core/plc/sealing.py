"""Sealed sessions for tests: OpenSSL on both ends, in memory, its own key log beside it."""

from __future__ import annotations

import datetime
import ssl
import struct
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.message import write_message
from gladwire.core.simulate.plc.wire import Line, Station, Wire

AT = datetime.datetime(2026, 11, 25, 9, 0, tzinfo=datetime.UTC)
EV, POST = Station(bytes.fromhex("02a1b2c3d4e5")), Station(bytes.fromhex("02d00d000042"))


@dataclass
class Authority:
    """A chain: root, one between, leaf. valid: days before and after AT of the leaf."""

    folder: Path
    name: str
    valid: tuple[int, int] = (30, 60)
    skip_middle: bool = False
    certificates: list[x509.Certificate] = field(default_factory=list)

    def __post_init__(self) -> None:
        keys = [ec.generate_private_key(ec.SECP256R1()) for _ in range(3)]
        names = [
            x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"{self.name} {n}")]) for n in ("root", "sub", "leaf")
        ]
        for n, (key, subject) in enumerate(zip(keys, names, strict=True)):
            before, after = (30, 3650) if n < 2 else self.valid
            made = (
                x509.CertificateBuilder()
                .subject_name(subject)
                .issuer_name(names[max(n - 1, 0)])
                .public_key(key.public_key())
                .serial_number(n + 1)
                .not_valid_before(AT - datetime.timedelta(days=before))
                .not_valid_after(AT + datetime.timedelta(days=after))
                .add_extension(x509.BasicConstraints(ca=n < 2, path_length=None), critical=True)
                .sign(keys[max(n - 1, 0)], hashes.SHA256())
            )
            self.certificates.append(made)
        pem = serialization.Encoding.PEM
        sent = self.certificates[2:] if self.skip_middle else [self.certificates[2], self.certificates[1]]
        self.chain.write_bytes(b"".join(c.public_bytes(pem) for c in sent))
        self.root.write_bytes(self.certificates[0].public_bytes(pem))
        self.key.write_bytes(
            keys[2].private_bytes(pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
        )

    @property
    def chain(self) -> Path:
        return self.folder / f"{self.name}-chain.pem"

    @property
    def root(self) -> Path:
        return self.folder / f"{self.name}-root.pem"

    @property
    def key(self) -> Path:
        return self.folder / f"{self.name}-key.pem"


def parcels(texts: Iterable[tuple[str, str, dict[str, object]]]) -> list[bytes]:
    """V2GTP payloads of messages: (grammar, name, fields)."""
    made = [write_message(key, name, fields) for key, name, fields in texts]
    return [struct.pack(">BBHI", 1, 0xFE, 0x8001, len(m)) + m for m in made]


def hello() -> list[bytes]:
    """A vehicle's and a post's first words, and a session set up."""
    namespace = "urn:iso:15118:2:2013:MsgDef"
    offer = {
        "ProtocolNamespace": namespace,
        "VersionNumberMajor": 2,
        "VersionNumberMinor": 0,
        "SchemaID": 1,
        "Priority": 1,
    }
    return parcels(
        [
            ("sap", "supportedAppProtocolReq", {f"AppProtocol[0].{k}": v for k, v in offer.items()}),
            ("sap", "supportedAppProtocolRes", {"ResponseCode": "OK_SuccessfulNegotiation", "SchemaID": 1}),
            ("iso2", "SessionSetupReq", {"EVCCID": "02A1B2C3D4E5"}),
            ("iso2", "SessionSetupRes", {"ResponseCode": "OK_NewSessionEstablished", "EVSEID": "XX*HBR*E1"}),
        ]
    )


@dataclass
class Sealed:
    """frames: of the whole connection. keys: the key log OpenSSL wrote. session: of the client, for resuming."""

    capture: FrameCapture
    keys: str
    session: ssl.SSLSession | None
    error: str = ""


def sealed(
    folder: Path,
    client: ssl.SSLContext,
    server: ssl.SSLContext,
    says: list[bytes],
    session: ssl.SSLSession | None = None,
    cut: Callable[[bytes], list[bytes]] = lambda data: [data],
    end: bool = True,
) -> Sealed:
    """Shake hands, say the parcels in turn (vehicle first), close. cut: how bytes are laid into segments."""
    log = folder / "keys.log"
    log.unlink(missing_ok=True)
    client.keylog_filename = str(log)
    into = [ssl.MemoryBIO(), ssl.MemoryBIO()]
    out = [ssl.MemoryBIO(), ssl.MemoryBIO()]
    ends = [client.wrap_bio(into[0], out[0], session=session), server.wrap_bio(into[1], out[1], server_side=True)]
    wire = Wire(1.0)
    line = Line(wire, (EV, POST))
    line.open()

    def passes() -> bool:
        moved = False
        for side in (0, 1):
            data = out[side].read()
            if data:
                moved = True
                for piece in cut(data):
                    line.say(side, piece)
                    wire.time_s += 0.01
                into[1 - side].write(data)
        return moved

    error = _shake_hands(ends, passes)
    for number, parcel in enumerate([] if error else says):
        side = number % 2
        ends[side].write(parcel)
        passes()
        ends[1 - side].read(1 << 16)
    kept = None if error else ends[0].session
    if end:
        line.close(0)
    wire.time_s += 2.0
    frames = (*wire.frames, Frame(wire.time_s, b"\xff" * 12 + b"\x88\xe1" + b"\0" * 46))
    capture = FrameCapture(frames, "pcapng", first_at=AT.timestamp())
    return Sealed(capture, log.read_text() if log.exists() else "", kept, error)


def _shake_hands(ends: list[ssl.SSLObject], passes: Callable[[], bool]) -> str:
    """Until both are done or one gives up; what went wrong, or an empty text."""
    done, error = [False, False], ""
    for side in [0, 1] * 12:
        try:
            if not done[side]:
                ends[side].do_handshake()
                done[side] = True
        except ssl.SSLWantReadError:
            pass
        except ssl.SSLError as wrong:
            error = error or str(wrong)
            done[side] = True
        passes()
    return error


def contexts(
    post: Authority,
    version: ssl.TLSVersion,
    suite: str = "",
    car: Authority | None = None,
    trusted: Authority | None = None,
) -> tuple[ssl.SSLContext, ssl.SSLContext]:
    """Contexts of vehicle and post. car: the vehicle shows a certificate. trusted: the root the vehicle knows."""
    client, server = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT), ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    for context in (client, server):
        context.minimum_version = context.maximum_version = version
        if suite:
            context.set_ciphers(f"{suite}:@SECLEVEL=0")
    client.check_hostname = False
    client.verify_mode = ssl.CERT_NONE
    if trusted is not None:
        client.verify_mode = ssl.CERT_REQUIRED
        client.load_verify_locations(trusted.root)
    server.load_cert_chain(post.chain, post.key)
    if car is not None:
        client.load_cert_chain(car.chain, car.key)
        server.verify_mode = ssl.CERT_REQUIRED
        server.load_verify_locations(car.root)
    return client, server
