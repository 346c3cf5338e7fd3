"""HomePlug, SLAC and TCP layers held against scapy's layers and tshark's text, and against a line that loses frames."""

from __future__ import annotations

import random
import subprocess
import warnings
from pathlib import Path
from typing import Any

import pytest

from gladwire.core.lanes.frames.measure import measure_frames
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.homeplug import read_mme
from gladwire.core.plc.packets import Datagram, Management, Other, TcpSegment, _fragment, packets
from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.simulate.plc.wire import Station
from gladwire.core.standards.homeplug_types import type_name
from gladwire.formats import pcapng

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from scapy.contrib import homepluggp as gp
    from scapy.layers.inet import TCP
    from scapy.layers.inet6 import IPv6, IPv6ExtHdrDestOpt, IPv6ExtHdrHopByHop
    from scapy.layers.l2 import Dot1Q, Ether

EV, POST = "02:a1:b2:c3:d4:e5", "02:d0:0d:00:00:42"
RUN = bytes.fromhex("0102030405060708")


def mme(layer: object, mmtype: int) -> dict[str, object]:
    """Fields we read of a layer scapy wrote."""
    data = b"\x01" + mmtype.to_bytes(2, "little") + b"\0\0" + bytes(layer)  # type: ignore[call-overload]
    return read_mme(Management(0.0, 0, bytes(6), bytes(6), data, False)).fields


def test_slac_frames_written_by_scapy_are_read_field_by_field() -> None:
    """Layouts from scapy 2.8's homepluggp contribution."""
    asked = mme(gp.CM_SLAC_PARM_REQ(RunID=RUN), 0x6064)
    assert asked == {"APPLICATION_TYPE": 0, "SECURITY_TYPE": 0, "RunID": RUN.hex().upper()}
    told = mme(gp.CM_SLAC_PARM_CNF(NumberMSounds=10, TimeOut=6, RunID=RUN), 0x6065)
    assert (told["NUM_SOUNDS"], told["Time_Out"], told["RunID"]) == (10, 6, RUN.hex().upper())
    sound = mme(gp.CM_MNBC_SOUND_IND(Countdown=7, RunID=RUN), 0x6076)
    assert (sound["Cnt"], sound["RunID"]) == (7, RUN.hex().upper())
    groups = list(range(58))
    written = [gp.HPGP_GROUP(group=g) for g in groups]
    profile = gp.CM_ATTEN_CHAR_IND(SourceAdress=EV, RunID=RUN, NumberOfSounds=9, NumberOfGroups=58, Groups=written)
    read = mme(profile, 0x606E)
    assert (read["NUM_SOUNDS"], read["NumGroups"], read["AAG"]) == (9, 58, groups)
    field = gp.SLAC_varfield_cnf(EVMAC=EV, EVSEMAC=POST, RunID=RUN, NetworkID=b"\x01" * 7, NMK=b"\x02" * 16)
    match = mme(gp.CM_SLAC_MATCH_CNF(MatchVariableFieldLen=0x56, VariableField=field), 0x607D)
    assert match["PEV_MAC"] == EV.replace(":", "").upper()
    assert match["EVSE_MAC"] == POST.replace(":", "").upper()
    assert (match["RunID"], match["NID"], match["NMK"]) == (RUN.hex().upper(), "01" * 7, "02" * 16)
    assert match["MVFLength"] == 86


def test_the_length_of_a_match_is_read_in_either_byte_order() -> None:
    """Two stacks of other makers write 3e 00 and 00 3e."""
    body = bytes(2) + b"\0\x3e" + bytes(62)
    read = read_mme(Management(0, 0, b"", b"", b"\x01\x7c\x60\0\0" + body, False))
    assert read.fields["MVFLength"] == 62
    assert read.fields["MVFLengthOrder"]


def tshark(file: Path, *fields: str) -> list[list[str]]:
    command = ["tshark", "-n", "-r", str(file), "-T", "fields", *[x for f in fields for x in ("-e", f)]]
    text = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    return [line.split("\t") for line in text.splitlines()]


@pytest.fixture(scope="module")
def matched(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, list[Frame]]:
    mine, other = Station(bytes.fromhex("02d00d000042")), Station(bytes.fromhex("02d00d000043"))
    played = play(Plan(listeners=(Listener(mine, 6.0), Listener(other, 17.0, sounds_received=8)), loop_s=2.0))
    path = tmp_path_factory.mktemp("frames") / "matched.pcapng"
    path.write_bytes(pcapng.write(played.frames, 1_780_000_000.0, "a match"))
    return path, played.frames


def test_tshark_names_every_management_frame_as_we_do(matched: tuple[Path, list[Frame]]) -> None:
    path, frames = matched
    theirs = [r for r in tshark(path, "frame.number", "homeplug_av.mmhdr.mmtype") if r[1]]
    ours = [(p.frame + 1, read_mme(p).code) for p in packets(frames) if isinstance(p, Management)]
    assert [(int(n), int(code, 16)) for n, code in theirs] == ours
    assert len(ours) > 20


def test_type_names_are_tsharks() -> None:
    """tshark -G values lists every type of the dissector; spelling of three of them is its own."""
    text = subprocess.run(["tshark", "-G", "values"], capture_output=True, text=True, check=True).stdout
    own = {
        "CC_DETECTC_REPORT": "CC_DETECT_REPORT",
        "CM_STA_INDENTIFY": "CM_STA_IDENTIFY",
        "CM_SC_CHAN_EST": "CM_CHAN_EST",
    }
    seen = 0
    for line in text.splitlines():
        kind, field, value, *name = [*line.split("\t"), "", "", ""]
        if (
            kind != "V"
            or field != "homeplug_av.mmhdr.mmtype"
            or not name[0].startswith(("CC_", "CM_", "NN_", "CP_", "PH_"))
        ):
            continue
        said = name[0].split(" ")[0].replace("IDENTIFY_CNF", "IDENTIFY.CNF").replace("INDENTIFY_CNF", "INDENTIFY.CNF")
        stem, _, end = said.partition(".")
        assert type_name(int(value, 0)) == f"{own.get(stem, stem)}.{end}"
        seen += 1
    assert seen > 100


def test_attenuation_and_addresses_are_tsharks(matched: tuple[Path, list[Frame]]) -> None:
    path, frames = matched
    fields = ("homeplug_av.mmhdr.mmtype", "eth.src", "eth.dst")
    theirs = [(src, dst) for code, src, dst in tshark(path, *fields) if code and int(code, 16) == 0x606E]
    run = measure_frames(FrameCapture(tuple(frames), "pcapng")).record.slac[0]
    assert [(p.evse_mac, run.ev_mac) for p in run.profiles] == theirs
    assert [p.sounds for p in run.profiles] == [10, 8]
    assert run.result == "matched"
    assert run.matched_mac == "02:d0:0d:00:00:42"


def test_tcp_payloads_are_tsharks(matched: tuple[Path, list[Frame]]) -> None:
    path, frames = matched
    theirs = [(int(n), bytes.fromhex(p.replace(":", ""))) for n, p in tshark(path, "frame.number", "tcp.payload") if p]
    ours = [(p.frame + 1, p.payload) for p in packets(frames) if isinstance(p, TcpSegment) and p.payload]
    assert ours == theirs
    checks = {r[0] for r in tshark(path, "_ws.expert.message") if r and "hecksum" in r[0]}
    assert not checks


def names(frames: list[Frame]) -> list[str]:
    return [m.message.name for m in measure_frames(FrameCapture(tuple(frames), "sim")).messages]


@pytest.fixture(scope="module")
def healthy() -> list[Frame]:
    return play(Plan(loop_s=3.0)).frames


def test_reordered_repeated_split_and_joined_segments_give_the_same_messages(healthy: list[Frame]) -> None:
    whole = names(healthy)
    assert whole[0] == "supportedAppProtocolReq"
    assert whole[-1] == "SessionStopRes"
    carrying = [p.frame for p in packets(healthy) if isinstance(p, TcpSegment) and p.payload]
    dice = random.Random(3)
    repeated = [f for i, f in enumerate(healthy) for _ in range(1 + (i in carrying and dice.random() < 0.3))]
    assert names(repeated) == whole
    split = [part for i, f in enumerate(healthy) for part in (_split(f, dice) if i in carrying else [f])]
    assert names(split) == whole
    swapped = list(split)
    for i in range(len(swapped) - 1):
        a, b = swapped[i], swapped[i + 1]
        if len(a.data) > 80 and len(b.data) > 80 and a.data[6:12] == b.data[6:12]:
            swapped[i], swapped[i + 1] = b._replace(time_s=a.time_s), a._replace(time_s=b.time_s)
    assert names(swapped) == whole
    record = measure_frames(FrameCapture(tuple(swapped), "sim")).record
    assert record.connections[0].lost_bytes == 0


def _split(frame: Frame, dice: random.Random) -> list[Frame]:
    """The frame as two TCP segments that overlap by some bytes."""
    packet = Ether(frame.data)
    payload = bytes(packet[TCP].payload)
    cut = dice.randrange(1, len(payload))
    over = dice.randrange(0, min(4, cut) + 1)
    parts = []
    for start, piece in ((0, payload[:cut]), (cut - over, payload[cut - over :])):
        again = Ether(frame.data)
        again[TCP].remove_payload()
        again[TCP].seq = (packet[TCP].seq + start) % 2**32
        del again[TCP].chksum, again[IPv6].plen
        parts.append(Frame(frame.time_s, bytes(again / piece)))
    return parts


def test_a_missed_segment_is_a_gap_and_no_fault(healthy: list[Frame]) -> None:
    carrying = [p.frame for p in packets(healthy) if isinstance(p, TcpSegment) and p.payload]
    for lost in carrying[4:40:5]:
        heard = measure_frames(FrameCapture(tuple(f for i, f in enumerate(healthy) if i != lost), "sim"))
        assert len(heard.messages) >= len(carrying) - 2
        assert heard.record.connections[0].lost_bytes > 0
        assert heard.messages[-1].message.name == "SessionStopRes"


def test_a_capture_that_begins_in_the_middle_finds_protocol_and_sides(healthy: list[Frame]) -> None:
    carrying = [p.frame for p in packets(healthy) if isinstance(p, TcpSegment) and p.payload]
    for start in carrying[10:30:3]:
        heard = measure_frames(FrameCapture(tuple(healthy[start:]), "sim"))
        assert {m.message.protocol for m in heard.messages} == {"ISO15118-2"}
        assert all(m.side == (0 if m.message.request else 1) for m in heard.messages)
        assert not heard.record.connections[0].opened


def test_a_replug_on_the_same_ports_is_another_connection(healthy: list[Frame]) -> None:
    end = healthy[-1].time_s + 5.0
    again = [f._replace(time_s=f.time_s + end) for f in play(Plan(loop_s=1.0, seed=2)).frames]
    record = measure_frames(FrameCapture(tuple(healthy + again), "sim")).record
    assert len(record.connections) == 2
    assert [t.exchanges[-1].stem for t in record.connections] == ["SessionStop", "SessionStop"]
    assert len(record.slac) == 2


def test_frames_seen_on_two_interfaces_count_once(healthy: list[Frame]) -> None:
    twice = [g for f in healthy for g in (f, f._replace(time_s=f.time_s + 2e-5, interface=1))]
    alone, both = (measure_frames(FrameCapture(tuple(x), "sim")).record for x in (healthy, twice))
    assert both.connections[0].repeated == 0
    assert both.slac[0].sounds_sent == alone.slac[0].sounds_sent == 10
    assert [t.count for t in both.connections[0].exchanges] == [t.count for t in alone.connections[0].exchanges]


def test_segments_the_network_card_joined_are_read_whole(healthy: list[Frame]) -> None:
    whole = names(healthy)
    joined = [
        f._replace(data=f.data[:18] + b"\0\0" + f.data[20:]) if f.data[12:14] == b"\x86\xdd" else f for f in healthy
    ]
    assert names(joined) == whole


def test_vlan_extension_headers_and_cooked_frames_are_seen_through() -> None:
    inner = IPv6(src="fe80::1", dst="fe80::2")
    plain = bytes(Ether(src=EV, dst=POST) / inner / TCP(sport=1, dport=2, seq=7, flags="PA") / b"abc")
    tagged = bytes(
        Ether(src=EV, dst=POST) / Dot1Q(vlan=3) / Dot1Q(vlan=4) / inner / TCP(sport=1, dport=2, seq=7) / b"abc"
    )
    extended = bytes(
        Ether(src=EV, dst=POST)
        / inner
        / IPv6ExtHdrHopByHop()
        / IPv6ExtHdrDestOpt()
        / TCP(sport=1, dport=2, seq=7)
        / b"abc"
    )
    cooked = b"\0\0\0\1\0\6" + bytes.fromhex("02a1b2c3d4e5") + b"\0\0\x86\xdd" + plain[14:]
    cooked_2 = b"\x86\xdd\0\0" + bytes(8) + bytes.fromhex("02a1b2c3d4e5") + b"\0\0" + plain[14:]
    frames = [Frame(0, plain), Frame(0, tagged), Frame(0, extended), Frame(0, cooked, 113), Frame(0, cooked_2, 276),
              Frame(0, plain[14:], 229), Frame(0, plain[14:], 101), Frame(0, b"\x1e\0\0\0" + plain[14:], 0)]  # fmt: skip
    found = list(packets(frames))
    assert all(isinstance(p, TcpSegment) for p in found)
    assert {(p.payload, p.src[1], p.dst[1], p.seq) for p in found if isinstance(p, TcpSegment)} == {(b"abc", 1, 2, 7)}


def test_fragments_of_ipv6_are_joined() -> None:
    whole = bytes(range(256)) * 8
    head = bytes(Ether(src=EV, dst=POST, type=0x86DD))
    udp = (
        (49152).to_bytes(2, "big") + (15118).to_bytes(2, "big") + (8 + len(whole)).to_bytes(2, "big") + b"\0\0" + whole
    )
    addresses = bytes(15) + b"\1" + bytes(15) + b"\2"
    frames = []
    for at in range(0, len(udp), 1024):
        part = udp[at : at + 1024]
        more = at + 1024 < len(udp)
        fragment = bytes([17, 0]) + (at | more).to_bytes(2, "big") + b"\0\0\0\7" + part
        ip = b"\x60\0\0\0" + len(fragment).to_bytes(2, "big") + bytes([44, 64]) + addresses
        frames.append(Frame(0, head + ip + fragment))
    dice = random.Random(1)
    dice.shuffle(frames)
    found = list(packets(frames))
    assert [p.payload for p in found if isinstance(p, Datagram)] == [whole]
    assert sum(isinstance(p, Other) for p in found) == len(frames) - 1


def test_random_bytes_are_never_more_than_another_kind_of_frame() -> None:
    dice = random.Random(5)
    frames = []
    for _ in range(3000):
        data = bytearray(dice.randbytes(dice.randrange(0, 120)))
        if len(data) > 14 and dice.random() < 0.8:
            data[12:14] = dice.choice([b"\x86\xdd", b"\x88\xe1", b"\x08\x00", b"\x81\x00"])
        frames.append(Frame(0.001 * len(frames), bytes(data), dice.choice([1, 1, 1, 113, 276, 101, 0])))
    heard = measure_frames(FrameCapture(tuple(frames), "noise"))
    assert heard.record.frames == 3000


def test_fragments_join_in_any_order_and_those_that_never_complete_cost_little() -> None:
    body = bytes(range(256)) * 20
    pieces = [(at, body[at : at + 1280], at + 1280 < len(body)) for at in range(0, len(body), 1280)]
    for order in ([0, 1, 2, 3], [3, 2, 1, 0], [2, 0, 3, 1]):
        store: dict[Any, Any] = {}
        found = [_fragment(store, (b"a", b"b", 1), pieces[n][0] >> 3, pieces[n][2], pieces[n][1]) for n in order]
        assert [f for f in found if f is not None] == [body]
        assert store == {}
    # One place again and again, and the end: size grows by no repeat, and what lacks a place is never looked through.
    store = {}
    for _ in range(3):
        assert _fragment(store, (b"a", b"b", 1), 160, True, body[:1280]) is None
    assert _fragment(store, (b"a", b"b", 1), 320, False, body[:1280]) is None
    assert store[(b"a", b"b", 1)].size == 2560
