"""Power records as text tables: loggers' exports, spreadsheets saved as CSV, and the application's own typed records."""

from __future__ import annotations

import csv
import io
import re

import numpy as np

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.quantities import BY_KEY
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source, encoding_of, read_some
from gladwire.formats.power_rows import _LEAST_STEP_S, _LEAST_V, find_header, record_from
from gladwire.formats.reader import Options, Reader

_MOST_BYTES = 256 * 2**20
_DELIMITERS = (";", "\t", ",", "|")
_HEAD_LINES = 90
_DECIMAL = re.compile(r"\s*[+\-\u2212]?\d*([.,])\d+\s*[^\d\s:]*\s*")


def _rows(text: str) -> tuple[list[list[str]], bool]:
    """(rows of cells, whether the decimal sign is a comma) of the delimiter that splits the head into most quantities."""
    head = text.splitlines()[:_HEAD_LINES]
    best, most = ",", -1
    for delimiter in _DELIMITERS:
        header = find_header(list(csv.reader(head, delimiter=delimiter)))
        found = len(header.has) if header else 0
        if found > most:
            best, most = delimiter, found
    rows = list(csv.reader(text.splitlines(), delimiter=best))
    header = find_header(rows)
    body = rows[header.first :][:200] if header else []
    # Of cells that are one number: a date has points too, and is none.
    signs = [match[1] for row in body for cell in row if (match := _DECIMAL.fullmatch(cell))]
    return rows, best != "," and signs.count(",") > signs.count(".")


def sniff(head: bytes) -> int:
    """By the names of columns; volts and amperes alone only where they are read slowly and stand high."""
    if head[:4] in (b"RIFF", b"PK\x03\x04"):
        return 0
    encoding = encoding_of(head)
    if b"\x00" in head[:4096] and not encoding.startswith("utf-16"):
        return 0
    text = head.decode(encoding, errors="replace")
    lines = text.splitlines()[:_HEAD_LINES]
    try:
        rows, comma = _rows("\n".join(lines))
        header = find_header(rows)
    except csv.Error:
        return 0
    if header is None:
        return 0
    score = header.score()
    if score or not {"volts_v", "amps_a", "time"} <= header.has:
        return score
    try:
        record = record_from(rows[: header.first + 60], READER.key, comma, None)
    except UnreadableError:
        return 0
    step = float(np.median(np.diff(record.time_s)))
    volts = record.values.get("volts_v", np.zeros(1))
    return 60 if step >= _LEAST_STEP_S and float(np.nanmax(volts)) >= _LEAST_V else 0


def read(source: Source, options: Options) -> PowerRecord:
    """Raises UnreadableError naming the line."""
    with source.open() as stream:
        data = read_some(stream, _MOST_BYTES + 1)
    if len(data) > _MOST_BYTES:
        raise UnreadableError(f"more than {_MOST_BYTES // 2**20} MiB of readings; that is beyond one session")
    text = data.decode(encoding_of(data[:65536]), errors="replace").replace("\x00", "")
    try:
        rows, comma = _rows(text)
    except csv.Error as error:
        raise UnreadableError(f"the table cannot be split into cells: {error}") from error
    return record_from(rows, READER.key, comma, options.interval_s)


def write(record: PowerRecord, remarks: tuple[str, ...] = ()) -> bytes:
    """A record as CSV: comments, a row of names with units, one row a reading; empty where nothing was read."""
    out = io.StringIO()
    for remark in remarks:
        out.write(f"# {' '.join(remark.split())}\n")
    sides = [record, *([record.second_place] if record.second_place else [])]
    columns = [(_title(side, key), values) for side in sides for key, values in side.values.items()]
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(["Time [s]", *(title for title, _ in columns)])
    for i, at in enumerate(record.time_s):
        cells = (values[i] for _, values in columns)
        rows.writerow([f"{at:g}" if at < 1e6 else f"{at:.1f}", *("" if v != v else f"{v:.10g}" for v in cells)])
    return out.getvalue().encode()


def _title(record: PowerRecord, key: str) -> str:
    """A column's head: what it is, where it was read, its unit."""
    place = record.places.get(key, "unknown")
    where = "" if place in ("unknown", "frames") else f" {place}"
    return f"{BY_KEY[key].title}{where} [{BY_KEY[key].unit}]"


READER = Reader(
    key="power-csv",
    title="Power record (CSV, TSV)",
    sniff=sniff,
    read=read,
    endings=("csv", "tsv", "txt"),
    words="a power record (CSV, XLSX)",
)
