"""All readers, chosen by content. To add one: write its file with a READER, name it here."""

from __future__ import annotations

from gladwire.formats import can_logs, mdf, npz, pcap, pcapng, power_csv, power_xlsx, scope_csv, vcd, wav
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options, Read, Reader

READERS: tuple[Reader, ...] = (
    scope_csv.READER,
    power_csv.READER,
    power_xlsx.READER,
    wav.READER,
    npz.READER,
    vcd.READER,
    mdf.READER,
    pcap.READER,
    pcapng.READER,
    *can_logs.READERS,
)
_KNOWN = (
    "a table of a scope, logger or power record (CSV, TSV, TXT, XLSX), VCD, "
    "WAV, NumPy .npz, MDF 4, pcap or pcapng, a CAN log (candump, ASC, BLF, TRC), gzip or not"
)


def read_capture(source: Source, options: Options | None = None) -> Read:
    """Recognise and read a capture. Raises UnreadableError with one clear sentence."""
    head = source.head()
    if not head:
        what = "the gzip file is damaged or empty: nothing could be unpacked" if source.packed else "the file is empty"
        raise UnreadableError(f"{what}; expected {_KNOWN}")
    score, reader = max(((r.sniff(head), r) for r in READERS), key=lambda pair: pair[0])
    if score <= 0:
        raise UnreadableError(f"this is no capture that is known here; expected {_KNOWN}")
    return reader.read(source, options or Options())
