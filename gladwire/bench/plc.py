"""A one-hour DC session of frames: the whole import against tshark's own reading, EXI decoding alone, and memory."""

from __future__ import annotations

import json
import os
import random
import statistics
import subprocess
import sys
import time
from pathlib import Path

from gladwire.core.plc.message import read_message
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options

_FIRST_AT = 1_794_300_000.0
_RUNS = 3
# The Python of an environment that holds the reference codec, as scripts/exi/README.md makes it.
_REFERENCE = "GLADWIRE_REFERENCE_PYTHON"


def _file(folder: Path) -> Path:
    path = folder / "one-hour.pcapng"
    if not path.exists():
        post = Post(noise=random.Random(7), max_a=200.0)
        plan = Plan(
            Vehicle(soc=5, asks_a=150.0, soc_every=200), post, loop_s=3600.0, every_s=0.196, pieces=2, chatter_s=0.25
        )
        path.write_bytes(pcapng.write(play(plan).frames, _FIRST_AT))
    return path


def _payloads(path: Path) -> list[bytes]:
    """EXI of the charge loop, as it went over the wire."""
    from gladwire.core.plc.listen import listen

    heard = listen(pcapng.read(Source(path), Options()))
    return [m.payload for m in heard.messages if m.message.name.startswith("CurrentDemand")]


def _child(task: str, path: Path) -> dict[str, float]:
    command = [sys.executable, "-m", "gladwire.bench.child", task, str(path)]
    answer = subprocess.run(command, capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(answer.stdout)
    return found


def _tshark(path: Path) -> float:
    start = time.perf_counter()
    subprocess.run(["tshark", "-n", "-r", str(path)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True)
    return time.perf_counter() - start


def _decoded_per_s(payloads: list[bytes]) -> float:
    """Messages a second on one core; nothing but the codec, every message decoded for itself."""
    start = time.perf_counter()
    for payload in payloads:
        read_message(payload, ("iso2",))
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
    path = _file(folder)
    _child("frames_ours", path)
    _tshark(path)
    ours: list[float] = []
    theirs: list[float] = []
    grown = 0.0
    for _ in range(_RUNS):
        seen = _child("frames_ours", path)
        ours.append(seen["seconds"])
        grown = max(grown, seen["grown"])
        theirs.append(_tshark(path))
    payloads = _payloads(path)
    rates = [_decoded_per_s(payloads) for _ in range(_RUNS)]
    reference = _reference_per_s(payloads)
    frames = len(pcapng.read(Source(path), Options()).frames)
    size = path.stat().st_size
    mine, other, rate = statistics.median(ours), statistics.median(theirs), statistics.median(rates)
    rows = [
        "| one hour of DC, frames to verdict | ours | baseline | ratio |",
        "|---|---|---|---|",
        f"| read, decode and judge against tshark's one-line summary, s | {mine:.2f} | {other:.2f} | {mine / other:.2f} |",
        f"| memory grown against the file, MB | {grown / 1e6:.0f} | {size / 1e6:.1f} | {grown / size:.1f} |",
        f"| charge-loop messages decoded a second, one core | {rate:,.0f} | 10,000 wanted | {rate / 10_000:.2f} |",
    ]
    if reference:
        row = f"| the same against the reference codec | {rate:,.0f} | {reference:,.0f} | {rate / reference:.0f} |"
        rows.append(row)
    return "\n".join(rows) + f"\n\n{frames:,} frames with {len(payloads):,} charge-loop messages, {size / 1e6:.1f} MB."
