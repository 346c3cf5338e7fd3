"""A seeded factory of dialects: one known record, written as people's instruments and spreadsheets write it, by the standard
library, openpyxl and plain string formatting. What writes knows nothing of what reads; `outcome` holds the two against each
other.
"""

from __future__ import annotations

import csv
import io
import random
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import numpy as np
import openpyxl

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

# Names as makers and people write them: common practice, no source.
NAMES: dict[str, dict[str, tuple[str, ...]]] = {
    "en": {"time": ("Time", "Timestamp", "Elapsed time"), "date": ("Date",), "kw": ("Power", "Charging power", "DC power"),
           "v": ("Voltage", "Output voltage"), "a": ("Current", "Output current"),
           "soc": ("SoC", "State of charge", "Battery"),
           "kwh": ("Energy", "Energy delivered"), "c": ("Battery temperature",), "note": ("Remarks",)},
    "de": {"time": ("Zeit", "Uhrzeit", "Zeitstempel"), "date": ("Datum",), "kw": ("Leistung", "Ladeleistung"),
           "v": ("Spannung", "Ladespannung"), "a": ("Strom", "Ladestrom"), "soc": ("Ladestand", "Ladezustand", "Akkustand"),
           "kwh": ("Energie", "Geladene Energie"), "c": ("Batterietemperatur",), "note": ("Bemerkung",)},
    "fr": {"time": ("Heure", "Temps", "Horodatage"), "date": ("Date",), "kw": ("Puissance", "Puissance de charge"),
           "v": ("Tension",), "a": ("Courant", "Intensité"), "soc": ("État de charge", "Charge batterie"),
           "kwh": ("Énergie", "Énergie délivrée"), "c": ("Température batterie",), "note": ("Remarques",)},
    "nl": {"time": ("Tijd", "Tijdstip"), "date": ("Datum",), "kw": ("Vermogen", "Laadvermogen"), "v": ("Spanning",),
           "a": ("Stroom", "Laadstroom"), "soc": ("Laadtoestand", "Accuniveau"), "kwh": ("Energie", "Geladen energie"),
           "c": ("Accutemperatuur",), "note": ("Opmerking",)},
    "da": {"time": ("Tid", "Tidspunkt", "Klokkeslæt"), "date": ("Dato",), "kw": ("Effekt", "Ladeeffekt"), "v": ("Spænding",),
           "a": ("Strøm", "Ladestrøm"), "soc": ("Ladetilstand", "Batteriniveau"), "kwh": ("Energi", "Ladet energi"),
           "c": ("Batteritemperatur",), "note": ("Bemærkning",)},
    "no": {"time": ("Tid", "Klokkeslett"), "date": ("Dato",), "kw": ("Effekt", "Ladeeffekt"), "v": ("Spenning",),
           "a": ("Strøm", "Ladestrøm"), "soc": ("Ladenivå", "Batterinivå"), "kwh": ("Energi", "Levert energi"),
           "c": ("Batteritemperatur",), "note": ("Merknad",)},
    "sv": {"time": ("Tid", "Klockslag", "Tidpunkt"), "date": ("Datum",), "kw": ("Effekt", "Laddeffekt"), "v": ("Spänning",),
           "a": ("Ström", "Laddström"), "soc": ("Laddningsnivå", "Batterinivå"), "kwh": ("Energi", "Laddad energi"),
           "c": ("Batteritemperatur",), "note": ("Anmärkning",)},
    "es": {"time": ("Hora", "Tiempo"), "date": ("Fecha",), "kw": ("Potencia", "Potencia de carga"),
           "v": ("Tensión", "Voltaje"),
           "a": ("Corriente", "Intensidad"), "soc": ("Estado de carga", "Batería"), "kwh": ("Energía", "Energía entregada"),
           "c": ("Temperatura batería",), "note": ("Observaciones",)},
    "pt": {"time": ("Hora", "Tempo"), "date": ("Data",), "kw": ("Potência", "Potência de carga"), "v": ("Tensão",),
           "a": ("Corrente",), "soc": ("Estado de carga", "Bateria"), "kwh": ("Energia", "Energia fornecida"),
           "c": ("Temperatura da bateria",), "note": ("Observações",)},
    "it": {"time": ("Ora", "Tempo", "Orario"), "date": ("Data",), "kw": ("Potenza", "Potenza di ricarica"),
           "v": ("Tensione",),
           "a": ("Corrente",), "soc": ("Stato di carica", "Batteria"), "kwh": ("Energia", "Energia erogata"),
           "c": ("Temperatura batteria",), "note": ("Note",)},
    "pl": {"time": ("Czas", "Godzina"), "date": ("Data",), "kw": ("Moc", "Moc ładowania"), "v": ("Napięcie",),
           "a": ("Prąd", "Prąd ładowania"), "soc": ("Stan naładowania", "Poziom baterii"),
           "kwh": ("Energia", "Energia pobrana"),
           "c": ("Temperatura baterii",), "note": ("Uwagi",)},
    # Words of no language the reader was told of: what remains is the unit and how the column behaves.
    "xx": {"time": ("Zorp", "Quind"), "date": ("Velk",), "kw": ("Blarn",), "v": ("Trosk",), "a": ("Mipple",),
           "soc": ("Hurgle",),
           "kwh": ("Plonk",), "c": ("Wizzet",), "note": ("Drabble",)},
}  # fmt: skip
UNITS = {"kw": ("kW", 1.0), "w": ("W", 1000.0), "v": ("V", 1.0), "a": ("A", 1.0), "soc": ("%", 1.0), "kwh": ("kWh", 1.0),
         "wh": ("Wh", 1000.0), "c": ("°C", 1.0)}  # fmt: skip
QUANTITY = {"kw": "power_kw", "w": "power_kw", "v": "volts_v", "a": "amps_a", "soc": "soc_percent", "kwh": "energy_kwh",
            "wh": "energy_kwh", "c": "pack_c"}  # fmt: skip
SETS = (("kw", "soc"), ("soc", "kw", "v", "a"), ("v", "a"), ("v", "a", "soc"), ("w", "soc"), ("w",), ("kw",), ("kwh",),
        ("kwh", "soc"), ("kw", "kwh", "soc"), ("v", "a", "kw", "soc", "kwh", "c"), ("kw", "wh", "c"),
         ("a", "v", "kw"))  # fmt: skip
TIMES = ("s", "min", "h", "m:s", "h:m:s", "clock", "clock no seconds", "am", "iso", "iso T", "iso Z", "d.m.y",
         "d/m/y", "m/d/y",
         "d-m-y", "two columns", "two columns, time first", "epoch", "epoch ms", "serial", "y/m/d",
         "no seconds d.m.y")  # fmt: skip


@dataclass(frozen=True)
class Known:
    """What was written: seconds from the first reading, and each quantity in its usual unit; shape (n,)."""

    time_s: np.ndarray
    values: dict[str, np.ndarray]


def known_record(rng: random.Random, step_s: float = 30.0) -> Known:
    """A DC session: a ramp, a level, a taper, an end; energy is the sum of power and charge creeps with it."""
    count = rng.randrange(40, 90)
    time_s = step_s * np.arange(count)
    top, pack = rng.choice((22.0, 48.0, 90.0, 145.0)), rng.choice((30.0, 60.0, 77.0))
    shape = np.clip(np.arange(count) / 3, 0, 1) * np.clip((count - np.arange(count)) / (0.5 * count), 0.25, 1)
    noise = np.random.default_rng(rng.randrange(2**31)).normal(0, 0.004, count)
    kw = np.round(top * shape * (1 + noise), 2)
    kw[0] = 0.0
    energy = np.concatenate([[0.0], np.cumsum((kw[1:] + kw[:-1]) / 2 * step_s / 3600)])
    soc = np.floor(np.minimum(rng.randrange(8, 40) + 100 * energy / pack * 0.93, 100))
    volts = np.round(355 + 0.5 * (soc - soc[0]) + 6 * kw / top, 1)
    amps = np.round(1000 * kw / volts, 2)
    return Known(
        time_s,
        {
            "power_kw": kw,
            "volts_v": volts,
            "amps_a": amps,
            "soc_percent": soc,
            "energy_kwh": np.round(energy, 3),
            "pack_c": np.round(18 + 9 * np.arange(count) / count, 1),
        },
    )


@dataclass
class Dialect:
    """How one table is written."""

    language: str
    columns: tuple[str, ...]
    time: str
    delimiter: str = ","
    comma: bool = False
    units: str = "brackets"  # brackets, parentheses, slash, row, suffix, cells, none
    footer: str = ""
    preamble: str = ""
    encoding: str = "utf-8"
    thousands: str = ""
    missing: str = ""
    trailing: bool = False
    numbered: bool = False
    time_at: str = "first"
    note: bool = False
    negative: bool = False
    workbook: bool = False
    names: dict[str, str] = field(default_factory=dict)

    def __str__(self) -> str:
        told = {k: v for k, v in self.__dict__.items() if v not in ("", False) and k != "names"}
        return ", ".join(f"{k}={v!r}" for k, v in told.items())


def any_dialect(rng: random.Random, languages: Sequence[str] = tuple(NAMES)) -> Dialect:
    language = rng.choice(languages)
    comma = language not in ("en", "xx") and rng.random() < 0.7
    delimiter = rng.choice((";", "\t", "|", ",") if comma else (",", ",", ";", "\t", "|"))
    units = rng.choice(("brackets", "parentheses", "slash", "row", "suffix", "cells", "none"))
    if language == "xx" and units == "none":
        units = "brackets"
    # Where a temperature was taken is told by words alone.
    sets = [s for s in SETS if language != "xx" or "c" not in s]
    made = Dialect(language, rng.choice(sets), rng.choice(TIMES), delimiter, comma, units)
    made.footer = rng.choice(("", "", "average", "total", "note", "blank"))
    made.preamble = rng.choice(("", "", "title", "keys", "comments"))
    made.encoding = rng.choice(("utf-8", "utf-8", "utf-8-sig", "utf-16", "cp1252" if language != "pl" else "cp1250"))
    made.thousands = rng.choice(("", "", "", ".", " ", "'")) if comma else rng.choice(("", "", "", ","))
    made.missing = rng.choice(("", "", "-", "n/a", "---", "NaN"))
    made.trailing = rng.random() < 0.15
    made.numbered = rng.random() < 0.15
    made.time_at = rng.choice(("first", "first", "first", "last", "middle"))
    made.note = rng.random() < 0.2
    made.negative = rng.random() < 0.1
    made.workbook = rng.random() < 0.15
    made.names = {key: rng.choice(words) for key, words in NAMES[language].items()}
    return made


def written(known: Known, dialect: Dialect, rng: random.Random) -> bytes:
    rows, head = _rows(known, dialect, rng)
    if dialect.workbook:
        book = openpyxl.Workbook()
        sheet = book.active
        assert sheet is not None
        for row in (*head, *rows):
            sheet.append([None if cell == "" else cell for cell in row])
        out = io.BytesIO()
        book.save(out)
        return out.getvalue()
    text = io.StringIO()
    writer = csv.writer(text, delimiter=dialect.delimiter, lineterminator=rng.choice(("\n", "\r\n")))
    for row in (*head, *rows):
        writer.writerow([*row, ""] if dialect.trailing and len(row) > 1 else row)
    return text.getvalue().encode(dialect.encoding, errors="replace")


def _rows(known: Known, dialect: Dialect, rng: random.Random) -> tuple[list[list[object]], list[list[object]]]:
    """(rows of readings and footer, rows above them)."""
    times = _time_columns(known.time_s, dialect, rng)
    columns: list[tuple[str, str, list[object]]] = []
    for key in dialect.columns:
        unit, factor = UNITS[key]
        values = known.values[QUANTITY[key]] * factor
        if dialect.negative and key in ("kw", "w", "a"):
            values = -values
        digits = {"w": 0, "soc": 0, "kwh": 3, "wh": 0, "kw": 2, "a": 2}.get(key, 1)
        columns.append(
            (dialect.names[{"w": "kw", "wh": "kwh"}.get(key, key)], unit, [_cell(v, digits, dialect) for v in values])
        )
    if dialect.missing and len(columns) > 1:
        for at in rng.sample(range(2, len(known.time_s) - 2), 4):
            columns[-1][2][at] = dialect.missing
    if dialect.units == "cells":
        columns = [
            (n, u, [f"{c} {u}" if c not in ("", dialect.missing) else c for c in cells]) for n, u, cells in columns
        ]
    if dialect.note:
        texts: list[object] = ["" for _ in known.time_s]
        texts[3], texts[9] = "plugged in", "fan on"
        columns.append((dialect.names["note"], "", texts))
    at = {"first": 0, "last": len(columns), "middle": len(columns) // 2}[dialect.time_at]
    columns[at:at] = times
    if dialect.numbered:
        columns.insert(0, ("No.", "", [n + 1 for n in range(len(known.time_s))]))
    rows = [list(row) for row in zip(*(cells for _, _, cells in columns), strict=True)]
    return rows + _footer(dialect, columns), _head(dialect, columns)


def _cell(value: float, digits: int, dialect: Dialect) -> object:
    if dialect.workbook and dialect.units != "cells":
        return round(float(value), digits) if digits else int(value)
    text = f"{value:,.{digits}f}" if dialect.thousands else f"{value:.{digits}f}"
    if dialect.thousands or dialect.comma:
        mark = dialect.thousands or ""
        text = text.replace(",", "\0").replace(".", "," if dialect.comma else ".").replace("\0", mark)
    return text


def _time_columns(time_s: np.ndarray, dialect: Dialect, rng: random.Random) -> list[tuple[str, str, list[object]]]:
    name, date = dialect.names["time"], dialect.names["date"]
    start = datetime(2026, 5, 14, 9, 3, 30, tzinfo=UTC)
    moments = [start + timedelta(seconds=float(s)) for s in time_s]
    if dialect.workbook and dialect.time in ("iso", "d.m.y", "d/m/y", "m/d/y", "serial"):
        return [(name, "", [m.replace(tzinfo=None) for m in moments])]

    def shown(pattern: str) -> list[object]:
        return [m.strftime(pattern) for m in moments]

    def decimal(values: np.ndarray, digits: int) -> list[object]:
        return [f"{v:.{digits}f}".replace(".", "," if dialect.comma else ".") for v in values]

    clock, day = "%H:%M:%S", rng.choice(("%d.%m.%Y", "%Y-%m-%d"))
    if dialect.time in ("two columns", "two columns, time first"):
        both: list[tuple[str, str, list[object]]] = [(date, "", shown(day)), (name, "", shown(clock))]
        return both if dialect.time == "two columns" else both[::-1]
    # As a spreadsheet shows a date whose format was lost: days since 1899-12-30.
    days = np.array([(m - datetime(1899, 12, 30, tzinfo=UTC)) / timedelta(days=1) for m in moments])
    counted: dict[str, tuple[str, list[object]]] = {
        "s": ("s", decimal(time_s, rng.choice((0, 1)))),
        "min": ("min", decimal(time_s / 60, 2)),
        "h": ("h", decimal(time_s / 3600, 5)),
        "m:s": ("", [f"{int(s) // 60}:{int(s) % 60:02d}" for s in time_s]),
        "h:m:s": ("hh:mm:ss", [str(timedelta(seconds=int(s))) for s in time_s]),
        "epoch": ("", [int(m.timestamp()) for m in moments]),
        "epoch ms": ("", [int(m.timestamp() * 1000) for m in moments]),
        "serial": ("", decimal(days, 6)),
    }
    if dialect.time in counted:
        return [(name, *counted[dialect.time])]
    patterns = {
        "clock": clock, "clock no seconds": "%H:%M", "am": "%I:%M:%S %p",
        "iso": f"%Y-%m-%d {clock}", "iso T": f"%Y-%m-%dT{clock}",
        "iso Z": f"%Y-%m-%dT{clock}Z", "d.m.y": f"%d.%m.%Y {clock}",
        "d/m/y": f"%d/%m/%Y {clock}", "m/d/y": f"%m/%d/%Y {clock}",
        "d-m-y": f"%d-%m-%Y {clock}", "y/m/d": f"%Y/%m/%d {clock}", "no seconds d.m.y": "%d.%m.%Y %H:%M",
    }  # fmt: skip
    return [(name, "", shown(patterns[dialect.time]))]


def _head(dialect: Dialect, columns: list[tuple[str, str, list[object]]]) -> list[list[object]]:
    def title(name: str, unit: str) -> str:
        match dialect.units if unit else "none":
            case "brackets":
                return f"{name} [{unit}]"
            case "parentheses":
                return f"{name} ({unit})"
            case "slash":
                return f"{name} / {unit}"
            case "suffix":
                return f"{name} {unit}"
        return name

    heads: dict[str, list[list[object]]] = {
        "": [],
        "title": [["Charging log, slipway stall 2"], []],
        "keys": [["Device:", "Logger 7"], ["Serial number", "00412"], ["Interval", "30 s"], []],
        "comments": [["# exported by the logger"], ["# firmware 2.11"]],
    }
    above = heads[dialect.preamble]
    units: list[list[object]] = [[f"[{u}]" if u else "" for _, u, _ in columns]] if dialect.units == "row" else []
    names: list[object] = [title(n, u) for n, u, _ in columns]
    return [*above, names, *units]


def _footer(dialect: Dialect, columns: list[tuple[str, str, list[object]]]) -> list[list[object]]:
    blank: list[object] = ["" for _ in columns]
    match dialect.footer:
        case "average":
            row = list(blank)
            row[0], row[-1] = "Average", "33" if not dialect.comma else "33,1"
            return [blank, row]
        case "total":
            row = list(blank)
            row[0] = "Total: 12.5 kWh"
            return [row]
        case "note":
            return [["Recorded by the night shift"]]
        case "blank":
            return [blank, blank]
    return []


# Several readings in one minute are spread over it: the moments are not those written, to some seconds.
_TO_THE_MINUTE = ("clock no seconds", "no seconds d.m.y")


def outcome(known: Known, dialect: Dialect, data: bytes) -> str:
    """Nothing where it was read as written, “asked” where a sentence asks for what is not told, else what is wrong."""
    try:
        read = read_capture(Source(data))
    except UnreadableError as error:
        return "asked" if error.hint and error.line else f"refused: {error}"
    if not isinstance(read, PowerRecord):
        return f"read as {type(read).__name__}"
    if len(read.time_s) != len(known.time_s):
        return f"{len(read.time_s)} rows of {len(known.time_s)}"
    off = float(np.abs(read.time_s - read.time_s[0] - known.time_s).max())
    if off > (35.0 if dialect.time in _TO_THE_MINUTE else 0.6):
        return f"times off by {off:g} s"
    wanted = {QUANTITY[key] for key in dialect.columns}
    found = {key for key, values in read.values.items() if np.isfinite(values).any()}
    if found - wanted:
        return f"holds {sorted(found - wanted)}, which nobody wrote"
    for key in found:
        values, right = read.values[key], known.values[key]
        there = np.isfinite(values)
        if there.sum() < len(right) - 4:
            return f"{key} misses readings"
        if float(np.abs(values[there] - right[there]).max()) > 0.06 + 1e-3 * float(right.max()):
            return f"{key} is wrong"
    return "" if found == wanted else f"misses {sorted(wanted - found)}"
