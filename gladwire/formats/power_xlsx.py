"""Workbooks (Office Open XML, ISO/IEC 29500): the sheet that is most surely a power record, or else samples of a scope."""

from __future__ import annotations

import zipfile
from dataclasses import replace
from typing import Any

import openpyxl

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import MOST_COLUMNS, Source
from gladwire.formats.power_rows import Table, find_table, record_from
from gladwire.formats.reader import Options, Reader
from gladwire.formats.scope_csv import read_tidy
from gladwire.formats.table.spelling import with_colons
from gladwire.formats.table.tidy import tidied

# What a workbook may unpack to, and hold in rows: more is no record of one session but an attack or an accident.
_MOST_UNPACKED, _MOST_ROWS = 512 * 2**20, 500_000
# Cells that are empty cost as much as those that are not.
_MOST_CELLS = 5_000_000
# Slower than this no scope samples; volts and amperes alone are then a record's.
_LOGGED_S = 0.1
# As slow as this nobody sees a pilot of 1 kHz: volts and amperes whose times name no unit may be read by the hour.
_MAY_BE_HOURS_S = 1e-3
_ANY = {"power_kw", "soc_percent", "energy_kwh", "volts_v", "amps_a"}


def sniff(head: bytes) -> int:
    return 90 if head[:4] == b"PK\x03\x04" and (b"xl/" in head or b"[Content_Types].xml" in head[:2000]) else 0


def read(source: Source, options: Options) -> PowerRecord | Recording:
    """A power record, or the samples of a scope or logger. Raises UnreadableError for a damaged workbook or one without."""
    try:
        with source.open() as stream:
            with zipfile.ZipFile(stream) as packed:
                if sum(entry.file_size for entry in packed.infolist()) > _MOST_UNPACKED:
                    raise UnreadableError("the workbook unpacks to more than one session can hold")
            stream.seek(0)
            book = openpyxl.load_workbook(stream, read_only=True, data_only=True)
            sheets = [with_colons(list(_rows(sheet))) for sheet in book.worksheets]
            book.close()
    except (UnreadableError, MemoryError):
        raise
    except Exception as error:  # what a damaged workbook makes the library raise has no common root
        raise UnreadableError("the workbook is damaged: it cannot be opened") from error
    tables = [(rows, table) for rows in sheets if (table := find_table(rows, given=dict(options.columns)))]
    rows, table = max(tables, key=lambda found: (found[1].score(), len(found[1].has)), default=([], None))
    if table is not None and not table.score() and (table.is_of_phases or table.usual_step() < _slowest(table)):
        tidy = tidied(rows)
        if tidy is not None:
            return replace(read_tidy(tidy, options), format=READER.key)
    if table is None or not (table.has & _ANY or len(table.grid.columns) > 2):
        raise UnreadableError("no sheet names kW, state of charge, volts or amperes in its columns")
    return record_from(rows, READER.key, options)


def _slowest(table: Table) -> float:
    """The step of times from which on a table is no samples of a scope, in seconds or as told."""
    column = table.time_columns[:1]
    meaning = table.meanings[column[0]] if column else None
    told = meaning is not None and meaning.sure == 2
    return _LOGGED_S if told or not table.has >= {"volts_v", "amps_a"} else _MAY_BE_HOURS_S


def _rows(sheet: Any) -> Any:
    cells = 0
    for number, row in enumerate(sheet.iter_rows(values_only=True, max_col=MOST_COLUMNS)):
        cells += len(row)
        if number > _MOST_ROWS:
            raise UnreadableError(f"more than {_MOST_ROWS:,} rows; that is beyond one session")
        if cells > _MOST_CELLS:
            raise UnreadableError(f"more than {_MOST_CELLS:,} cells, empty ones counted; that is beyond one session")
        yield row


READER = Reader(
    key="power-xlsx",
    title="Workbook (XLSX)",
    sniff=sniff,
    read=read,
    endings=("xlsx",),
    words="a power record (CSV, XLSX)",
)
