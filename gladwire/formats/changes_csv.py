"""Tables of changes, as logic inputs export them: a row where a line goes high or low, and nothing between.

Time [s],CP
0.000000000,1
0.160320000,0
"""

from __future__ import annotations

import csv

import numpy as np

from gladwire.core.signal.waveform import Floats, Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.held import Line, on_even_clock
from gladwire.formats.opening import Source, encoding_of, read_some
from gladwire.formats.power_rows import Table, find_table, rows_of
from gladwire.formats.reader import Options, Reader
from gladwire.formats.table.moments import times_of

_MOST_BYTES, _MOST_LINES = 64 * 2**20, 400
_TICK_S = 1e-8
# Of rows, how many change something; and how much longer than the usual the longest stretch is.
_ALL_CHANGE, _UNEVEN = 0.95, 3.0
_FEWEST = 4


def sniff(head: bytes) -> int:
    """Rows of nought and one, each another than the one before, at uneven times."""
    encoding = encoding_of(head)
    if b"\x00" in head[:4096] and not encoding.startswith("utf-16"):
        return 0
    text = head.decode(encoding, errors="replace")
    lines = text.splitlines()[:_MOST_LINES]
    # Nearly all tables are told apart by a look at one of their rows.
    last = next((line for line in reversed(lines[:-1]) if line.strip()), "")
    if not last or last.strip()[-1] not in "01" or (last.strip()[-2:-1] or "0") in "0123456789.":
        return 0
    try:
        table = find_table(rows_of("\n".join(lines)))
        found = _changes(table) if table else None
    except (UnreadableError, csv.Error):
        return 0
    if found is None:
        return 0
    times, states = found
    steps, changed = np.diff(times), (np.diff(states, axis=1) != 0).any(axis=0)
    uneven = float(steps.max()) > _UNEVEN * float(np.median(steps)) or len(np.unique(np.round(steps, 9))) > 2
    return 70 if float(changed.mean()) > _ALL_CHANGE and uneven else 0


def read(source: Source, options: Options) -> Recording:
    """Raises UnreadableError naming the line."""
    with source.open() as stream:
        data = read_some(stream, _MOST_BYTES + 1)
    if len(data) > _MOST_BYTES:
        raise UnreadableError(f"more than {_MOST_BYTES // 2**20} MiB of changes; that is beyond one capture")
    try:
        table = find_table(rows_of(data.decode(encoding_of(data[:65536]), errors="replace").replace("\x00", "")))
    except csv.Error as error:
        raise UnreadableError(f"the table cannot be split into cells: {error}") from error
    found = _changes(table) if table else None
    if table is None or found is None:
        raise UnreadableError("rows of times with nought or one beside them were expected", line=1)
    times, states = found
    ticks = np.round(times / _TICK_S).astype(np.int64).tolist()
    columns = [i for i in table.grid.columns if i not in table.time_columns]
    lines = []
    for index, values in zip(columns, states, strict=True):
        line = Line(table.name(index), real=False)
        line.ticks, line.values = ticks, values.tolist()
        lines.append(line)
    channels, notes = on_even_clock(lines, _TICK_S, ticks[0], ticks[-1])
    remark = "The table tells changes of lines, and not samples; they are held between."
    return Recording(channels, READER.key, (remark, *notes), "")


def _changes(table: Table) -> tuple[Floats, Floats] | None:
    """(moments in seconds, shape (n,); state of each line at them, shape (lines, n)); None where it is no such table."""
    if not table.time_columns or len(table.body) < _FEWEST:
        return None
    columns = [i for i in table.grid.columns if i not in table.time_columns]
    states = np.array([table.values(i) for i in columns])
    if not len(columns) or not np.isin(states, (0.0, 1.0)).all():
        return None
    column = table.time_columns[0]
    meaning = table.meanings[column]
    factor = meaning.factor if meaning and meaning.quantity == "time" else None
    found = times_of(table.column(column), [table.first_line + i for i, _ in table.body], table.numbers, factor)
    times = found.times_s
    return (times, states) if (np.diff(times) >= 0).all() and times[-1] > times[0] else None


READER = Reader(
    key="changes-csv",
    title="Table of changes (logic input)",
    sniff=sniff,
    read=read,
    endings=("csv", "tsv", "txt"),
    words="",
)
