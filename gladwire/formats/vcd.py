"""Value change dump (IEEE 1364): logic captures of lock, contactor and switch lines, read onto an even clock and written.

One change looks like this: `#1500` (time in the file's timescale), then `1!` (the line called `!` goes high).
"""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from typing import Any

import numpy as np
from vcd.reader import ScopeDecl, TokenKind, VarDecl, VCDParseError, tokenize
from vcd.writer import VCDWriter

from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.held import Line, on_even_clock
from gladwire.formats.opening import Source, read_some
from gladwire.formats.reader import Options, Reader

# A line of text per change: more is not what a lock or contactor does in a session.
_MOST_BYTES = 200 * 2**20
_UNITS_S = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9, "ps": 1e-12, "fs": 1e-15}

_VARIABLE = re.compile(rb"(\$var\s+\w+\s+\d+\s+\S+\s+)(.*?)(\s\$end)", re.DOTALL)


def sniff(head: bytes) -> int:
    start = head[:4096]
    return 85 if b"$timescale" in head[:16384] or (b"$var" in start and b"$end" in start) else 0


def read(source: Source, options: Options) -> Recording:
    """Every variable becomes a channel, held between its changes; unknown (x) and floating (z) are missing samples.

    Raises UnreadableError for a file that is no dump, has no variable that changes, or is too large.
    """
    with source.open() as stream:
        content = read_some(stream, _MOST_BYTES + 1)
    if len(content) > _MOST_BYTES:
        raise UnreadableError(
            f"the dump is larger than {_MOST_BYTES // 2**20} MiB; record fewer lines or a shorter time"
        )
    lines, tick_s, ticks, recorded_at, remarks = _changes(content)
    kept = [line for line in lines if line.ticks]
    if not kept or len(ticks) < 2:
        raise UnreadableError("the dump holds no line that ever changes")
    channels, note = on_even_clock(kept, tick_s, min(ticks), max(ticks))
    return Recording(channels, READER.key, (*remarks, *note), recorded_at)


def _changes(content: bytes) -> tuple[list[Line], float, list[int], str, tuple[str, ...]]:
    """(variables, seconds of a tick, all times, the file's own date, remarks)."""
    head, found, body = content.partition(b"$enddefinitions")
    if not found:
        raise UnreadableError("this is no sound value change dump: its definitions never end")
    lines, by_code, tick_s, date = _definitions(_names_joined(head))
    ticks, remarks = _body(body.split()[1:], by_code)
    return lines, tick_s, ticks, date, remarks


def _definitions(head: bytes) -> tuple[list[Line], dict[bytes, list[Line]], float, str]:
    """(variables, the same by code, seconds of a tick, the file's own date)."""
    by_code: dict[bytes, list[Line]] = {}
    lines: list[Line] = []
    scopes: list[str] = []
    tick_s, date = 1e-9, ""
    try:
        for token in tokenize(io.BytesIO(head)):
            data: Any = token.data
            if token.kind is TokenKind.VAR:
                lines.append(_declared(data, scopes))
                by_code.setdefault(data.id_code.encode(), []).append(lines[-1])
            elif token.kind is TokenKind.SCOPE and isinstance(data, ScopeDecl):
                scopes.append(data.ident)
            elif token.kind is TokenKind.UPSCOPE and scopes:
                scopes.pop()
            elif token.kind is TokenKind.TIMESCALE:
                tick_s = data.magnitude.value * _UNITS_S[data.unit.value]
            elif token.kind is TokenKind.DATE:
                date = str(data).strip()[:80]
    except (VCDParseError, ValueError) as error:
        raise UnreadableError(f"this is no sound value change dump: {error}") from error
    return lines, by_code, tick_s, date


def _body(words: list[bytes], by_code: dict[bytes, list[Line]]) -> tuple[list[int], tuple[str, ...]]:
    """(all times, remarks). The library's tokenizer takes 50 µs a change, which a logic capture has by the million."""
    ticks: list[int] = []
    now, odd, in_comment = 0, 0, False
    following = iter(words)
    for word in following:
        kind = word[:1]
        if in_comment or kind == b"$":
            in_comment = word == b"$comment" or (in_comment and word != b"$end")
        elif kind == b"#" and word[1:].isdigit():
            now = int(word[1:])
            if ticks and now < ticks[-1]:
                raise UnreadableError(f"the time runs backwards at {word.decode()}, after #{ticks[-1]}")
            ticks.append(now)
        elif kind in b"01xXzZ" and word[1:] in by_code:
            for line in by_code[word[1:]]:
                line.change(now, _number(word[:1]))
        elif kind in b"bBrR" and len(word) > 1:
            code = next(following, b"")
            for line in by_code.get(code, ()):
                line.change(now, _real(word[1:]) if kind in b"rR" else _number(word[1:]))
        else:
            odd += 1
    return ticks, (f"{odd} words of the dump could not be read; the rest is.",) if odd else ()


def _names_joined(content: bytes) -> bytes:
    """Instruments write names with blanks, which the standard does not allow; they become underscores."""
    head, found, rest = content.partition(b"$enddefinitions")
    return _VARIABLE.sub(lambda m: m[1] + re.sub(rb"\s+(?!\[)", b"_", m[2].strip()) + m[3], head) + found + rest


def _declared(variable: VarDecl, scopes: Sequence[str]) -> Line:
    """The last scope tells lines of one name apart; the outermost one is only the instrument's."""
    name = variable.reference
    inner = scopes[1:]
    return Line(".".join([*inner, name]), variable.type_.value == "real")


def _number(bits: bytes) -> float:
    """A scalar's or vector's value; x and z are nothing known."""
    return float(int(bits, 2)) if not bits.strip(b"01") else float("nan")


def _real(text: bytes) -> float:
    try:
        return float(text)
    except ValueError:
        return float("nan")


def write(recording: Recording) -> bytes:
    """Two-level channels as a dump, in microseconds from the recording's start. Raises ValueError for none."""
    if not recording.channels:
        raise ValueError("there is no line to write")
    text = io.StringIO()
    start = min(w.start_s for w in recording.channels)
    changes: list[tuple[int, int, int]] = []
    for number, wave in enumerate(recording.channels):
        # A floating stretch keeps what it had; a dump has no better word for a missing sample of a level.
        samples = np.nan_to_num(wave.samples.astype(np.float64))
        high = samples > (samples.min() + samples.max()) / 2
        where = np.concatenate([[0], np.flatnonzero(high[1:] != high[:-1]) + 1])
        at_us = np.round((wave.start_s - start + where / wave.rate_hz) * 1e6).astype(np.int64)
        changes += [(int(t), number, int(high[w])) for t, w in zip(at_us, where, strict=True)]
    end_us = round((max(w.end_s for w in recording.channels) - start) * 1e6)
    with VCDWriter(text, timescale="1 us", date=recording.recorded_at, init_timestamp=0) as writer:
        names = [w.name.replace(" ", "_") for w in recording.channels]
        made = [writer.register_var("lines", name, "wire", size=1, init=0) for name in names]
        for at, number, value in sorted(changes):
            writer.change(made[number], at, value)
        writer.close(end_us)
    return text.getvalue().encode()


READER = Reader(key="vcd", title="Value change dump", sniff=sniff, read=read, endings=("vcd",), words="VCD")
