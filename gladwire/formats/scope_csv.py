"""Oscilloscope and logger tables: any delimiter, decimal sign, preamble and header the dialect finder understands.

The numbers are parsed by polars in blocks of whole lines, so memory stays at the samples plus one block.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import polars as pl
from numpy.typing import NDArray
from polars.exceptions import PanicException

from gladwire.core.lanes.pilot.likeness import pilot_share
from gladwire.core.signal.waveform import Floats, Recording, Samples, Waveform
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import HEAD_BYTES, MAX_SAMPLES, Source, encoding_of, one_ahead, read_some, text_chunks
from gladwire.formats.power_rows import rows_of
from gladwire.formats.reader import Options, Reader
from gladwire.formats.table.beyond import as_numbers
from gladwire.formats.table.beyond import settled as beyond_settled
from gladwire.formats.table.cells import BEYOND_RANGE, CLOCK, MISSING, cells, is_missing, is_value
from gladwire.formats.table.columns import Column
from gladwire.formats.table.counts import is_counts
from gladwire.formats.table.dialect import MINUS, Dialect, find_dialect
from gladwire.formats.table.tidy import Tidy, tidied
from gladwire.formats.timebase import Timebase

# Text is read in blocks of a share of the file, so that a small file costs little memory and a large one few calls.
_LEAST_BLOCK, _MOST_BLOCK, _BLOCKS = 2**20, 8 * 2**20, 12
_NULLS = sorted(
    {
        w
        for m in (*MISSING, *(b for b in BEYOND_RANGE if "9.9e" not in b))
        if m
        for w in (m, m.upper(), m.capitalize(), "NaN", "+NaN", "-NaN", "N/A")
    }
)
# Lines of another kind after the numbers (a summary, "END") that are left out with a remark.
_FOOTER_LINES = 5
# “>10” and “<-10”: beyond the range on that side.
_BEYOND = re.compile(r"[<>]=?\s*([-+]?[\d.,])")
_BEYOND_BYTES = re.compile(rb"[<>]=?\s*([-+]?[\d.,])")
_COMMA_OR_QUOTED = re.compile(rb'"([^"\n]*)"|,')
# To tell a pilot by: a part of the samples, its swing in volts or millivolts, and some cycles.
_LOOK_AT_SAMPLES, _LEAST_SWING, _LEAST_CYCLES = 200_000, 3.0, 8
_HALF_DAY_S = 43_200.0
# A file up to this size may be written anew.
_MOST_TIDIED, _LOOK_AT_LINES = 24 * 2**20, 400
_LIKELY, _CLEARLY = 0.5, 0.1
# A time column beyond this counts from 1970.
_EPOCH_FROM_S, _EPOCH_TO_S = 1e8, 1e11


def sniff(head: bytes) -> int:
    if head[:4] in (b"RIFF", b"PK\x03\x04"):
        return 0
    encoding = encoding_of(head)
    if b"\x00" in head[:4096] and not encoding.startswith("utf-16"):
        return 0
    return 50


def read(source: Source, options: Options) -> Recording:
    """Read a table. Raises UnreadableError naming the line."""
    try:
        return _read(source, options)
    except UnreadableError as error:
        tidy = _tidied(source, error)
        if tidy is None:
            raise
        try:
            return read_tidy(tidy, options)
        except UnreadableError:
            raise error from None


def read_tidy(tidy: Tidy, options: Options) -> Recording:
    """What was written anew as a plain table. Raises UnreadableError."""
    read = _read(Source(tidy.text), options)
    return replace(read, remarks=(*tidy.remarks, *read.remarks))


def _tidied(source: Source, trouble: UnreadableError) -> Tidy | None:
    """The table as a plain one, where that is what it lacks; None of a large file, which no person wrote."""
    if source.size > _MOST_TIDIED or source.packed:
        return None
    with source.open() as stream:
        data = read_some(stream, _MOST_TIDIED)
    text = data.decode(encoding_of(data[:65536]), errors="replace").replace("\x00", "")
    try:
        return tidied(rows_of(text)) if _may_be_mended(text.splitlines(), trouble.line or 1) else None
    except (csv.Error, RecursionError):
        return None


def _may_be_mended(lines: list[str], line: int) -> bool:
    """Whether writing a table anew is worth its time: where its beginning can be, or where what ended it further down is
    a line of names and no damage."""
    if line <= _LOOK_AT_LINES:
        return tidied(rows_of("\n".join(lines[:_LOOK_AT_LINES]))) is not None
    told = lines[line - 1].strip() if line <= len(lines) else ""
    return bool(told) and (told in map(str.strip, lines[:_LOOK_AT_LINES]) or not any(c.isdigit() for c in told))


def _read(source: Source, options: Options) -> Recording:
    head = source.head()
    encoding = encoding_of(head)
    text = head.decode(encoding, errors="replace").replace("\r\n", "\n").replace("\r", "\n")
    text = _BEYOND.sub(r"\1", text)
    dialect = find_dialect(text, complete=len(head) < HEAD_BYTES)
    return _Table(source, encoding, dialect, options).read()


class _Table:
    """One pass over the text, gathering samples block by block."""

    def __init__(self, source: Source, encoding: str, dialect: Dialect, options: Options) -> None:
        self.source, self.encoding, self.dialect = source, encoding, dialect
        kinds = [column.kind for column in dialect.columns]
        # A running number beside a time tells nothing the time does not.
        axes = [i for kind in ("time", "clock", "index") for i, k in enumerate(kinds) if k == kind]
        self.axis = axes[0] if axes else None
        self.channels = [i for i in range(len(kinds)) if i not in axes]
        if not self.channels:
            raise UnreadableError(
                "there is one column only, and it is time; a column of volts was expected", line=dialect.first_line + 1
            )
        self.parts: list[list[Samples]] = [[] for _ in self.channels]
        self.remarks: list[str] = []
        self.time = self._timebase(options)
        self.line = dialect.first_line
        self.ended = False
        self.beyond = self.sideless = 0
        self.block = min(_MOST_BLOCK, max(_LEAST_BLOCK, source.size // _BLOCKS))
        self.days = _Days()

    def _timebase(self, options: Options) -> Timebase:
        axis = self.dialect.columns[self.axis] if self.axis is not None else None
        interval = options.interval_s or self.dialect.interval_s
        if axis is not None and axis.kind in ("time", "clock"):
            return Timebase(factor=axis.factor)
        if interval is None:
            raise UnreadableError(
                "there is no time column and no sample interval in the file",
                line=self.dialect.first_line + 1,
                hint="Give the interval between samples and it can be read.",
            )
        return Timebase(interval_s=interval, start_s=self.dialect.start_s or 0.0)

    def read(self) -> Recording:
        blocks = self._blocks()
        block = next(blocks, None)
        while block is not None and not self.ended:
            following = next(blocks, None)
            self._take(block, following is None)
            block = following
        count = sum(len(part) for part in self.parts[0])
        if count < 4:
            raise UnreadableError(f"only {count} rows of numbers; a capture was expected", line=self.line)
        rate_hz, start_s, remarks = self.time.settle(count)
        if unit := self._unit_by_pilot(rate_hz):
            rate_hz, start_s = rate_hz / unit[0], start_s * unit[0]
            self.remarks.append(
                f"The times name no unit; they are read as {unit[1]}: only so is there a pilot of 1 kHz."
            )
        recorded_at, since = self._moment(start_s)
        waves = self._in_volts([self._wave(order, rate_hz, since) for order in range(len(self.channels))])
        self._say_beyond()
        return Recording(tuple(waves), READER.key, (*self.remarks, *remarks), recorded_at)

    def _unit_by_pilot(self, rate_hz: float) -> tuple[float, str] | None:
        """(factor, word) of times that name no unit, where one other than seconds makes a channel a pilot of 1 kHz."""
        axis = self.dialect.columns[self.axis] if self.axis is not None else None
        if axis is None or axis.kind != "time" or axis.unit:
            return None
        for parts in self.parts:
            samples = np.concatenate([part[:_LOOK_AT_SAMPLES] for part in parts[:1]])
            low, high = np.nanpercentile(samples, (2, 98)) if np.isfinite(samples).any() else (0.0, 0.0)
            above = samples > (low + high) / 2.0
            ups = np.flatnonzero(above[1:] & ~above[:-1])
            if high - low < _LEAST_SWING or len(ups) < _LEAST_CYCLES:
                continue
            period = float(np.median(np.diff(ups))) / rate_hz
            for factor, word in ((1.0, ""), (1e-3, "ms"), (1e-6, "µs")):
                if abs(period * factor * 1000.0 - 1.0) < 0.1:
                    return (factor, word) if word else None
        return None

    def _moment(self, start_s: float) -> tuple[str, float]:
        """(when it was recorded, start in the file's time base): a clock or epoch time counts from the first sample."""
        if self.days.first:
            self.remarks.append(
                f"The file tells the time of day; times here count from its first sample, {self.days.first}."
            )
            return self.dialect.recorded_at or self.days.first, 0.0
        if _EPOCH_FROM_S < start_s < _EPOCH_TO_S:
            first = datetime.fromtimestamp(start_s, UTC).strftime("%Y-%m-%d %H:%M:%S UTC")
            self.remarks.append(f"The file counts seconds since 1970; times here count from its first sample, {first}.")
            return self.dialect.recorded_at or first, 0.0
        return self.dialect.recorded_at, start_s

    def _say_beyond(self) -> None:
        if self.beyond:
            many = "1 sample is" if self.beyond == 1 else f"{self.beyond} samples are"
            self.remarks.append(f"{many} marked as beyond the range of the instrument; they are taken at its edge.")
        if self.sideless:
            many = "1 mark" if self.sideless == 1 else f"{self.sideless} marks"
            self.remarks.append(f"{many} beyond the range tell no side, above or below; taken as missing.")

    def _wave(self, order: int, rate_hz: float, start_s: float) -> Waveform:
        column = self.dialect.columns[self.channels[order]]
        parts, self.parts[order] = self.parts[order], []
        samples = np.concatenate(parts) if len(parts) > 1 else parts[0]
        samples, ends, beyond, sideless = beyond_settled(samples)
        self.beyond, self.sideless = self.beyond + beyond, self.sideless + sideless
        if column.factor != 1.0:
            with np.errstate(over="ignore"):  # a mark for no reading, in kV
                out = samples if samples.flags.writeable else None
                samples = np.multiply(samples, np.float32(column.factor), out=out)
        name, unit = _channel_name(column, order), column.kind or column.unit.strip("-? ")
        low, high = (None if end is None else float(np.float32(end) * np.float32(column.factor)) for end in ends)
        return Waveform(name, samples, rate_hz, start_s, unit, (low, high), sideless)

    def _in_volts(self, waves: Sequence[Waveform]) -> list[Waveform]:
        """Channels that hold counts as volts, where the preamble says how; an offset's sign is the one that makes a pilot of
        one of them. What was done, or left, is said."""
        told = [
            self.dialect.scalings[c] if is_counts(w.samples) else None
            for c, w in zip(self.channels, waves, strict=True)
        ]
        counted = [(wave, scaling) for wave, scaling in zip(waves, told, strict=True) if scaling]
        signs = [1.0]
        if any(scaling.offset_v for _, scaling in counted):
            likely = {s: max(pilot_share(one.read(w, s)) for w, one in counted) for s in (1.0, -1.0, 0.0)}
            best, second = sorted(likely.values(), reverse=True)[:2]
            signs = [s for s in likely if likely[s] == best and best > max(_LIKELY, second + _CLEARLY)]
        if len(signs) != 1:
            names = ", ".join(f"“{wave.name}”" for wave, _ in counted)
            self.remarks.append(
                f"{names}: counts, left as they are: whether the offset is added, taken away or one of counts, the file "
                "does not say."
            )
            return list(waves)
        self.remarks += [
            f"“{wave.name}” holds counts; read as {scaling.says(signs[0])}, as the file says."
            for wave, scaling in counted
        ]
        return [s.read(wave, signs[0]) if s else wave for wave, s in zip(waves, told, strict=True)]

    def _blocks(self) -> Iterator[bytes]:
        """Blocks of whole lines from the first row of numbers on."""
        skip = self.dialect.first_line
        for block in one_ahead(text_chunks(self.source, self.encoding, self.block)):
            at = 0
            while skip and (end := block.find(b"\n", at)) >= 0:
                at, skip = end + 1, skip - 1
            if not skip and at < len(block):
                yield block[at:]

    def _take(self, block: bytes, last: bool) -> None:
        frame = self._parse(block, last)
        if frame is None:
            return
        height = frame.height
        lines = None
        if all(frame[:, i].null_count() for i in range(frame.width)):
            # A row in which everything is missing may be a blank line.
            full = ~frame.select(pl.all_horizontal(pl.all().is_null())).to_series().to_numpy()
            full |= np.array([bool(line.strip()) for line in block.split(b"\n")[:height]] + [False] * height)[:height]
            lines = np.flatnonzero(full)
            frame = frame.filter(full)
        columns = [self._numbers(i, frame[:, i]) for i in range(frame.width)]
        if self.axis is not None:
            self.time.add(columns[self.axis].astype(np.float64, copy=False), self.line, lines)
        for order, index in enumerate(self.channels):
            self.parts[order].append(np.ascontiguousarray(columns[index], dtype=np.float32))
        self.line += height
        if sum(len(part) for part in self.parts[0]) * len(self.channels) > MAX_SAMPLES:
            raise UnreadableError(f"more than {MAX_SAMPLES:,} samples; that is beyond one capture", line=self.line)

    def _numbers(self, index: int, column: pl.Series) -> NDArray[np.generic]:
        if self.dialect.columns[index].kind == "clock":
            return self.days.seconds(column)
        return (column.fill_null(float("nan")) if column.null_count() else column).to_numpy()

    def _plain(self, block: bytes) -> bytes:
        """The block with one-character delimiters and signs a parser knows."""
        if self.dialect.minus:
            block = block.replace(MINUS.encode(), b"-")
        if b">" in block or b"<" in block:
            block, count = _BEYOND_BYTES.subn(rb"\1", block)
            self.beyond += count
        if self.dialect.delimiter == " ":
            block = b"\n".join(b"\t".join(line.split()) for line in block.split(b"\n"))
        block = as_numbers(block)
        if self.dialect.delimiter == " ":
            return block
        if self._quoted_commas:
            return _COMMA_OR_QUOTED.sub(lambda m: b"\t" if m[1] is None else m[1], block)
        if self.dialect.delimiter == '","' and block.count(b'","') < block.count(b"\n") * (self.dialect.width - 1):
            return _COMMA_OR_QUOTED.sub(lambda m: b"\t" if m[1] is None else m[1], block)
        if self.dialect.delimiter == '","':
            return block.replace(b'","', b"\t").replace(b'"', b"")
        if self.dialect.padded and not any(c.kind == "clock" for c in self.dialect.columns):
            return block.replace(b" ", b"")
        return block

    @property
    def _quoted_commas(self) -> bool:
        """Whether commas split cells, and stand in quoted ones as decimal signs."""
        return self.dialect.delimiter == "," and self.dialect.decimal_comma

    @property
    def _separator(self) -> str:
        if self._quoted_commas:
            return "\t"
        return self.dialect.delimiter if len(self.dialect.delimiter) == 1 and self.dialect.delimiter != " " else "\t"

    def _parse(self, block: bytes, last: bool) -> pl.DataFrame | None:
        """Numbers of the active columns; missing values are null. None when the block holds no row."""
        block = self._plain(block)
        if block.isspace():
            return None
        # Comparing every cell with every word for "missing" is slow: most blocks hold none.
        for words in (None, _NULLS):
            try:
                frame = self._polars(block, words)
            except (pl.exceptions.PolarsError, PanicException):
                continue
            if not self._rows_are_short(frame):
                return frame
        good = self._good_part(block, last)
        try:
            return self._polars(good, _NULLS) if good else None
        except (pl.exceptions.PolarsError, PanicException) as error:  # the latter is no Exception: it passes every net
            what = "the rows from here on cannot be split into numbers: quotes that do not close, or damage"
            raise UnreadableError(what, line=self.line + 1) from error

    def _polars(self, block: bytes, words: list[str] | None) -> pl.DataFrame:
        dialect = self.dialect
        names = [f"c{i}" for i in range(dialect.width)]
        kinds: dict[str, type[pl.DataType]] = {names[i]: pl.Float32 for i in dialect.active}
        for index, column in zip(dialect.active, dialect.columns, strict=True):
            if column.kind in ("time", "index", "clock"):
                kinds[names[index]] = pl.String if column.kind == "clock" else pl.Float64
        others: dict[str, type[pl.DataType]] = {name: pl.String for name in names if name not in kinds}
        frame = pl.read_csv(
            block,
            has_header=False,
            separator=self._separator,
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

    def _good_part(self, block: bytes, last: bool) -> bytes:
        """The rows of a block up to a cut last line or a footer, after which the table ends.

        Raises UnreadableError for a bad row in the middle.
        """
        lines = block.split(b"\n")
        for number_, raw in enumerate(lines):
            trouble = self._trouble(raw.decode("utf-8", "replace"))
            if not trouble:
                continue
            rest = [line for line in lines[number_:] if line.strip()]
            if not last or len(rest) > _FOOTER_LINES:
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
        parts = cells(line, self._separator)
        expected = f"{len(self.dialect.active)} numbers were expected"
        while len(parts) > self.dialect.width and parts[-1] == "":
            parts.pop()
        if len(parts) > self.dialect.width or len(parts) <= max(self.dialect.active):
            return f"{expected}, {len(parts)} found"
        for index in self.dialect.active:
            cell = parts[index]
            if not is_value(cell, self.dialect.decimal_comma) and not is_missing(cell):
                return f"{expected}, found “{cell[:30]}”"
        return ""


class _Days:
    """Clock times to seconds that go on over midnight. first: the first cell as written."""

    def __init__(self) -> None:
        self.first = ""
        self._last = -np.inf
        self._days = 0

    def seconds(self, column: pl.Series) -> Floats:
        """Seconds since midnight of the first day; NaN for what is no clock time. Shape (n,)."""
        text = column.fill_null("").str.strip_chars()
        self.first = self.first or str(text[0])
        parts = text.str.extract_groups(CLOCK.pattern).struct.unnest()
        hours, minutes, rest = (parts[:, i] for i in range(3))
        whole = hours.cast(pl.Float64) * 3600 + minutes.cast(pl.Float64) * 60
        day = (whole + rest.str.replace(",", ".").cast(pl.Float64)).fill_null(float("nan")).to_numpy()
        back = np.diff(day, prepend=self._last if np.isfinite(self._last) else day[0]) < -_HALF_DAY_S
        days = self._days + np.cumsum(back)
        self._last, self._days = float(day[-1]), int(days[-1])
        return np.asarray(day + 86_400.0 * days, dtype=np.float64)


def _channel_name(column: Column, order: int) -> str:
    return column.name or f"Channel {order + 1}"


READER = Reader(
    key="scope-csv",
    title="Oscilloscope or logger table",
    sniff=sniff,
    read=read,
    endings=("csv", "tsv", "txt"),
    words="a table of a scope or logger (CSV, TSV, TXT)",
)
