"""A session of six lanes of 5 million samples each, in a real browser, against one lane."""

from __future__ import annotations

import statistics
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import polars as pl

from gladwire.benchmarks.pages import drop, serving
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.lock_motor import LockScript, latch_volts
from gladwire.core.simulate.mains import mains
from gladwire.core.simulate.script import PilotScript, Scope

_CHROMIUM = "/usr/bin/chromium"
_RATE_HZ, _SAMPLES = 250e3, 5_000_000
_LOADS, _ZOOMS = 5, 12
_PAINTED = "() => gwLanes.shown().every(lane => lane.host.dataset.ready)"


class Seen(NamedTuple):
    """Seconds, but for weight_kb: what the browser fetched for the first picture, unpacked."""

    import_s: float
    paint_s: float
    zoom_s: float
    weight_kb: float


def _files(folder: Path) -> tuple[Path, Path]:
    """(six channels, the pilot alone) as CSV, made once and kept."""
    six, one = folder / "six-lanes.csv", folder / "one-lane.csv"
    if six.exists() and one.exists():
        return six, one
    circuit, hz, seconds = PilotCircuit(), 999.4, _SAMPLES / _RATE_HZ
    script = PilotScript().circuit(circuit, "none", 1000).circuit(circuit, "waiting", 1500)
    script.circuit(circuit, "waiting", 1000, 26.7, hz).circuit(circuit, "asking", 14_500, 26.7, hz)
    pilot = script.circuit(circuit, "waiting", 2500, 26.7, hz).record(_RATE_HZ, Scope(noise_v=0.08, bits=10), 1)
    current, position = LockScript().drive(1.6).drive(19.0, way=-1).record(seconds, _RATE_HZ, 1)
    latch = latch_volts([("absent", 0.9), ("latched", seconds)], _RATE_HZ, 1)
    volts, amps = mains([(4.0, 230.0), (18.1, 0.0)], [(5.0, 15.6), (17.9, 0.0)], seconds, _RATE_HZ, seed=1)
    columns = {
        "CP (V)": pilot, "PP (V)": latch, "Lock current (A)": current, "Lock position (V)": position,
        "U L1 (V)": volts, "I L1 (A)": amps,
    }  # fmt: skip
    times = np.round(np.arange(_SAMPLES) / _RATE_HZ, 7)
    rounded = {name: np.round(w.samples[:_SAMPLES].astype(np.float64), 3) for name, w in columns.items()}
    pl.DataFrame({"Time (s)": times, **rounded}).write_csv(six)
    pl.DataFrame({"Time (s)": times, "CP (V)": rounded["CP (V)"]}).write_csv(one)
    return six, one


def measure(folder: Path, millions: list[int]) -> str:
    """A Markdown table: medians, and six lanes over one. `millions` is of the other benches."""
    from playwright.sync_api import sync_playwright  # brought by the tests' packages

    six, one = _files(folder)
    flags = ["--no-sandbox", "--disable-background-networking", "--disable-gpu"]
    with serving(folder / "session") as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=_CHROMIUM, args=flags)
        alone = _seen(browser, address, one)
        many = _seen(browser, address, six)
        browser.close()
    rows = [
        ("import, from the first byte sent to the verdict, s", alone.import_s, many.import_s, 2),
        ("first paint, from opening the page to every lane drawn, s", alone.paint_s, many.paint_s, 3),
        ("zoom, from the key to every lane drawn anew, s", alone.zoom_s, many.zoom_s, 3),
        ("page weight with its samples, kB", alone.weight_kb, many.weight_kb, 0),
    ]
    lines = ["| 5 million samples a lane | one lane | six lanes | ratio |", "|---|---|---|---|"]
    lines += [f"| {name} | {a:.{d}f} | {b:.{d}f} | {b / a:.2f} |" for name, a, b, d in rows]
    sizes = [path.stat().st_size / 1e6 for path in (one, six)]
    return "\n".join(lines) + f"\n\nThe files are {sizes[0]:.0f} and {sizes[1]:.0f} MB of CSV."


def _seen(browser: Any, address: str, path: Path) -> Seen:
    import_s, page_address = drop(address, path)
    paints: list[float] = []
    zooms: list[float] = []
    weight = 0.0
    for _ in range(_LOADS):
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.goto(page_address)
        page.wait_for_function(_PAINTED)
        paints.append(float(page.evaluate("performance.now()")) / 1e3)
        weight = float(page.evaluate(_WEIGHT)) / 1e3
        if not zooms:
            zooms = [float(page.evaluate(_ZOOM, n % 4 < 2)) / 1e3 for n in range(_ZOOMS)]
        page.context.close()
    return Seen(import_s, statistics.median(paints), statistics.median(zooms), weight)


_WEIGHT = """() => [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')]
  .reduce((sum, entry) => sum + entry.decodedBodySize, 0)"""
_ZOOM = """closer => new Promise(done => {
  const lanes = gwLanes.shown(), start = performance.now();
  lanes.forEach(lane => { lane.host.dataset.ready = ''; });
  document.querySelector(closer ? '[data-do=in]' : '[data-do=out]').click();
  (function look() {
    if (lanes.every(lane => lane.host.dataset.ready)) done(performance.now() - start); else requestAnimationFrame(look);
  })();
})"""
