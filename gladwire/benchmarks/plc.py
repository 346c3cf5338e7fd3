"""One-hour DC sessions of frames, open, sealed and in ISO 15118-20: the whole import against tshark's own reading, EXI
decoding alone, and memory."""

from __future__ import annotations

import json
import os
import random
import ssl
import statistics
import subprocess
import sys
import time
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from gladwire.core.plc.exi.grammar import grammar
from gladwire.core.plc.keylog import read_keylog
from gladwire.core.plc.message import read_message
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.scenarios.tls_line import Authority, Sealing, contexts

_FIRST_AT = 1_794_300_000.0
_RUNS = 3
# The Python of an environment that holds the reference codec, as scripts/exi/README.md makes it.
_REFERENCE = "GLADWIRE_REFERENCE_PYTHON"


class Hour(NamedTuple):
    """One hour of a session. grammar: of its charge loop. keys: its key log, None where it is not sealed."""

    title: str
    path: Path
    loop: str
    grammar: str
    keys: Path | None


def _hours(folder: Path) -> list[Hour]:
    """An hour of ISO 15118-2, the same sealed with TLS 1.3, and an hour of ISO 15118-20."""
    plain, encrypted, newer = (folder / f"one-hour{x}.pcapng" for x in ("", "-sealed", "-20"))
    if not plain.exists():
        plain.write_bytes(pcapng.write(play(_plan(Vehicle, Post)).frames, _FIRST_AT))
    if not newer.exists():
        newer.write_bytes(pcapng.write(play(_plan(Vehicle20, Post20)).frames, _FIRST_AT))
    _encrypted_session(encrypted, 3600.0)
    # A process that has read a sealed session has loaded what opens one.
    _encrypted_session(folder / "warm-1000.pcapng", 2.0)
    return [
        Hour("ISO 15118-2", plain, "CurrentDemand", "iso2", None),
        Hour("ISO 15118-2 sealed, TLS 1.3", encrypted, "CurrentDemand", "iso2", encrypted.with_suffix(".keys")),
        Hour("ISO 15118-20", newer, "DC_ChargeLoop", "iso20_dc", None),
    ]


def _encrypted_session(path: Path, loop_s: float) -> None:
    """Writes a sealed session and its key log beside it, once."""
    if path.exists() and path.with_suffix(".keys").exists():
        return
    post = Authority("bench", datetime.fromtimestamp(_FIRST_AT, UTC))
    sealing = Sealing(contexts(post, ssl.TLSVersion.TLSv1_3))
    plan = replace(_plan(Vehicle, Post), tls_asked=True, tls_given=True, line=sealing.line, loop_s=loop_s)
    path.write_bytes(pcapng.write(play(plan).frames, _FIRST_AT))
    path.with_suffix(".keys").write_text(sealing.keys)


def _plan(vehicle: type[Vehicle], post: type[Post]) -> Plan:
    car = vehicle(soc=5, asks_a=150.0, soc_every=200)
    return Plan(car, post(noise=random.Random(7), max_a=200.0), loop_s=3600.0, every_s=0.196, pieces=2, chatter_s=0.25)


def _payloads(hour: Hour) -> list[bytes]:
    """EXI of the charge loop, as it went over the wire."""
    from gladwire.core.lanes.frames.measure import measure_frames

    secrets = read_keylog(hour.keys.read_text()) if hour.keys else None
    measured = measure_frames(pcapng.read(Source(hour.path), Options()), secrets)
    return [m.payload for m in measured.messages if m.message.name.startswith(hour.loop)]


def _child(task: str, path: Path) -> dict[str, float]:
    command = [sys.executable, "-m", "gladwire.benchmarks.child", task, str(path)]
    answer = subprocess.run(command, capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(answer.stdout)
    return found


def _tshark(hour: Hour) -> float:
    """With the key log where there is one, so that it opens the same."""
    opens = ["-o", f"tls.keylog_file:{hour.keys}"] if hour.keys else []
    start = time.perf_counter()
    subprocess.run(
        ["tshark", "-n", *opens, "-r", str(hour.path)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True
    )
    return time.perf_counter() - start


def _decoded_per_s(payloads: list[bytes], key: str) -> float:
    """Messages a second on one core; nothing but the codec, every message decoded for itself."""
    loops = [m.type.rests for m in grammar(key).roots if m.type is not None and "Loop" in m.name]
    start = time.perf_counter()
    for payload in payloads:
        for rests in loops:  # what followed a header before is nearly the whole message
            rests.clear()
        read_message(payload, (key,))
    return len(payloads) / (time.perf_counter() - start)


def _reference_per_s(payloads: list[bytes]) -> float | None:
    python = os.environ.get(_REFERENCE)
    if not python:
        return None
    script = Path(__file__).parents[2] / "scripts" / "exi" / "time_reference.py"
    lines = "\n".join(p.hex() for p in payloads[:2000])
    answer = subprocess.run([python, str(script)], input=lines, capture_output=True, text=True, check=True)
    return float(answer.stdout)


def measure(folder: Path, millions: list[int]) -> str:
    """A Markdown table: medians of alternating runs. `millions` is of the other benches."""
    rows = ["| one hour of DC, frames to verdict | ours | baseline | ratio |", "|---|---|---|---|"]
    notes = []
    for hour in _hours(folder):
        more, note = _measured(hour)
        rows += more
        notes.append(note)
    return "\n".join(rows) + "\n\n" + " ".join(notes)


def _measured(hour: Hour) -> tuple[list[str], str]:
    """(rows of the table, what the file holds)."""
    _child("frames_ours", hour.path)
    _tshark(hour)
    ours: list[float] = []
    theirs: list[float] = []
    grown = 0.0
    for _ in range(_RUNS):
        seen = _child("frames_ours", hour.path)
        ours.append(seen["seconds"])
        grown = max(grown, seen["grown"])
        theirs.append(_tshark(hour))
    payloads = _payloads(hour)
    rate = statistics.median(_decoded_per_s(payloads, hour.grammar) for _ in range(_RUNS))
    size = hour.path.stat().st_size
    mine, other = statistics.median(ours), statistics.median(theirs)
    rows = [
        f"| {hour.title}: read, decode and judge against tshark's one-line summary, s | {mine:.2f} | {other:.2f} "
        f"| {mine / other:.2f} |",
        f"| {hour.title}: memory grown against the file, MB | {grown / 1e6:.0f} | {size / 1e6:.1f} | {grown / size:.1f} |",
    ]
    if hour.keys is None:
        row = f"| {hour.title}: charge-loop messages decoded a second, one core | {rate:,.0f} | 10,000 wanted "
        rows.append(f"{row}| {rate / 10_000:.2f} |")
    reference = _reference_per_s(payloads) if hour.grammar == "iso2" and hour.keys is None else None
    if reference:
        row = f"| the same against the reference codec | {rate:,.0f} | {reference:,.0f} | {rate / reference:.0f} |"
        rows.append(row)
    frames = len(pcapng.read(Source(hour.path), Options()).frames)
    return rows, f"{hour.title}: {frames:,} frames with {len(payloads):,} charge-loop messages, {size / 1e6:.1f} MB."
