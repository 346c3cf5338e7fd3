"""Power records as text tables: loggers' exports, spreadsheets saved as CSV, and the application's own typed records."""

from __future__ import annotations

import csv
import io

import numpy as np

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.quantities import BY_KEY
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source, encoding_of, read_some
from gladwire.formats.power_rows import find_table, record_from, rows_of
from gladwire.formats.reader import Options, Reader
from gladwire.formats.table.rearranged import upright

_MOST_BYTES = 256 * 2**20
_HEAD_LINES = 120
# Post and pack currents of DC are this slow to log, and its volts above these.
_LEAST_STEP_S, _LEAST_V = 0.4, 100.0
# Times that move by less are no record's, be they seconds, minutes or hours.
_SURELY_FAST = 3e-3


def sniff(head: bytes) -> int:
    """By the names and units of columns; volts and amperes alone only where they are read slowly and stand high."""
    if head[:4] in (b"RIFF", b"PK\x03\x04"):
        return 0
    encoding = encoding_of(head)
    if b"\x00" in head[:4096] and not encoding.startswith("utf-16"):
        return 0
    lines = head.decode(encoding, errors="replace").splitlines()[:_HEAD_LINES]
    try:
        rows = rows_of("\n".join(lines))
    except csv.Error:
        return 0
    turned = upright(rows)
    table = find_table(turned[0] if turned else rows)
    if table is None:
        return 0
    score = table.score()
    if table.usual_step() < _SURELY_FAST:
        return 0
    try:
        record = record_from(table.rows, READER.key)
    except UnreadableError:
        if table.is_of_phases:  # lanes of mains, as a logger of clamps writes them
            return 0
        # Volts and amperes that no scope has, at times whose unit has to be asked for.
        high = {"volts_v", "amps_a"} <= table.has and table.median_of("volts_v") >= _LEAST_V
        return max(score, 60 if high else 0)
    step = float(np.median(np.diff(record.time_s)))
    volts = record.values.get("volts_v", np.zeros(1))
    slow = step >= _LEAST_STEP_S and (
        float(np.nanmax(volts)) >= _LEAST_V or set(record.values) & {"power_kw", "soc_percent"}
    )
    return max(score, 60 if slow and len(record.values) > 1 else 0)


def read(source: Source, options: Options) -> PowerRecord:
    """Raises UnreadableError naming the line."""
    with source.open() as stream:
        data = read_some(stream, _MOST_BYTES + 1)
    if len(data) > _MOST_BYTES:
        raise UnreadableError(f"more than {_MOST_BYTES // 2**20} MiB of readings; that is beyond one session")
    text = data.decode(encoding_of(data[:65536]), errors="replace").replace("\x00", "")
    try:
        rows = rows_of(text)
    except csv.Error as error:
        raise UnreadableError(f"the table cannot be split into cells: {error}") from error
    return record_from(rows, READER.key, options)


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
