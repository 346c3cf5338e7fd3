"""Bytes to a bounded stream: gzip is opened, text becomes UTF-8, and nothing is ever read whole."""

from __future__ import annotations

import codecs
import gzip
import io
import re
import zlib
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, BinaryIO, cast

from gladwire.formats.errors import UnreadableError

HEAD_BYTES = 256 * 1024
_PART_BYTES = 4 * 2**20
# A text of this size holds over a hundred million samples; more is not one capture.
MAX_TEXT_BYTES = 8 * 2**30
# One channel of this many samples takes 1.6 GB as float32.
MAX_SAMPLES = 400_000_000
# A capture or record has some tens of columns.
MOST_COLUMNS = 500
# Letters of the Central European code page that are signs in the Western one, within a word or at its beginning.
_POLISH = re.compile(rb"[A-Za-z][\xb9\xb3\xbf\x9c\x9f][a-z\xe6\xea\xf1\xf3]|(?<![A-Za-z0-9])[\xb3\xbf\x9c][a-z]")
_GZIP = b"\x1f\x8b"
# What a packed file may unpack to: any capture to so much, and beyond that so many times its size. A table of numbers
# packs to a tenth, a steady one to a hundredth.
_UNPACKS_TO, _UNPACKS_BY = 256 * 2**20, 200


class Source:
    """A capture's bytes, opened as often as needed. Either a path or the bytes themselves."""

    def __init__(self, content: Path | bytes) -> None:
        self._content = content

    def _raw(self) -> BinaryIO:
        return io.BytesIO(self._content) if isinstance(self._content, bytes) else self._content.open("rb")

    @property
    def size(self) -> int:
        """Bytes as they are stored, packed or not."""
        return len(self._content) if isinstance(self._content, bytes) else self._content.stat().st_size

    @property
    def packed(self) -> bool:
        """Whether the bytes are a gzip file."""
        with self._raw() as raw:
            return raw.read(2) == _GZIP

    def open(self) -> BinaryIO:
        """A stream of the decompressed bytes."""
        if not self.packed:
            return self._raw()
        most = max(_UNPACKS_TO, _UNPACKS_BY * self.size)
        return cast(BinaryIO, io.BufferedReader(_Unpacked(self._raw(), most), 2**20))

    def head(self, size: int = HEAD_BYTES) -> bytes:
        """The first decompressed bytes. Raises UnreadableError for a broken gzip."""
        with self.open() as stream:
            return read_some(stream, size)


class _Unpacked(io.RawIOBase):
    """What comes out of a gzip file, as long as it is in proportion to what went in."""

    def __init__(self, packed: BinaryIO, most: int) -> None:
        self._packed, self._stream = packed, gzip.GzipFile(fileobj=packed)
        self._most, self._seen = most, 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        self._seen = 0
        return self._stream.seek(offset, whence)

    def tell(self) -> int:
        return self._stream.tell()

    def readinto(self, buffer: Any) -> int:
        part = self._stream.read(len(buffer))
        self._seen += len(part)
        if self._seen > self._most:
            raise UnreadableError(
                f"it unpacks to more than {self._most // 2**20} MiB, far beyond its size: no capture does"
            )
        buffer[: len(part)] = part
        return len(part)

    def close(self) -> None:
        self._stream.close()
        self._packed.close()
        super().close()


def read_some(stream: BinaryIO, size: int) -> bytes:
    """Up to size bytes, fewer only at the end; a gzip that breaks off gives what it held."""
    held = io.BytesIO()
    while (left := size - held.tell()) > 0:
        try:
            # A file's own read takes room for all that is asked for, however little is there.
            part = stream.read(min(left, _PART_BYTES))
        except EOFError:
            break
        except (gzip.BadGzipFile, zlib.error, OSError) as error:
            if held.tell():
                break
            raise UnreadableError("the gzip file is damaged: it cannot be unpacked") from error
        if not part:
            break
        held.write(part)
    return held.getvalue()


def encoding_of(head: bytes) -> str:
    """Python's name for the text encoding: by byte-order mark, by the zeros of UTF-16, else UTF-8 or Latin-1."""
    for mark, name in (
        (codecs.BOM_UTF8, "utf-8-sig"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    ):
        if head.startswith(mark):
            return name
    sample = head[:4096]
    if len(sample) >= 16:
        if sample[1::2].count(0) > 0.4 * len(sample) / 2:
            return "utf-16-le"
        if sample[0::2].count(0) > 0.4 * len(sample) / 2:
            return "utf-16-be"
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return "cp1250" if _POLISH.search(head) else "latin-1"
    return "utf-8"


def text_chunks(source: Source, encoding: str, size: int) -> Iterator[bytes]:
    """UTF-8 chunks that end at a line's end, line ends as LF; the last may lack one.

    Raises UnreadableError when the text grows beyond MAX_TEXT_BYTES.
    """
    decoder = codecs.getincrementaldecoder(encoding)(errors="replace") if encoding not in ("utf-8", "ascii") else None
    kept = b""
    total = 0
    with source.open() as stream:
        while block := read_some(stream, size):
            total += len(block)
            if total > MAX_TEXT_BYTES:
                raise UnreadableError(f"the text is larger than {MAX_TEXT_BYTES // 2**30} GiB; that is not one capture")
            if decoder is not None:
                block = decoder.decode(block).encode("utf-8")
            cut = block.rfind(b"\n") + 1 or block.rfind(b"\r") + 1
            if not cut:
                kept += block
                if len(kept) > 4 * size:
                    raise UnreadableError("no line end within the first megabytes; a table of numbers was expected")
                continue
            yield _with_lf(b"".join((kept, memoryview(block)[:cut])))
            kept = block[cut:]
    if kept.strip(b"\x00 \r\n\t"):
        yield _with_lf(kept)


def one_ahead(blocks: Iterator[bytes]) -> Iterator[bytes]:
    """The same blocks, the next one made in a thread while the caller works on the last."""
    with ThreadPoolExecutor(max_workers=1) as pool:
        following = pool.submit(next, blocks, None)
        while (block := following.result()) is not None:
            following = pool.submit(next, blocks, None)
            yield block


def _with_lf(block: bytes) -> bytes:
    if b"\r" not in block:
        return block
    return block.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
