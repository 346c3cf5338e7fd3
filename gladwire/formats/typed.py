"""Readings typed from displays, as the page of readings sends them: JSON of columns and rows."""

from __future__ import annotations

import math
from typing import Annotated

import numpy as np
from pydantic import BaseModel, Field, ValidationError

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.quantities import BY_KEY, Place
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source, read_some
from gladwire.formats.reader import Options, Reader

_MOST_ROWS = 20_000
_MOST_BYTES = 4 * 2**20
_START = b'{"columns"'


class _Column(BaseModel):
    quantity: str
    place: Place


class _Sent(BaseModel):
    """rows: seconds, then a value or null a column."""

    columns: Annotated[list[_Column], Field(min_length=1)]
    rows: list[list[float | None]]


def record_from(text: str | bytes) -> PowerRecord:
    """A record of {"columns": [{"quantity", "place"}…], "rows": [[seconds, value or null…]…]}.

    A quantity named twice is of a second place. Raises UnreadableError naming the row.
    """
    try:
        sent = _Sent.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise UnreadableError(f"the readings are not whole ({where or 'JSON'}: {first['msg'].lower()})") from error
    unknown = [column.quantity for column in sent.columns if column.quantity not in BY_KEY]
    if unknown:
        raise UnreadableError(f"the readings name a column that is not known, “{unknown[0][:30]}”")
    if not 2 <= len(sent.rows) <= _MOST_ROWS:
        raise UnreadableError(f"{len(sent.rows)} rows of readings; 2 to {_MOST_ROWS} were expected")
    _check(sent.rows, len(sent.columns) + 1)
    table = np.array([[np.nan if cell is None else cell for cell in row] for row in sent.rows], dtype=np.float64)
    values: dict[str, np.ndarray] = {}
    places: dict[str, Place] = {}
    second: dict[str, np.ndarray] = {}
    other: dict[str, Place] = {}
    for i, column in enumerate(sent.columns, 1):
        into, where_ = (values, places) if column.quantity not in values else (second, other)
        into[column.quantity] = table[:, i]
        where_[column.quantity] = column.place
    beside = PowerRecord(table[:, 0], second, other, (), (), "", (), READER.key) if second else None
    return PowerRecord(table[:, 0], values, places, (), (), "", (), READER.key, second_place=beside)


def _check(rows: list[list[float | None]], width: int) -> None:
    last = -math.inf
    for number, row in enumerate(rows, 1):
        if len(row) != width or row[0] is None:
            raise UnreadableError(f"row {number} has no time or too few cells")
        if any(cell is not None and not math.isfinite(cell) for cell in row):
            raise UnreadableError(f"row {number} holds something that is no number")
        if row[0] <= last:
            raise UnreadableError(f"the time of row {number} is not after the row before")
        last = row[0]


def _sniff(head: bytes) -> int:
    return 90 if b"".join(head[:64].split()).startswith(_START) else 0


def _read(source: Source, options: Options) -> PowerRecord:
    with source.open() as stream:
        content = read_some(stream, _MOST_BYTES + 1)
    if len(content) > _MOST_BYTES:
        raise UnreadableError(f"more than {_MOST_BYTES // 2**20} MiB of typed readings")
    return record_from(content)


READER = Reader("typed", "Typed readings (JSON)", _sniff, _read, ("json",), "")
