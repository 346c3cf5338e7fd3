"""One connection while it is being heard: bytes to payloads to messages, whichever protocol was agreed."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import NamedTuple

from gladwire.core.plc.exi.decoder import ExiError
from gladwire.core.plc.exi.grammar import grammar
from gladwire.core.plc.keylog import KeyLog
from gladwire.core.plc.message import Message, read_message
from gladwire.core.plc.tcp import StreamPiece, TcpConnection
from gladwire.core.plc.tls import TlsView, is_tls
from gladwire.core.plc.v2gtp import EXI, PAYLOAD_TYPES, Parcel, Splitter

# Grammars a payload of type 8001 may follow, and those of the types after it.
EARLIER: tuple[str, ...] = ("sap", "din", "iso2")
BY_KIND: dict[int, tuple[str, ...]] = {
    0x8002: ("iso20",),
    0x8003: ("iso20_ac",),
    0x8004: ("iso20_dc",),
    0x8005: ("iso20_acdp",),
    0x8006: ("iso20_wpt",),
    0x8101: ("iso20",),
    0x8102: ("iso20",),
}
# namespace said in supportedAppProtocolReq -> grammar of the messages that follow with type 8001
PROTOCOLS = {"urn:din:70121:2012:MsgDef": "din", "urn:iso:15118:2:2013:MsgDef": "iso2"}
_REMEMBERED = 4096


class CapturedMessage(NamedTuple):
    """One message of the file. side: 0 vehicle, 1 post. talk: which connection. lost: bytes missing before it."""

    time_s: float
    frame: int
    connection: int
    side: int
    message: Message
    payload: bytes
    lost: int


@dataclass(slots=True)
class OpenConnection:
    """A connection's state. keys: grammars to try, the agreed or last fitting one first."""

    number: int
    connection: TcpConnection
    splitters: tuple[Splitter, Splitter] = field(default_factory=lambda: (Splitter(), Splitter()))
    tls: TlsView | None = None
    secrets: KeyLog = field(default_factory=KeyLog)
    missed: list[int] = field(default_factory=lambda: [0, 0])
    keys: tuple[str, ...] = EARLIER
    offers: dict[int, str] = field(default_factory=dict)
    agreed: str = ""
    swapped: bool | None = None
    messages: list[CapturedMessage] = field(default_factory=list)
    seen: dict[bytes, Message] = field(default_factory=dict)
    begun: bool = False
    crumbs: list[StreamPiece] = field(default_factory=list)

    def feed(self, piece: StreamPiece) -> None:
        """Bytes of one end that are now in order."""
        side = piece.side
        if not self.begun:
            # A handshake may come in crumbs: three bytes tell what the connection is.
            self.crumbs.append(piece)
            start = b"".join(p.data for p in self.crumbs if p.side == self.crumbs[0].side)
            if len(start) < 3:
                return
            self.begun = True
            if is_tls(start):
                self.tls = TlsView(self.secrets)
            held, self.crumbs = self.crumbs, []
            for crumb in held:
                self.feed(crumb)
            return
        if self.tls is None:
            self._plain(piece, piece.data, piece.lost)
            return
        self.missed[side] += piece.lost
        for plain in self.tls.feed(piece.time_s, side, piece.data, piece.lost):
            self._plain(piece, plain, self.missed[side])
            self.missed[side] = 0

    def _plain(self, piece: StreamPiece, data: bytes, lost: int) -> None:
        for parcel in self.splitters[piece.side].feed(piece.time_s, piece.frame, data, lost):
            self.parcel(piece.side, parcel)

    def parcel(self, side: int, parcel: Parcel) -> None:
        if parcel.kind == EXI:
            message = self.decoded(parcel.payload)
        elif parcel.kind in BY_KIND:
            message = self.read(parcel.payload, BY_KIND[parcel.kind])
            self.agreed = message.protocol
        else:
            what = f"{PAYLOAD_TYPES[parcel.kind]} ({parcel.kind:04x}), which is not decoded here"
            message = Message("", "", {}, {}, ExiError(0, what))
        if not parcel.whole:
            what = "the capture ends or has a hole in the middle of this message"
            message = replace(message, error=ExiError(8 * len(parcel.payload), what))
        if message.name:
            requests_from = side if message.request else 1 - side
            self.swapped = self.swapped if self.swapped is not None else requests_from == 1
        self.messages.append(
            CapturedMessage(parcel.time_s, parcel.frame, self.number, side, message, parcel.payload, parcel.lost)
        )

    def decoded(self, payload: bytes) -> Message:
        message = self.read(payload, self.keys)
        if message.protocol == "SAP" and message.error is None:
            self._negotiated(message)
        elif message.error is None and message.name:
            self._follow(message.key)
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
            self._follow(key)
            self.agreed = grammar(key).protocol

    def _follow(self, key: str) -> None:
        """From here on this grammar is tried first."""
        if self.keys[0] != key:
            self.keys = (key, *(k for k in EARLIER if k != key))
            self.seen.clear()

    def read(self, payload: bytes, keys: tuple[str, ...]) -> Message:
        """A message, decoded once however often it is said."""
        message = self.seen.get(payload)
        if message is None:
            message = read_message(payload, keys)
            if len(self.seen) >= _REMEMBERED:
                self.seen.clear()
            self.seen[payload] = message
        return message

    def finish(self) -> None:
        """What the end of the capture leaves half said."""
        for piece in self.connection.finish():
            self.feed(piece)
        for side, splitter in enumerate(self.splitters):
            for parcel in splitter.rest():
                self.parcel(side, parcel)
        self.messages.sort(key=lambda m: m.frame)
        if self.swapped:
            self.messages = [m._replace(side=1 - m.side) for m in self.messages]
