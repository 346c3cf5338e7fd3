"""The Session page and a zoom at 10 million samples, asked for over loopback from a running server."""

from __future__ import annotations

import random
import re
import shutil
import statistics
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gladwire.benchmarks.pilot import capture_files

_PORT = 8391
_ASKS = 60


@contextmanager
def serving(home: Path) -> Iterator[str]:
    """The address of a server on a fresh database."""
    shutil.rmtree(home, ignore_errors=True)
    command = [sys.executable, "-m", "gladwire.cli", "serve", "--home", str(home), "--port", str(_PORT)]
    server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert server.stdout is not None
        server.stdout.readline()
        yield f"http://localhost:{_PORT}"
    finally:
        server.terminate()
        server.wait(30)


def _get(address: str) -> tuple[float, bytes]:
    start = time.perf_counter()
    with urllib.request.urlopen(address, timeout=60) as answer:
        body = answer.read()
    return time.perf_counter() - start, body


def drop(address: str, path: Path) -> tuple[float, str]:
    """(seconds until the verdict's page answers, its address)."""
    head = f'--cut\r\nContent-Disposition: form-data; name="files"; filename="{path.name}"\r\n\r\n'
    body = head.encode() + path.read_bytes() + b"\r\n--cut--\r\n"
    headers = {"Content-Type": "multipart/form-data; boundary=cut", "Origin": address}
    request = urllib.request.Request(f"{address}/captures", body, headers)
    start = time.perf_counter()
    with urllib.request.urlopen(request, timeout=600) as answer:  # follows the redirect to the session
        page = str(answer.url)
    while b'class="verdict"' not in _get(page)[1]:
        time.sleep(0.05)
    return time.perf_counter() - start, page


def _row(name: str, seconds: list[float], baseline: float) -> str:
    ordered = sorted(seconds)
    median, late = statistics.median(ordered), ordered[int(0.95 * (len(ordered) - 1))]
    return f"| {name} | {1e3 * median:.1f} | {1e3 * late:.1f} | {median / baseline:.2f} |"


def measure(folder: Path, millions: list[int]) -> str:
    """A Markdown table: median and 95th percentile in milliseconds, and the median over that of a static file."""
    table, _ = capture_files(folder, 10)
    with serving(folder / "pages") as address:
        until_verdict, page = drop(address, table)
        found = re.search(rb"/captures/(\d+)/original", _get(page)[1])
        assert found is not None
        envelope = f"{address}/captures/{found.group(1).decode()}/envelope"
        baseline = statistics.median(_get(f"{address}/static/icon.svg")[0] for _ in range(_ASKS))
        rng = random.Random(1)
        widths = {"whole, ten seconds": 10.0, "one second": 1.0, "fifty milliseconds": 0.05, "five cycles": 0.005}
        rows = [_row("Session page", [_get(page)[0] for _ in range(_ASKS)], baseline)]
        for name, width in widths.items():
            starts = [rng.uniform(0, 10 - width) for _ in range(_ASKS)]
            asks = [f"{envelope}?from={s}&to={s + width}&columns=1200" for s in starts]
            rows.append(_row(f"Zoom, {name}", [_get(ask)[0] for ask in asks], baseline))
    head = "| at 10 million samples | median ms | 95th percentile ms | median over a static file's |\n|---|---|---|---|"
    size_mb = table.stat().st_size / 1e6
    note = f"\n\nFrom the first byte sent to the verdict's page, {size_mb:.0f} MB of CSV: {until_verdict:.1f} s."
    return "\n".join([head, *rows]) + note
