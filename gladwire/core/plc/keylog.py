"""Key logs: the secrets of TLS sessions as browsers and stacks write them down, one a line.

`CLIENT_RANDOM 52362c…24d7 6e48…`: what it is, the random number of the client's hello, the secret. Source: the NSS key log
format, RFC 9850 (SSLKEYLOGFILE), from memory.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

MASTER = "CLIENT_RANDOM"
# (who sends, what the secret seals) -> label of TLS 1.3
HANDSHAKES = ("CLIENT_HANDSHAKE_TRAFFIC_SECRET", "SERVER_HANDSHAKE_TRAFFIC_SECRET")
TRAFFICS = ("CLIENT_TRAFFIC_SECRET_0", "SERVER_TRAFFIC_SECRET_0")
_OTHERS = ("CLIENT_EARLY_TRAFFIC_SECRET", "EARLY_EXPORTER_SECRET", "EXPORTER_SECRET", "EARLY_EXPORTER_MASTER_SECRET",
           "EXPORTER_MASTER_SECRET", "ECH_SECRET", "ECH_CONFIG", "RSA")  # fmt: skip
_LABELS = frozenset({MASTER, *HANDSHAKES, *TRAFFICS, *_OTHERS})
_LINE = re.compile(r"^([A-Z0-9_]+)\s+([0-9a-fA-F]{16,64})\s+([0-9a-fA-F]{2,})$")
_MARK = b"\xef\xbb\xbf"
LONGEST = 1 << 22


@dataclass(frozen=True)
class KeyLog:
    """secrets: (label, the client's random) to the secret. Shown nowhere, and not by repr either."""

    secrets: Mapping[tuple[str, bytes], bytes] = field(default_factory=dict, repr=False)

    def __bool__(self) -> bool:
        return bool(self.secrets)

    def find(self, label: str, client_random: bytes) -> bytes | None:
        return self.secrets.get((label, client_random))

    @property
    def sessions(self) -> int:
        """How many connections it has lines of."""
        return len({random for _, random in self.secrets})

    def with_more(self, other: KeyLog) -> KeyLog:
        return KeyLog({**self.secrets, **other.secrets})


def is_keylog(head: bytes) -> bool:
    """Whether a file begins as a key log does."""
    lines = [
        line for line in head[:4096].removeprefix(_MARK).splitlines() if line.strip() and not line.startswith(b"#")
    ]
    first = lines[0].split() if lines else []
    return len(first) >= 2 and first[0].decode("ascii", "replace") in _LABELS


def read_keylog(text: str) -> KeyLog:
    """Lines that are no secrets are passed by. Raises ValueError where there is no secret at all."""
    if len(text) > LONGEST:
        raise ValueError("a key log of more than 4 MiB is no key log of a charging session")
    # What a byte order mark became when the text was read as ASCII stands before the first line.
    found = dict(_secrets(text.lstrip("\ufeff\ufffd").splitlines()))
    if not found:
        raise ValueError("no key log: no line like “CLIENT_RANDOM 52362c… 6e48…” was found")
    return KeyLog(found)


def _secrets(lines: Iterable[str]) -> Iterable[tuple[tuple[str, bytes], bytes]]:
    for line in lines:
        match = _LINE.match(line.strip())
        if match and match[1] in _LABELS and len(match[2]) % 2 == 0 and len(match[3]) % 2 == 0:
            yield (match[1], bytes.fromhex(match[2])), bytes.fromhex(match[3])
