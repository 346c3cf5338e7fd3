"""One connection while it is being heard: bytes to payloads to messages, whichever protocol was agreed."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

from gladwire.core.plc.exi.decoder import ExiError
from gladwire.core.plc.exi.grammar import KEYS
from gladwire.core.plc.message import Message, read_message
from gladwire.core.plc.tcp import Connection, Piece
from gladwire.core.plc.tls import TlsView, looks_like_tls
from gladwire.core.plc.v2gtp import EXI, PAYLOAD_TYPES, Parcel, Splitter

# namespace said in supportedAppProtocolReq -> grammar
PROTOCOLS = {"urn:din:70121:2012:MsgDef": "din", "urn:iso:15118:2:2013:MsgDef": "iso2"}
_REMEMBERED = 4096


class Heard(NamedTuple):
    """One message of the file. side: 0 vehicle, 1 post. talk: which connection. lost: bytes missing before it."""

    time_s: float
    frame: int
    talk: int
    side: int
    message: Message
    payload: bytes
    lost: int


@dataclass(slots=True)
class Talking:
    """A connection's state. keys: grammars to try, the agreed or last fitting one first."""

    number: int
    connection: Connection
    splitters: tuple[Splitter, Splitter] = field(default_factory=lambda: (Splitter(), Splitter()))
    tls: TlsView | None = None
    keys: tuple[str, ...] = KEYS
    offers: dict[int, str] = field(default_factory=dict)
    agreed: str = ""
    swapped: bool | None = None
    messages: list[Heard] = field(default_factory=list)
    seen: dict[bytes, Message] = field(default_factory=dict)
    begun: bool = False

    def hear(self, piece: Piece) -> None:
        """Bytes of one end that are now in order."""
        side = piece.side
        if not self.begun:
            self.begun = True
            if looks_like_tls(piece.data):
                self.tls = TlsView()
        if self.tls is not None:
            self.tls.feed(piece.time_s, side, piece.data, piece.lost)
            return
        for parcel in self.splitters[side].feed(piece.time_s, piece.frame, piece.data, piece.lost):
            self.parcel(side, parcel)

    def parcel(self, side: int, parcel: Parcel) -> None:
        if parcel.kind == EXI:
            message = self.decoded(parcel.payload)
            if not parcel.whole:
                error = ExiError(
                    8 * len(parcel.payload), "the capture ends or has a hole in the middle of this message"
                )
                message = Message(message.protocol, message.name, message.fields, message.header, error)
        else:
            what = PAYLOAD_TYPES[parcel.kind]
            protocol = "ISO15118-20" if "-20" in what else ""
            message = Message(
                protocol, "", {}, {}, ExiError(0, f"{what} ({parcel.kind:04x}), which is not decoded here")
            )
        if message.name:
            requests_from = side if message.request else 1 - side
            self.swapped = self.swapped if self.swapped is not None else requests_from == 1
        self.messages.append(
            Heard(parcel.time_s, parcel.frame, self.number, side, message, parcel.payload, parcel.lost)
        )

    def decoded(self, payload: bytes) -> Message:
        message = self.seen.get(payload)
        if message is None:
            message = read_message(payload, self.keys)
            if len(self.seen) >= _REMEMBERED:
                self.seen.clear()
            self.seen[payload] = message
        if message.protocol == "SAP" and message.error is None:
            self._negotiated(message)
        elif message.error is None and message.name:
            key = {"DIN70121": "din", "ISO15118-2": "iso2"}[message.protocol]
            if self.keys[0] != key:
                self.keys = (key, *(k for k in KEYS if k != key))
                self.seen.clear()
            self.agreed = message.protocol
        return message

    def _negotiated(self, message: Message) -> None:
        """Which schema the messages after the handshake follow."""
        if message.request:
            at = 0
            while f"AppProtocol[{at}].SchemaID" in message.fields:
                offer = message.fields[f"AppProtocol[{at}].SchemaID"]
                self.offers[offer] = message.fields.get(f"AppProtocol[{at}].ProtocolNamespace", "")
                at += 1
            return
        namespace = self.offers.get(message.fields.get("SchemaID", -1), "")
        key = PROTOCOLS.get(namespace)
        if key and str(message.response_code).startswith("OK"):
            self.keys = (key, *(k for k in KEYS if k != key))
            self.seen.clear()
            self.agreed = {"din": "DIN70121", "iso2": "ISO15118-2"}[key]

    def finish(self) -> None:
        """What the end of the capture leaves half said."""
        for piece in self.connection.finish():
            self.hear(piece)
        for side, splitter in enumerate(self.splitters):
            for parcel in splitter.rest():
                self.parcel(side, parcel)
        self.messages.sort(key=lambda m: m.frame)
        if self.swapped:
            self.messages = [m._replace(side=1 - m.side) for m in self.messages]
