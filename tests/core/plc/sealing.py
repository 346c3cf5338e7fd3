"""Sealed sessions for tests: a few words under TLS, OpenSSL on both ends, its own key log beside them."""

from __future__ import annotations

import datetime
import ssl
import struct
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.message import write_message
from gladwire.core.simulate.plc.wire import Station, Wire
from gladwire.scenarios.tls_line import Authority, TlsLine

AT = datetime.datetime(2026, 11, 25, 9, 0, tzinfo=datetime.UTC)
EV, POST = Station(bytes.fromhex("02a1b2c3d4e5")), Station(bytes.fromhex("02d00d000042"))


def authority(name: str, valid: tuple[int, int] = (30, 60), leaf_alone: bool = False) -> Authority:
    return Authority(name, AT, valid, leaf_alone)


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
class TlsSummary:
    """capture: of the whole connection. keys: the key log OpenSSL wrote. session: of the client, for resuming."""

    capture: FrameCapture
    keys: str
    session: ssl.SSLSession | None
    error: str = ""


def sealed(
    seals: tuple[ssl.SSLContext, ssl.SSLContext],
    says: list[bytes],
    session: ssl.SSLSession | None = None,
    cut: Callable[[bytes], list[bytes]] | None = None,
) -> TlsSummary:
    """Shake hands, say the parcels in turn (vehicle first), close."""
    wire = Wire(1.0)
    line = TlsLine(wire, (EV, POST), seals=seals, session=session, cut=cut)
    line.open()
    for number, parcel in enumerate([] if line.error else says):
        line.say(number % 2, parcel)
        wire.time_s += 0.01
    if not line.error:
        line.close(0)
    wire.time_s += 2.0
    frames = (*wire.frames, Frame(wire.time_s, b"\xff" * 12 + b"\x88\xe1" + b"\0" * 46))
    return TlsSummary(FrameCapture(frames, "pcapng", first_at=AT.timestamp()), line.keys, line.kept_session, line.error)
