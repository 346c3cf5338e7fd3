"""Takes the time of the slow reference codec out of a capture: gaps of 0.03 to 1 s keep a twentieth of what is over 0.03 s.

python squeeze.py IN.pcap OUT.pcap
"""

import struct
import sys
from pathlib import Path


def squeezed(data: bytes) -> bytes:
    out, at, last, now = [data[:24]], 24, None, None
    while at < len(data):
        seconds, micros, kept, length = struct.unpack_from("<IIII", data, at)
        moment = seconds * 1_000_000 + micros
        gap = 0 if last is None else moment - last
        last = moment
        if 30_000 < gap < 1_000_000:
            gap = 30_000 + (gap - 30_000) // 20
        now = moment if now is None else now + gap
        out.append(struct.pack("<IIII", *divmod(now, 1_000_000), kept, length) + data[at + 16 : at + 16 + kept])
        at += 16 + kept
    return b"".join(out)


if __name__ == "__main__":
    Path(sys.argv[2]).write_bytes(squeezed(Path(sys.argv[1]).read_bytes()))
