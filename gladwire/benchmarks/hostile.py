"""Files made to break what reads them: small ones for the suite, and heavy ones for the storm."""

from __future__ import annotations

import gzip
import io
import random
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping

import numpy as np
import openpyxl

from gladwire.demo.harbour import CASES

_LARGEST_SEED = 3_000_000


def npz(**arrays: object) -> bytes:
    out = io.BytesIO()
    np.savez(out, **arrays)  # type: ignore[arg-type]
    return out.getvalue()


SAMPLES = np.where(np.arange(4000) % 100 < 27, 9.0, -12.0).astype(np.float32)


def scope(*times: str) -> bytes:
    return ("t,CP\n" + "".join(f"{t},{v}\n" for t, v in zip(times, SAMPLES, strict=False))).encode()


def power(cell: str) -> bytes:
    rows = "".join(f"{10 * n},{cell if n == 7 else 50 + n},{20 + n}\n" for n in range(30))
    return f"t (s),kW,SoC\n{rows}".encode()


def sheet(rows: Callable[[object], object]) -> bytes:
    book = openpyxl.Workbook()
    rows(book.active)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


VCD = b"$timescale 1 us $end\n$var wire %d ! bus $end\n$enddefinitions $end\n#0\nb%s !\n#100\nb0 !\n#200\n"
HOSTILE: Mapping[str, Callable[[], bytes]] = {
    "NPZ that begins at no time": lambda: npz(CP=SAMPLES, rate_hz=1e5, t0=np.nan),
    "NPZ that begins at infinity": lambda: npz(CP=SAMPLES, rate_hz=1e5, t0=np.inf),
    "NPZ at no rate": lambda: npz(CP=SAMPLES, rate_hz=np.nan),
    "NPZ at an infinite rate": lambda: npz(CP=SAMPLES, rate_hz=np.inf),
    "NPZ at rate 0": lambda: npz(CP=SAMPLES, rate_hz=0.0),
    "NPZ of infinities": lambda: npz(CP=np.full(4000, np.inf), rate_hz=1e5),
    "NPZ of objects": lambda: npz(CP=np.array([{}, []], dtype=object), rate_hz=1e5),
    "times of 1e20": lambda: scope(*(f"{1e20 + n * 1e16:.6e}" for n in range(4000))),
    "times of 1e-300": lambda: scope(*(f"{n * 1e-300:.6e}" for n in range(4000))),
    "times of 1e308": lambda: scope(*(f"{n * 4e304:.6e}" for n in range(4000))),
    "power of 1.797E+308": lambda: power("1.797E+308"),
    "power of 9.9E37": lambda: power("9.9E37"),
    "power of -9999": lambda: power("-9999"),
    "power of inf": lambda: power("inf"),
    "a date beyond the calendar": lambda: b"Time,kW,SoC\n99999-01-01 09:00:00,5,20\n99999-01-01 09:00:10,6,21\n",
    "epoch beyond the calendar": lambda: b"timestamp,kW,SoC\n1e18,5,20\n1.1e18,6,21\n1.2e18,7,22\n",
    "VCD vector of 1100 bits": lambda: VCD % (1100, b"1" * 1100),
    "VCD with a time of 1e30": lambda: VCD.replace(b"#200", b"#" + b"9" * 30) % (8, b"1"),
    "CAN FD line over-long": lambda: b"(1794300095.000000) can0 123##0" + b"AB" * 400 + b"\n" * 3,
    "CAN line of nonsense": lambda: b"(1794300095.000000) can0 123#GG\n(1e999) can0 1#00\n" * 40,
    "gzip of gzip of nothing": lambda: gzip.compress(gzip.compress(b"")),
    "gzip cut": lambda: gzip.compress(scope(*(f"{n / 1e5:.5f}" for n in range(4000))))[:-200],
    "a zip that is no workbook": lambda: _zip("xl/workbook.xml", b"<x/>"),
    "pcap with a packet of 4 GB": lambda: (
        bytes.fromhex("d4c3b2a1020004000000000000000000ffff000001000000") + b"\xff" * 40
    ),
    "pcapng with a block of 0": lambda: bytes.fromhex("0a0d0d0a000000004d3c2b1a01000000"),
    "WAV without samples": lambda: (
        b"RIFF\x24\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00\x44\xac\x00\x00\x88X\x01\x00"
        b"\x02\x00\x10\x00data\x00\x00\x00\x00"
    ),
    "BLF of nothing": lambda: b"LOGG" + b"\xff" * 200,
    "MDF of nothing": lambda: b"MDF     4.10    " + b"\xff" * 200,
    "a workbook of dates as numbers": lambda: sheet(
        lambda s: [s.append(row) for row in (["Time", "kW"], [1e300, 1], [2e300, 2], [3e300, 3])]  # type: ignore[attr-defined]
    ),
}


def _zip(name: str, content: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr(name, content)
    return out.getvalue()


def _workbook(rows: bytes, reach: bytes) -> bytes:
    """A workbook whose only sheet is these rows, written by hand so that it packs to next to nothing."""
    main = b"http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    out = io.BytesIO()
    book = openpyxl.Workbook()
    book.save(out)
    with zipfile.ZipFile(out) as old, zipfile.ZipFile(fresh := io.BytesIO(), "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            content = old.read(name)
            if name == "xl/worksheets/sheet1.xml":
                content = b'<worksheet xmlns="%s"><dimension ref="A1:%s"/><sheetData>%s</sheetData></worksheet>' % (
                    main,
                    reach,
                    rows,
                )
            new.writestr(name, content)
    return fresh.getvalue()


def _empty_cells() -> bytes:
    row = b"<row>" + b"<c/>" * 1000 + b"</row>"
    return _workbook(row * 25_000, b"ALL25000")


def _far_cells() -> bytes:
    rows = b"".join(b'<row r="%d"><c r="XFD%d"><v>1</v></c></row>' % (n, n) for n in range(1, 20_001))
    return _workbook(rows, b"XFD20000")


def _many_lines() -> bytes:
    names = b"".join(b"$var wire 1 c%d l%d $end\n" % (n, n) for n in range(300))
    changes = b"".join(
        b"#%d\n%s" % (t, b"".join(b"%dc%d\n" % (t % 2, n) for n in range(300))) for t in (0, 1, 2_000_000)
    )
    return b"$timescale 1 us $end\n" + names + b"$enddefinitions $end\n" + changes


def ethernet(payloads: Iterator[bytes], longest: int = 262_144) -> bytes:
    head = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, longest, 1)
    return head + b"".join(
        struct.pack("<IIII", 1_794_300_000 + n // 1000, n % 1000 * 1000, len(p), len(p)) + p
        for n, p in enumerate(payloads)
    )


_TO_IPV6 = bytes.fromhex("0001000000010001000000028600")[:12] + b"\x86\xdd"
_ENDS = bytes.fromhex("fe80000000000000000000000000000a") + bytes.fromhex("fe80000000000000000000000000000b")


def _fragments() -> bytes:
    """One datagram in 200,000 fragments of which none ever completes it."""

    def each() -> Iterator[bytes]:
        for n in range(200_000):
            part = struct.pack(">BBHI", 6, 0, (n % 8000) << 3 | 1, 7) + bytes(8)
            yield _TO_IPV6 + struct.pack(">IHBB", 6 << 28, len(part), 44, 255) + _ENDS + part

    return ethernet(each())


def _resynchronised() -> bytes:
    """A stream of what nearly begins a V2GTP message, over segments of 64 kB."""
    nonsense = (b"\x01\xfe\x80\x03\xff" * 12_000)[:60_000]

    def each() -> Iterator[bytes]:
        for n in range(1500):
            segment = (
                struct.pack(">HHIIBBHHH", 50_000, 61_341, 1 + n * len(nonsense), 1, 0x50, 0x18, 65_535, 0, 0) + nonsense
            )
            yield _TO_IPV6 + struct.pack(">IHBB", 6 << 28, len(segment), 6, 255) + _ENDS + segment

    return ethernet(each())


def container(size: int) -> bytes:
    """A log whose one container says that it unpacks to so many bytes, and does."""
    packed = _zeros_packed(size)
    container = struct.pack("<HHIII", 2, 0, 0, size, 0) + packed
    body = struct.pack("<4sHHII", b"LOBJ", 16, 1, 16 + len(container), 10) + container
    return struct.pack("<4sI", b"LOGG", 144) + bytes(136) + body


def _zeros_packed(size: int) -> bytes:
    """So many zeros, packed, without ever holding them."""
    pack, block = zlib.compressobj(9), bytes(2**20)
    parts = [pack.compress(block) for _ in range(size // 2**20)]
    return b"".join([*parts, pack.compress(bytes(size % 2**20)), pack.flush()])


def _dump_of_gigabytes() -> bytes:
    pack, block = io.BytesIO(), b"(1794300095.000000) can0 123#00\n" * 32_768
    with gzip.GzipFile(fileobj=pack, mode="wb", compresslevel=9) as out:
        for _ in range(3000):
            out.write(block)
    return pack.getvalue()


# What took one process or another down once, or could.
HEAVY: Mapping[str, Callable[[], bytes]] = {
    "huge signal.dbc": lambda: b'VERSION ""\nBU_: V\nBO_ 256 M: 8 V\n SG_ S : 0|2000000000@1+ (1,0) [0|1] "V" V\n',
    "empty cells.xlsx": _empty_cells,
    "far cells.xlsx": _far_cells,
    "dump of gigabytes.log.gz": _dump_of_gigabytes,
    "zeros.csv.gz": lambda: gzip.compress(bytes(2**28)),
    "many lines.vcd": _many_lines,
    "fragments.pcap": _fragments,
    "resynchronised.pcap": _resynchronised,
    "container.blf": lambda: container(2**30),
    "one long line.csv": lambda: b"t,CP\n" + b"1," * 30_000_000,
    "many columns.csv": lambda: b"\n".join(
        [b"t," + b",".join(b"c%d" % n for n in range(20_000))] + [b"1," * 20_001] * 40
    ),
    "deep.npz": lambda: npz(CP=np.zeros((50, 50, 50, 5)), rate_hz=1e5),
    "many keys.txt": lambda: b"".join(b"CLIENT_RANDOM %064x %096x\n" % (n, n) for n in range(49_000)),
}


_ODD_WORDS = (b"\xff\xff\xff\xff", b"\xff\xff\xff\x7f", bytes(4), b"1e99", b"-999", b";;\n\n")


def damaged(rng: random.Random) -> Iterator[tuple[str, bytes]]:
    """(name, bytes) without end: files of the demo with bytes turned, cut out, doubled, or put together from two."""
    made = [(file.name, content) for case in CASES for session in case.sessions for file in session.files
            if len(content := file.content()) <= _LARGEST_SEED]  # fmt: skip
    made += [(f"{name}.{n}", maker()) for n, (name, maker) in enumerate(HOSTILE.items())]
    number = 0
    while True:
        number += 1
        name, content = rng.choice(made)
        yield f"{number} {name}", _turned(bytearray(content), rng, made)


def _turned(content: bytearray, rng: random.Random, made: list[tuple[str, bytes]]) -> bytes:
    # Heads say most: half of the damage is done there.
    within = len(content) if rng.random() < 0.5 else min(len(content), 400)
    for _ in range(rng.choice((1, 1, 3, 30))):
        if not content:
            break
        at, length = rng.randrange(max(within, 1)), rng.choice((1, 2, 8, 200))
        match rng.randrange(6):
            case 0:
                content[at : at + length] = rng.randbytes(length)
            case 1:
                del content[at : at + length * rng.choice((1, 100))]
            case 2:
                content[at:at] = content[at : at + length * 10] * rng.choice((1, 20))
            case 3:
                content[at : at + 4] = rng.choice(
                    (b"\xff\xff\xff\xff", b"\xff\xff\xff\x7f", bytes(4), b"1e99", b"-999", b";;\n\n")
                )
            case 4:
                del content[rng.randrange(len(content)) :]
            case 5:
                content[at:] = rng.choice(made)[1][rng.randrange(200) :]
    return bytes(content)
