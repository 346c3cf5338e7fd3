"""Draw how each cause looks that the simulator can play: writes gladwire/web/static/causes/CODE.svg.

    python scripts/docs/draw_causes.py [CODE...]

Lanes as sampled, a bus by what changes most, a conversation by its last turns, power by its curve; the finding that tells it
marked. Run it after adding a play; a test says which drawings are missing.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from html import escape
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT))

from gladwire.benchmarks.blind.plays import Play, plays  # noqa: E402
from gladwire.core.diagnosis.causes import BY_CODE  # noqa: E402
from gladwire.core.findings import Finding  # noqa: E402
from gladwire.core.lanes.bus.record import CanRecord  # noqa: E402
from gladwire.core.lanes.frames.plain import speak  # noqa: E402
from gladwire.core.lanes.frames.record import ConversationRecord  # noqa: E402
from gladwire.core.lanes.power.report import PowerReport  # noqa: E402
from gladwire.core.rulebook import BY_CODE as RULES  # noqa: E402
from gladwire.core.session.session import judge_alone  # noqa: E402
from gladwire.core.signal.waveform import Waveform  # noqa: E402

OUT = ROOT / "gladwire/web/static/causes"
SEEDS = (1, 2, 3)
WIDTH, LEFT, ROW, COLUMNS, MOST_LANES, MOST_TURNS, MOST_WORDS = 720, 92, 62, 220, 5, 9, 80
LEAST_SPAN = 2.0
HUES = {"V": "volts", "A": "amps", "kW": "power"}


def columns_of(wave: Waveform) -> tuple[np.ndarray, np.ndarray]:
    """Least and most of each column."""
    parts = np.array_split(np.nan_to_num(wave.samples), min(COLUMNS, len(wave.samples)))
    return np.array([p.min() for p in parts]), np.array([p.max() for p in parts])


def path(xs: np.ndarray, ys: np.ndarray) -> str:
    return "M" + " ".join(f"{x:.0f},{y:.1f}" for x, y in zip(xs, ys, strict=True))


def row(top: float, name: str, unit: str, least: np.ndarray, most: np.ndarray) -> Iterator[str]:
    """One lane as a band between its least and most."""
    low, high = float(least.min()), float(most.max())
    # What only rustles is drawn as a line.
    if high - low < LEAST_SPAN:
        low, high = min(low, 0.0), max(high, min(low, 0.0) + LEAST_SPAN)
    span = high - low
    xs = np.linspace(LEFT, WIDTH - 4, len(least))
    upper, lower = (top + 6 + (ROW - 14) * (1 - (v - low) / span) for v in (most, least))
    band = path(np.concatenate([xs, xs[::-1]]), np.concatenate([upper, lower[::-1] + 0.8]))
    hue = HUES.get(unit, "plum")
    yield f'<path d="{band}Z" style="fill:var(--gw-{hue});stroke:var(--gw-{hue});stroke-width:1"/>'
    yield text(LEFT - 6, top + 14, f"{written(high)} {unit}", "end")
    yield text(LEFT - 6, top + ROW - 8, f"{written(low)} {unit}", "end")
    yield text(4, top + ROW / 2 + 3, escape(name[:13]), "start")


def written(value: float) -> str:
    """To a tenth, as a reading of the drawing would be; no negative nought."""
    return f"{round(value, 1 if abs(value) < 100 else 0) + 0.0:g}".replace("-", "\u2212")


def text(x: float, y: float, words: str, anchor: str, hue: str = "ink-soft") -> str:
    return f'<text x="{x:.0f}" y="{y:.0f}" text-anchor="{anchor}" style="fill:var(--gw-{hue})">{words}</text>'


def sampled(waves: Sequence[Waveform], telling: Finding | None) -> tuple[float, list[str]]:
    drawn, top = [], 0.0
    for wave in sorted(waves, key=lambda w: (w.name != "CP", w.unit != "V", w.name))[:MOST_LANES]:
        drawn += row(top, wave.name, wave.unit, *columns_of(wave))
        top += ROW
    first = waves[0]
    return marked(drawn, top, first.start_s, first.duration_s, telling)


def marked(
    drawn: list[str], height: float, start_s: float, lasts_s: float, telling: Finding | None
) -> tuple[float, list[str]]:
    """The clock below, and the moment of the finding that tells the cause."""
    drawn.append(text(LEFT, height + 12, f"{start_s:.0f} s", "start"))
    drawn.append(text(WIDTH - 4, height + 12, f"{start_s + lasts_s:.1f} s", "end"))
    if telling:
        x = LEFT + (WIDTH - 4 - LEFT) * min(max((telling.start_s - start_s) / lasts_s, 0.0), 1.0)
        drawn.append(
            f'<path d="M{x:.0f},0V{height:.0f}" style="stroke:var(--gw-failed);stroke-dasharray:4 3;fill:none"/>'
        )
        words = escape(RULES[telling.code].answers)
        anchor = "start" if x < WIDTH / 2 else "end"
        drawn.append(text(x, height + 26, f"{telling.start_s:.2f} s: {words}", anchor, "failed"))
    return height + 32, drawn


def of_bus(record: CanRecord, telling: Finding | None) -> tuple[float, list[str]]:
    moving = sorted(
        (c for c in record.courses if len(c.values) > 1), key=lambda c: (c.unit not in HUES, -len(c.values))
    )
    drawn, top = [], 0.0
    start, end = record.start_s, record.end_s
    for course in moving[:MOST_LANES]:
        at = np.linspace(start, end, COLUMNS)
        held = np.asarray(course.values)[np.clip(np.searchsorted(course.moves, at, side="right") - 1, 0, None)]
        drawn += row(top, course.role.replace("_", " "), course.unit, held, held)
        top += ROW
    return marked(drawn, top, start, end - start, telling)


def of_talk(record: ConversationRecord, telling: Finding | None) -> tuple[float, list[str]]:
    turns: list[tuple[float, str, str]] = []
    for run in record.slac:
        turns.append((run.start_s, "Matching", f"{run.result.replace('_', ' ')}"))
    for connection in record.connections:
        for exchange in connection.exchanges:
            said = speak(exchange)
            often = f" \u00d7{exchange.count}" if exchange.count > 1 else ""
            turns.append((exchange.start_s, f"{exchange.stem}{often}", f"{said.ev} \u00b7 {said.evse or 'no answer'}"))
    drawn = []
    for number, (at, title, words) in enumerate(sorted(turns)[-MOST_TURNS:]):
        y = 16 + 20 * number
        drawn += [text(52, y, f"{at:.2f} s", "end"), text(64, y, escape(title[:28]), "start", "ink")]
        short = words if len(words) <= MOST_WORDS else words[: MOST_WORDS - 1] + "\u2026"
        drawn.append(text(236, y, escape(short), "start"))
    height = 20 * min(len(turns), MOST_TURNS) + 12
    if telling:
        words = escape(RULES[telling.code].answers)
        drawn.append(text(64, height + 10, f"{telling.start_s:.2f} s: {words}", "start", "failed"))
    return height + 20, drawn


def of_power(report: PowerReport, telling: Finding | None) -> tuple[float, list[str]]:
    read = [(t, p) for t, p in zip(report.curve.since_start_s, report.curve.power_kw, strict=True) if p is not None]
    kw = np.array([p for _, p in read])
    return marked(list(row(0, "Power", "kW", kw, kw)), ROW, read[0][0], read[-1][0] - read[0][0], telling)


def drawing(play: Play, telling: Finding | None) -> str | None:
    records = play.measured.records
    talk, can, power = (records.first(kind) for kind in (ConversationRecord, CanRecord, PowerReport))
    if play.recording:
        height, parts = sampled(play.recording.channels, telling)
    elif talk:
        height, parts = of_talk(talk, telling)
    elif can and any(len(c.values) > 1 for c in can.courses):
        height, parts = of_bus(can, telling)
    elif power and power.curve.power_kw:
        height, parts = of_power(power, telling)
    else:
        return None
    words = f"{escape(BY_CODE[play.cause].title)}, as the simulator plays it"
    head = f'<svg viewBox="0 0 {WIDTH} {height:.0f}" class="looks" role="img" aria-label="{words}">'
    return "\n".join([head, *parts, "</svg>", ""])


def main(wanted: Sequence[str]) -> None:
    OUT.mkdir(exist_ok=True)
    done: set[str] = set()
    for seed in SEEDS:
        for play in plays(1, seed):
            if play.cause in done or (wanted and play.cause not in wanted) or play.name.endswith((" late", " early")):
                continue
            told = judge_alone(play.measured)
            if not told.causes or told.causes[0].code != play.cause:
                continue
            signs = BY_CODE[play.cause].speaks_for
            telling = max((f for f in told.findings if f.code in signs), key=lambda f: signs[f.code], default=None)
            if drawn := drawing(play, telling if telling and telling.severity != "normal" else None):
                (OUT / f"{play.cause}.svg").write_text(drawn)
                done.add(play.cause)
    print(len(done), sorted(set(BY_CODE) - done))


if __name__ == "__main__":
    main(sys.argv[1:])
