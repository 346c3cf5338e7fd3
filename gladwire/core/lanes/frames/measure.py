"""Frames to a conversation: the whole walk from a capture of frames to the record that is judged."""

from __future__ import annotations

import ipaddress
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from gladwire.core.lanes.frames.chains import chains_of
from gladwire.core.lanes.frames.connection import CapturedMessage, OpenConnection
from gladwire.core.lanes.frames.folding import asked_together, exchanges, fold
from gladwire.core.lanes.frames.held_back import held_back
from gladwire.core.lanes.frames.parties import parties_of
from gladwire.core.lanes.frames.record import (
    SIDES,
    Alert,
    AskedTogether,
    Connection,
    ConnectionEnd,
    ConversationRecord,
    Discovery,
    Side,
    TlsSummary,
)
from gladwire.core.lanes.frames.series import series_of
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.homeplug import read_mme
from gladwire.core.plc.keylog import KeyLog, read_keylog
from gladwire.core.plc.packets import Datagram, Management, TcpSegment, packets
from gladwire.core.plc.slac import SlacListener, mac_text
from gladwire.core.plc.tcp import Reassembly
from gladwire.core.plc.tls_cipher import SUITES
from gladwire.core.plc.v2gtp import SDP_PORT, read_sdp
from gladwire.core.signal.waveform import Waveform

_SAME_FRAME_S = 0.01


@dataclass(frozen=True)
class FramesResult:
    """A capture as heard: the folded record, every message in order, lanes of numbers said."""

    record: ConversationRecord
    messages: tuple[CapturedMessage, ...]
    lanes: tuple[Waveform, ...]


def measure_frames(capture: FrameCapture, secrets: KeyLog | None = None) -> FramesResult:
    """Hear a capture of frames, opening what is sealed with the secrets given and those the file itself carries.

    Never raises: what cannot be read is counted and said.
    """
    assembler = _Assembler(capture, _carried(capture).with_more(secrets or KeyLog()))
    for packet in packets(_once(capture.frames)):
        if isinstance(packet, TcpSegment):
            assembler.segment(packet)
        elif isinstance(packet, Management):
            assembler.management(packet)
        elif isinstance(packet, Datagram):
            assembler.datagram(packet)
        else:
            assembler.kinds[packet.kind] += 1
    return assembler.finished()


def _carried(capture: FrameCapture) -> KeyLog:
    try:
        return read_keylog(capture.keylog)
    except ValueError:
        return KeyLog()


def _once(frames: Sequence[Frame]) -> Sequence[Frame]:
    """Frames that several interfaces of one capture saw pass are one: the later ones become empty, so that numbers stay."""
    if len({f.interface for f in frames}) < 2:
        return frames
    seen: dict[bytes, tuple[float, int]] = {}
    kept = []
    for frame in frames:
        before = seen.get(frame.data)
        twice = before and before[1] != frame.interface and frame.time_s - before[0] < _SAME_FRAME_S
        seen[frame.data] = frame.time_s, frame.interface
        kept.append(frame._replace(data=b"") if twice else frame)
    return kept


class _Assembler:
    def __init__(self, capture: FrameCapture, secrets: KeyLog) -> None:
        self.capture = capture
        self.secrets = secrets
        self.reassembly = Reassembly()
        self.open: dict[int, OpenConnection] = {}
        self.slac = SlacListener()
        self.sdp: list[Discovery] = []
        self.links: list[tuple[float, str]] = []
        self.kinds: Counter[str] = Counter()

    def segment(self, s: TcpSegment) -> None:
        stream = self.reassembly.connection_of(s)
        connection = self.open.get(id(stream))
        if connection is None:
            connection = self.open[id(stream)] = OpenConnection(len(self.open), stream, secrets=self.secrets)
            self.links.append((s.time_s, mac_text(s.src_mac)))
        for piece in stream.feed(s):
            connection.feed(piece)

    def management(self, packet: Management) -> None:
        mme = read_mme(packet)
        self.kinds[mme.name] += 1
        self.slac.add(mme)

    def datagram(self, packet: Datagram) -> None:
        found = read_sdp(packet.payload) if SDP_PORT in (packet.src[1], packet.dst[1]) else None
        if found is None:
            self.kinds[f"UDP port {min(packet.src[1], packet.dst[1])}"] += 1
            return
        self.links.append((packet.time_s, mac_text(packet.src_mac)))
        self.kinds["SDP request" if found.request else "SDP answer"] += 1
        self.sdp.append(
            Discovery(
                time_s=packet.time_s,
                request=found.request,
                address=found.address,
                port=found.port,
                tls=found.tls,
                ev_mac=mac_text(packet.src_mac) if found.request else "",
            )
        )

    def finished(self) -> FramesResult:
        frames = self.capture.frames
        end = frames[-1].time_s
        opened = list(self.open.values())
        for connection in opened:
            connection.finish()
        messages = sorted((m for t in opened for m in t.messages), key=lambda m: m.frame)
        numbers = {id(m): number for number, m in enumerate(messages)}
        pairs = [(t.number, self._connection(t, numbers)) for t in opened if self._ours(t)]
        drawn, said = _drawn(pairs, messages)
        record = ConversationRecord(
            drawn=drawn,
            start_s=frames[0].time_s,
            end_s=end,
            frames=len(frames),
            slac=self.slac.finished(self.links, end),
            sdp=tuple(self.sdp),
            connections=tuple(connection for _, connection in pairs),
            kinds=dict(self.kinds),
        )
        return FramesResult(record, tuple(messages), series_of(said, end))

    def _ours(self, t: OpenConnection) -> bool:
        """Whether a connection is one of charging: V2G messages, TLS, or an attempt at the port the post announced."""
        if t.messages or t.tls is not None:
            return True
        announced = {d.port for d in self.sdp if not d.request}
        return bool({t.connection.ends[0][1], t.connection.ends[1][1]} & announced)

    def _connection(self, t: OpenConnection, numbers: dict[int, int]) -> Connection:
        connection = t.connection
        ev, post = (1, 0) if t.swapped else (0, 1)
        protocol = t.agreed
        numbered = [(numbers[id(m)], m) for m in t.messages]
        return Connection(
            start_s=connection.start_s,
            end_s=connection.end_s,
            ev_mac=mac_text(connection.macs[ev]),
            evse_mac=mac_text(connection.macs[post]),
            ev_address=_address(connection.ends[ev][0]),
            evse_address=_address(connection.ends[post][0]),
            port=connection.ends[post][1],
            opened=connection.opened,
            answered=connection.answered or not connection.opened or bool(t.messages),
            session=_session(t, "SessionSetupRes"),
            taken_up=_session(t, "SessionSetupReq"),
            protocol=protocol,
            exchanges=fold(exchanges(numbered), protocol),
            ends=tuple(
                ConnectionEnd(
                    time_s=e.time_s, by=SIDES[e.by if ev == 0 else 1 - e.by], kind="rst" if e.kind == "rst" else "fin"
                )
                for e in connection.endings
            ),
            tls=self._tls_summary(t) if t.tls else None,
            certificate_chains=chains_of(t.tls, t.messages, bool(t.swapped), self.capture.first_at),
            clocks=_clocks(t, self.capture.first_at),
            lost_bytes=sum(h.lost for h in connection.halves),
            holes=sum(h.holes for h in connection.halves),
            repeated=sum(h.repeated for h in connection.halves),
            messages=len(t.messages),
            undecoded=sum(1 for m in t.messages if m.message.error),
            held_back=held_back(t.messages),
            together=tuple(AskedTogether(time_s=m.time_s, name=m.message.name) for m in asked_together(t.messages)),
            unacknowledged=tuple(
                SIDES[side]
                for side, half in ((0, connection.halves[ev]), (1, connection.halves[post]))
                if half.unacknowledged
            ),
        )

    def _tls_summary(self, t: OpenConnection) -> TlsSummary:
        view = t.tls
        assert view is not None
        sizes = [[n for _, side, n in view.records if side == s] for s in (0, 1)]
        times = [at for at, _, _ in view.records]
        last = view.records[-1] if view.records else None
        return TlsSummary(
            version=view.version,
            offered=view.offered,
            cipher=SUITES[view.cipher].name if view.cipher in SUITES else f"{view.cipher:04x}" if view.cipher else "",
            resumed=view.resumed,
            opening=view.opening,
            unopened=view.unopened,
            status_asked=view.status_asked,
            status_given=view.status_given,
            alerts=tuple(Alert(time_s=a.time_s, by=SIDES[a.side], name=a.name, fatal=a.fatal) for a in view.alerts),
            finished_at_s=view.finished_s,
            client_certificate_asked=view.client_asked_for_certificate,
            records=(len(sizes[0]), len(sizes[1])),
            bytes=(sum(sizes[0]), sum(sizes[1])),
            last_by=SIDES[last[1]] if last else None,
            last_at_s=last[0] if last else None,
            longest_silence_s=max((b - a for a, b in pairwise(times)), default=0.0),
        )


def _drawn(
    pairs: Sequence[tuple[int, Connection]], messages: Sequence[CapturedMessage]
) -> tuple[str, Sequence[CapturedMessage]]:
    """(the vehicle that said most, its messages) where several talk; two vehicles' numbers in one lane are nobody's."""
    parties = parties_of(connection for _, connection in pairs)
    if len(parties.names) < 2:
        return "", messages
    said = Counter[str]()
    for _, connection in pairs:
        said[parties.of(connection)] += connection.messages
    drawn = said.most_common(1)[0][0]
    theirs = {number for number, connection in pairs if parties.of(connection) == drawn}
    return drawn, [m for m in messages if m.connection in theirs]


def _session(t: OpenConnection, name: str) -> str:
    """The session identity in the header of the first message of that name; empty for none or all noughts."""
    found = next((str(m.message.header.get("SessionID", "")) for m in t.messages if m.message.name == name), "")
    return found if found.strip("0") else ""


def _clocks(t: OpenConnection, first_at: float) -> dict[Side, float]:
    """How far each side's clock is ahead of the capture's: ISO 15118-20 sends the time with every message, -2 the post's."""
    off: dict[Side, float] = {}
    for m in t.messages if first_at else ():
        told = m.message.header.get("TimeStamp", m.message.fields.get("EVSETimeStamp"))
        if told and SIDES[m.side] not in off:
            off[SIDES[m.side]] = float(told) - first_at - m.time_s
    return off


def _address(raw: bytes) -> str:
    try:
        return str(ipaddress.ip_address(raw))
    except ValueError:
        return ""
