"""All readers, chosen by content. To add one: write its file with a READER, name it here."""

from __future__ import annotations

import re

from gladwire.formats import (
    can_logs,
    changes_csv,
    mdf,
    npz,
    pcap,
    pcapng,
    power_csv,
    power_xlsx,
    scope_csv,
    typed,
    vcd,
    wav,
)
from gladwire.formats.checked import checked
from gladwire.formats.errors import UnreadableError, unexpected
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options, Read, Reader

READERS: tuple[Reader, ...] = (
    scope_csv.READER,
    changes_csv.READER,
    power_csv.READER,
    power_xlsx.READER,
    typed.READER,
    wav.READER,
    npz.READER,
    vcd.READER,
    mdf.READER,
    pcap.READER,
    pcapng.READER,
    *can_logs.READERS,
)
BY_KEY = {reader.key: reader for reader in READERS}
# Raise when a reader understands more, or otherwise: refused captures are tried again, and read ones read anew.
READS = 7
# What can be read, as sentences and pages name it.
KNOWN = f"{', '.join(dict.fromkeys(reader.words for reader in READERS if reader.words))}, gzip or not"
_ENDINGS = re.compile(rf"(\.({'|'.join(sorted({e for r in READERS for e in r.endings}))}|gz))+$", re.IGNORECASE)


def without_ending(name: str) -> str:
    """A file's name without what only says its format."""
    return _ENDINGS.sub("", name)


def read_capture(source: Source, options: Options | None = None) -> Read:
    """Recognise and read a capture, or read it as a person chose. Raises UnreadableError with one clear sentence."""
    options = options or Options()
    head = source.head()
    if not head:
        what = "the gzip file is damaged or empty: nothing could be unpacked" if source.packed else "the file is empty"
        raise UnreadableError(f"{what}; expected {KNOWN}")
    if options.reader:
        return _read_by(_chosen(options.reader), source, options)
    score, reader = max(((r.sniff(head), r) for r in READERS), key=lambda pair: pair[0])
    if score <= 0:
        raise UnreadableError(f"this is no capture that is known here; expected {KNOWN}")
    return _read_by(reader, source, options)


def _read_by(reader: Reader, source: Source, options: Options) -> Read:
    """Raises UnreadableError whatever a reader trips over: what strangers give can trip anything."""
    try:
        return checked(reader.read(source, options))
    except (UnreadableError, MemoryError):
        raise
    except Exception as error:
        raise unexpected(error, f"read as {reader.title}") from error


def _chosen(key: str) -> Reader:
    if key not in BY_KEY:
        raise UnreadableError(f"there is no reader “{key}”; there are {', '.join(BY_KEY)}")
    return BY_KEY[key]
