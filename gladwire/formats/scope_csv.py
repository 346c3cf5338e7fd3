"""Oscilloscope and logger tables: any delimiter, decimal sign, preamble and header the dialect finder understands.

The numbers are parsed by polars in blocks of whole lines, so memory stays at the samples plus one block.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import polars as pl
from numpy.typing import NDArray

from gladwire.core.waveform import Recording, Samples, Waveform
from gladwire.formats.dialect import MISSING, Column, Dialect, cells, find_dialect, number
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import HEAD_BYTES, MAX_SAMPLES, Source, encoding_of, one_ahead, text_chunks
from gladwire.formats.reader import Options, Reader
from gladwire.formats.timebase import Timebase

_BLOCK = 8 * 2**20
_NULLS = sorted({w for m in MISSING if m for w in (m, m.upper(), m.capitalize(), "NaN", "+NaN", "-NaN", "N/A")})
# Lines of another kind after the numbers (a summary, "END") that are left out with a remark.
_FOOTER_LINES = 5


def sniff(head: bytes) -> int:
    if head[:4] in (b"RIFF", b"PK\x03\x04"):
        return 0
    encoding = encoding_of(head)
    if b"\x00" in head[:4096] and not encoding.startswith("utf-16"):
        return 0
    return 50


def read(source: Source, options: Options) -> Recording:
    """Read a table. Raises UnreadableError naming the line."""
    head = source.head()
    encoding = encoding_of(head)
    text = head.decode(encoding, errors="replace").replace("\r\n", "\n").replace("\r", "\n")
    dialect = find_dialect(text, complete=len(head) < HEAD_BYTES)
    return _Table(source, encoding, dialect, options).read()


class _Table:
    """One pass over the text, gathering samples block by block."""

    def __init__(self, source: Source, encoding: str, dialect: Dialect, options: Options) -> None:
        self.source, self.encoding, self.dialect = source, encoding, dialect
        self.axis = next((i for i, c in enumerate(dialect.columns) if c.kind in ("time", "index")), None)
        self.channels = [i for i in range(len(dialect.columns)) if i != self.axis]
        if not self.channels:
            raise UnreadableError(
                "there is one column only, and it is time; a column of volts was expected", line=dialect.first_line + 1
            )
        self.parts: list[list[Samples]] = [[] for _ in self.channels]
        self.remarks: list[str] = []
        self.time = self._timebase(options)
        self.line = dialect.first_line
        self.ended = False

    def _timebase(self, options: Options) -> Timebase:
        axis = self.dialect.columns[self.axis] if self.axis is not None else None
        interval = options.interval_s or self.dialect.interval_s
        if axis is not None and axis.kind == "time":
            return Timebase(factor=axis.factor)
        if interval is None:
            raise UnreadableError(
                "there is no time column and no sample interval in the file",
                line=self.dialect.first_line + 1,
                hint="Give the interval between samples and it can be read.",
            )
        return Timebase(interval_s=interval, start_s=self.dialect.start_s or 0.0)

    def read(self) -> Recording:
        for block in self._blocks():
            self._take(block)
            if self.ended:
                break
        count = sum(len(part) for part in self.parts[0])
        if count < 4:
            raise UnreadableError(f"only {count} rows of numbers; a capture was expected", line=self.line)
        rate_hz, start_s, remarks = self.time.settle(count)
        waves = [self._wave(order, rate_hz, start_s) for order in range(len(self.channels))]
        return Recording(tuple(waves), READER.key, (*self.remarks, *remarks), self.dialect.recorded_at)

    def _wave(self, order: int, rate_hz: float, start_s: float) -> Waveform:
        column = self.dialect.columns[self.channels[order]]
        parts, self.parts[order] = self.parts[order], []
        samples = np.concatenate(parts) if len(parts) > 1 else parts[0]
        if column.factor != 1.0:
            samples *= np.float32(column.factor)
        # A table without units is in volts: that is what scopes write, and the levels will tell if not.
        return Waveform(_channel_name(column, order), samples, rate_hz, start_s, column.kind or "V")

    def _blocks(self) -> Iterator[bytes]:
        """Blocks of whole lines from the first row of numbers on."""
        skip = self.dialect.first_line
        for block in one_ahead(text_chunks(self.source, self.encoding, _BLOCK)):
            at = 0
            while skip and (end := block.find(b"\n", at)) >= 0:
                at, skip = end + 1, skip - 1
            if not skip and at < len(block):
                yield block[at:]

    def _take(self, block: bytes) -> None:
        frame = self._parse(block)
        if frame is None:
            return
        height = frame.height
        lines = None
        if all(frame[:, i].null_count() for i in range(frame.width)):
            # A blank line is a row in which everything is missing.
            full = ~frame.select(pl.all_horizontal(pl.all().is_null())).to_series().to_numpy()
            lines = np.flatnonzero(full)
            frame = frame.filter(full)
        columns = [_without_nulls(frame[:, i]).to_numpy() for i in range(frame.width)]
        if self.axis is not None:
            self.time.add(columns[self.axis].astype(np.float64, copy=False), self.line, lines)
        for order, index in enumerate(self.channels):
            self.parts[order].append(_finite(columns[index]))
        self.line += height
        if sum(len(part) for part in self.parts[0]) * len(self.channels) > MAX_SAMPLES:
            raise UnreadableError(f"more than {MAX_SAMPLES:,} samples; that is beyond one capture", line=self.line)

    def _parse(self, block: bytes) -> pl.DataFrame | None:
        """Numbers of the active columns; missing values are null. None when the block holds no row."""
        if self.dialect.delimiter == " ":
            block = b"\n".join(b"\t".join(line.split()) for line in block.split(b"\n"))
        elif self.dialect.padded:
            block = block.replace(b" ", b"")
        if block.isspace():
            return None
        # Comparing every cell with every word for "missing" is slow: most blocks hold none.
        for words in (None, _NULLS):
            try:
                frame = self._polars(block, words)
            except pl.exceptions.PolarsError:
                continue
            if not self._rows_are_short(frame):
                return frame
        good = self._good_part(block)
        return self._polars(good, _NULLS) if good else None

    def _polars(self, block: bytes, words: list[str] | None) -> pl.DataFrame:
        dialect = self.dialect
        names = [f"c{i}" for i in range(dialect.width)]
        kinds: dict[str, type[pl.DataType]] = {names[i]: pl.Float32 for i in dialect.active}
        if self.axis is not None:
            kinds[names[dialect.active[self.axis]]] = pl.Float64
        others: dict[str, type[pl.DataType]] = {name: pl.String for name in names if name not in kinds}
        frame = pl.read_csv(
            block,
            has_header=False,
            separator="\t" if dialect.delimiter == " " else dialect.delimiter,
            schema={name: {**others, **kinds}[name] for name in names},
            null_values=words,
            decimal_comma=dialect.decimal_comma,
            truncate_ragged_lines=False,
        )
        return frame.select([names[i] for i in dialect.active])

    def _rows_are_short(self, frame: pl.DataFrame) -> bool:
        """A row cut short looks like missing values; only a look at its text tells."""
        last = frame.columns[-1]
        return bool(frame[last].null_count())

    def _good_part(self, block: bytes) -> bytes:
        """The rows of a block up to a cut last line or a footer, after which the table ends.

        Raises UnreadableError for a bad row in the middle.
        """
        lines = block.split(b"\n")
        for number_, raw in enumerate(lines):
            trouble = self._trouble(raw.decode("utf-8", "replace"))
            if not trouble:
                continue
            rest = [line for line in lines[number_:] if line.strip()]
            at_end = len(rest) <= _FOOTER_LINES and len(block) < _BLOCK
            if not at_end:
                raise UnreadableError(trouble, line=self.line + number_ + 1)
            what = "the last line is cut short" if len(rest) == 1 else f"the last {len(rest)} lines are no numbers"
            self.remarks.append(f"From line {self.line + number_ + 1} on {what}; left out.")
            self.ended = True
            return b"\n".join(lines[:number_])
        return block

    def _trouble(self, line: str) -> str:
        """What is wrong with a row, or nothing."""
        if not line.strip():
            return ""
        parts = cells(line, "\t" if self.dialect.delimiter == " " else self.dialect.delimiter)
        expected = f"{len(self.dialect.active)} numbers were expected"
        while len(parts) > self.dialect.width and parts[-1] == "":
            parts.pop()
        if len(parts) > self.dialect.width or len(parts) <= max(self.dialect.active):
            return f"{expected}, {len(parts)} found"
        for index in self.dialect.active:
            cell = parts[index]
            if number(cell, self.dialect.decimal_comma) is None and cell.lower() not in MISSING:
                return f"{expected}, found “{cell[:30]}”"
        return ""


def _without_nulls(column: pl.Series) -> pl.Series:
    return column.fill_null(float("nan")) if column.null_count() else column


def _finite(column: NDArray[np.generic]) -> Samples:
    """float32 samples; over range (infinite) is missing."""
    samples: Samples = np.ascontiguousarray(column, dtype=np.float32)
    over = np.isinf(samples)
    if over.any():
        samples = np.where(over, np.float32(np.nan), samples)
    return samples


def _channel_name(column: Column, order: int) -> str:
    return column.name or f"Channel {order + 1}"


READER = Reader(key="scope-csv", title="Oscilloscope or logger table", sniff=sniff, read=read)
