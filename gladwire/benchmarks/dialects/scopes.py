"""A seeded factory of dialects of oscilloscopes and loggers: one known pilot with its neighbours, written as instruments and
spreadsheets write samples, by plain string formatting. What writes knows nothing of what reads; `outcome` holds the two
against each other.
"""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

# Keys of preambles. Common practice, no source.
INTERVALS = {
    "en": ("Sample Interval", "Sampling Period", "Horizontal Resolution", "Time per sample", "Delta t", "XINCR"),
    "de": ("Abtastintervall", "Abtastzeit", "Zeitschritt"),
    "fr": ("Intervalle d'échantillonnage", "Période d'échantillonnage", "Pas de temps"),
    "es": ("Intervalo de muestreo", "Periodo de muestreo"),
    "it": ("Intervallo di campionamento", "Periodo di campionamento"),
    "nl": ("Bemonsteringsinterval", "Tijdstap"),
    "pl": ("Okres próbkowania", "Krok czasowy"),
    "sv": ("Samplingsintervall",),
}
RATES = {
    "en": ("Sample Rate", "Sampling Frequency", "fs"),
    "de": ("Abtastrate", "Abtastfrequenz"),
    "fr": ("Fréquence d'échantillonnage", "Taux d'échantillonnage"),
    "es": ("Frecuencia de muestreo", "Tasa de muestreo"),
    "it": ("Frequenza di campionamento",),
    "nl": ("Bemonsteringsfrequentie",),
    "pl": ("Częstotliwość próbkowania",),
    "sv": ("Samplingsfrekvens",),
}
TIMES = {
    "en": "Time",
    "de": "Zeit",
    "fr": "Temps",
    "es": "Tiempo",
    "it": "Tempo",
    "nl": "Tijd",
    "pl": "Czas",
    "sv": "Tid",
}
COUNTS = {"en": "Sample", "de": "Abtastwert", "fr": "Échantillon", "es": "Muestra", "it": "Campione", "nl": "Monster",
          "pl": "Próbka", "sv": "Sampel"}  # fmt: skip
# Words for volts per count, for the count of nought and for the volts of it.
INCREMENTS = {
    "en": ("Vertical increment", "Y Increment", "Volts per count", "V/LSB", "Vertical gain", "Y Mult", "Scale factor"),
    "de": ("Skalierungsfaktor", "Umrechnungsfaktor", "LSB"),
    "fr": ("Facteur d'échelle",),
    "es": ("Factor de escala",),
    "it": ("Fattore di scala",),
    "nl": ("Schaalfactor",),
    "pl": ("Współczynnik skali",),
    "sv": ("Skalfaktor",),
}
REFERENCES = {
    "en": ("Y Reference", "Vertical reference", "Zero level"),
    "de": ("Nullpunkt", "Referenz"),
    "fr": ("Référence",),
    "es": ("Referencia",),
    "it": ("Riferimento",),
    "nl": ("Referentie",),
    "pl": ("Odniesienie",),
    "sv": ("Referens",),
}
ORIGINS = {
    "en": ("Y Origin", "Vertical zero", "Vertical offset"),
    "de": ("Ursprung", "Offset"),
    "fr": ("Origine", "Décalage"),
    "es": ("Origen", "Desplazamiento"),
    "it": ("Origine", "Offset"),
    "nl": ("Oorsprong", "Verschuiving"),
    "pl": ("Początek", "Przesunięcie"),
    "sv": ("Offset",),
}
# (volts per count, count of nought, volts of that count): eight bits about the middle, twelve and sixteen with a sign.
CONVERTERS = (
    (0.125, 128, 0.0),
    (0.01, 0, 0.0),
    (0.0005, 0, 0.0),
    (0.02, 2048, 0.0),
    (0.125, 100, 3.5),
    (0.01, 0, -1.0),
)
AXES = ("s", "ms", "us", "none", "count+interval", "count+rate", "interval", "rate", "iso", "date and clock", "clock")
RATE_HZ = 50_000.0


@dataclass(frozen=True)
class Known:
    """rate_hz; volts of the pilot and of proximity, shape (n,)."""

    rate_hz: float
    pilot: np.ndarray
    proximity: np.ndarray


def known_capture(rng: random.Random, slow: bool) -> Known:
    """A pilot in state A, then B, then C at 1 kHz; proximity of a plug home."""
    rate = 5_000.0 if slow else RATE_HZ
    count = 4000
    t = np.arange(count) / rate
    span = t[-1]
    level = np.where(t < 0.2 * span, 12.0, np.where(t < 0.5 * span, 9.0, 6.0))
    low = np.where(t < 0.25 * span, 12.0, -12.0)
    pilot = np.where((t * 1000.0) % 1.0 < 0.4, level, low)
    noise = np.random.default_rng(rng.randrange(2**31)).normal(0, 0.02, count)
    return Known(rate, np.round(pilot + noise, 3), np.round(np.where(t < 0.1 * span, 4.5, 1.5) + noise / 4, 3))


@dataclass
class Dialect:
    """How one file is written."""

    language: str
    axis: str
    delimiter: str
    comma: bool
    channels: int
    unit: str  # V, mV, kV, none, counts
    head: str  # one, two, units row, none
    preamble: str
    over: str
    trailing: bool
    quoted: bool
    encoding: str
    ending: str

    def __str__(self) -> str:
        return ", ".join(f"{k}={v!r}" for k, v in self.__dict__.items() if v not in ("", False))


def any_dialect(rng: random.Random) -> Dialect:
    language = rng.choice(tuple(TIMES))
    comma = language != "en" and rng.random() < 0.6
    quoted = comma and rng.random() < 0.3
    delimiter = "," if quoted else rng.choice((";", "\t") if comma else (",", ";", "\t", " "))
    return Dialect(
        language,
        rng.choice(AXES),
        delimiter,
        comma,
        rng.choice((1, 2, 2)),
        rng.choice(("V", "V", "mV", "kV", "none", "counts")),
        rng.choice(("one", "one", "two", "units row", "none")),
        rng.choice(("", "keys", "comments", "title")),
        rng.choice(("", "", "OL", ">10", "9.9E37", "inf", "---")),
        rng.random() < 0.2 and delimiter != " ",
        quoted,
        rng.choice(("utf-8", "utf-8-sig", "utf-16", "cp1252" if language != "pl" else "cp1250")),
        rng.choice(("\n", "\r\n")),
    )


def is_slow(dialect: Dialect) -> bool:
    """Whether times are told in digits too few for a fast scope."""
    return dialect.axis in ("iso", "date and clock", "clock")


def written(known: Known, dialect: Dialect, rng: random.Random) -> bytes:
    sign = "," if dialect.comma else "."
    factor = {"V": 1.0, "mV": 1e3, "kV": 1e-3}.get(dialect.unit, 1.0)
    digits = {"V": 3, "mV": 0, "kV": 6, "none": 3, "counts": 0}[dialect.unit]
    pilot, proximity = known.pilot, known.proximity
    if dialect.unit == "counts":
        per, zero, origin = converter(dialect)
        pilot, proximity = ((lane - origin) / per + zero for lane in (pilot, proximity))

    def cell(value: float, places: int) -> str:
        text = f"{value:.{places}f}".replace(".", sign)
        return f'"{text}"' if dialect.quoted else text

    columns = [[cell(v * factor, digits) for v in pilot]]
    if dialect.channels > 1:
        columns.append([cell(v * factor, digits) for v in proximity])
    if dialect.over:
        # What is marked stands in quotes where it holds the sign that splits cells.
        at = int(np.argmax(known.pilot))
        most = f"{pilot.max():.0f}" if dialect.unit == "counts" else f"{12 * factor:g}"
        mark = f">{most}".replace(".", sign) if dialect.over == ">10" else dialect.over
        columns[0][at] = f'"{mark}"' if dialect.quoted and "," in mark else mark
    axis = _axis(known, dialect, cell)
    rows = [dialect.delimiter.join(cells) + (dialect.delimiter if dialect.trailing else "") for cells in
            zip(*(c for _, _, c in axis), *columns, strict=True)]  # fmt: skip
    text = dialect.ending.join([*_head(known, dialect, [(n, u) for n, u, _ in axis], sign), *rows]) + dialect.ending
    return text.encode(dialect.encoding, errors="replace")


def _axis(known: Known, dialect: Dialect, cell) -> list[tuple[str, str, list[str]]]:  # type: ignore[no-untyped-def]
    t = np.arange(len(known.pilot)) / known.rate_hz
    name = TIMES[dialect.language]
    start = datetime(2026, 5, 14, 9, 3, 30, tzinfo=UTC)
    stamps = [start + timedelta(microseconds=round(s * 1e6)) for s in t]

    def clock(moment: datetime) -> str:
        return moment.strftime("%H:%M:%S.%f")

    match dialect.axis:
        case "s" | "none":
            return [(name, "s" if dialect.axis == "s" else "", [cell(s, 6) for s in t])]
        case "ms":
            return [(name, "ms", [cell(s * 1e3, 3) for s in t])]
        case "us":
            return [(name, rng_unit(dialect), [cell(s * 1e6, 0) for s in t])]
        case "count+interval" | "count+rate":
            return [(COUNTS[dialect.language], "", [str(n) for n in range(len(t))])]
        case "iso":
            return [(name, "", [m.strftime("%Y-%m-%dT%H:%M:%S.%f") for m in stamps])]
        case "date and clock":
            return [("Date", "", [m.strftime("%d.%m.%Y") for m in stamps]), (name, "", [clock(m) for m in stamps])]
        case "clock":
            return [(name, "", [clock(m) for m in stamps])]
    return []


def rng_unit(dialect: Dialect) -> str:
    return "µs" if dialect.encoding != "cp1250" else "us"


def _head(known: Known, dialect: Dialect, axis: list[tuple[str, str]], sign: str) -> list[str]:
    d = dialect.delimiter if dialect.delimiter != " " else ": "
    lines: list[str] = []
    if dialect.preamble == "title":
        lines += ["Oscilloscope export", ""]
    if dialect.preamble == "comments":
        lines += ["# Channel setup: 2 V/div", "# probe 10x"]
    if dialect.preamble == "keys":
        lines += [f"Model{d}Scope 4", f"Record Length{d}{len(known.pilot)}", f"Coupling{d}DC"]
    step, rate = 1.0 / known.rate_hz, known.rate_hz
    if dialect.axis in ("count+interval", "interval"):
        key = INTERVALS[dialect.language][known_hash(dialect) % len(INTERVALS[dialect.language])]
        told = f"{step * 1e6:g} µs" if known_hash(dialect) % 2 else f"{step:.2E}".replace(".", sign)
        lines.append(f'{key}{d}"{told}"' if dialect.quoted else f"{key}{d}{told}")
    if dialect.axis in ("count+rate", "rate"):
        key = RATES[dialect.language][known_hash(dialect) % len(RATES[dialect.language])]
        lines.append(
            f"{key}{d}{f'{rate / 1e3:g}'.replace('.', sign)} kHz" if known_hash(dialect) % 2 else f"{key}{d}{rate:g} Hz"
        )
    if dialect.unit == "counts":
        lines += _converter_lines(dialect, sign, d)
    unit = {"none": "", "counts": ("", "counts", "ADC")[known_hash(dialect) % 3]}.get(dialect.unit, dialect.unit)
    names = [*axis, ("CH1", unit), *([("CH2", unit)] if dialect.channels > 1 else [])]
    d = dialect.delimiter
    if dialect.head == "one":
        lines.append(d.join(f"{n} ({u})" if u else n for n, u in names))
    if dialect.head in ("two", "units row"):
        lines.append(d.join(n for n, _ in names))
        lines.append(
            d.join(f"({u})" if u else "" for _, u in names) if d != " " else d.join(u or "-" for _, u in names)
        )
    return lines


def converter(dialect: Dialect) -> tuple[float, float, float]:
    """(volts per count, count of nought, volts of that count)."""
    return CONVERTERS[known_hash(dialect) % len(CONVERTERS)]


def _converter_lines(dialect: Dialect, sign: str, d: str) -> list[str]:
    per, zero, origin = converter(dialect)
    pick = known_hash(dialect)

    def line(words: dict[str, tuple[str, ...]], value: float, unit: str) -> str:
        key = words[dialect.language][pick % len(words[dialect.language])]
        told = f"{value:g}".replace(".", sign)
        told = f'"{told}"' if dialect.quoted else told
        each = d.join([told] * dialect.channels) if pick % 2 and d != ": " else told
        return f"{key} ({unit}){d}{each}" if unit and pick % 3 else f"{key}{d}{each}"

    lines = [line(INCREMENTS, per, "V")]
    lines += [line(REFERENCES, zero, "")] if zero else []
    return lines + ([line(ORIGINS, origin, "V")] if origin else [])


def known_hash(dialect: Dialect) -> int:
    return len(str(dialect))


def outcome(known: Known, dialect: Dialect, data: bytes) -> str:
    """Nothing where it was read as written, “asked” where a sentence asks for what is not told, else what is wrong."""
    try:
        read = read_capture(Source(data))
    except UnreadableError as error:
        return "asked" if error.hint and error.line else f"refused: {error}"
    if not isinstance(read, Recording) or len(read.channels) != dialect.channels:
        return f"read as {type(read).__name__} of {len(getattr(read, 'channels', ()))}"
    if abs(read.channels[0].rate_hz / known.rate_hz - 1.0) > 0.01:
        return f"{read.channels[0].rate_hz:g} samples a second"
    unit = "" if dialect.unit == "none" else "V"
    # A sample marked as beyond the range is taken at its end, which no other sample reaches.
    near = 0.15 if dialect.over == ">10" else 0.01
    near += converter(dialect)[0] if dialect.unit == "counts" else 0.0
    for wave, right in zip(read.channels, (known.pilot, known.proximity), strict=False):
        if len(wave.samples) != len(right) or np.isfinite(wave.samples).sum() < len(right) - 1 or wave.unit != unit:
            return f"{len(wave.samples)} samples in {wave.unit}"
        away = wave.samples - right
        if wave.ends[1] is not None:
            away[np.isclose(wave.samples, wave.ends[1], rtol=1e-5)] = 0.0
        off = float(np.nanmax(np.abs(away)))
        if off > near:
            return f"off by {off:g} V"
    return ""
