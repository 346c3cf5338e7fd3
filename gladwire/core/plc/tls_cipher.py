"""Opening sealed TLS records with keys from a key log, suite by suite.

Source: RFC 5246 (TLS 1.2, 6.2.3 and 6.3), RFC 5288 (GCM), RFC 6655 (CCM), RFC 7366 (encrypt then MAC), RFC 7905 (ChaCha20),
RFC 8446 (TLS 1.3, 5.2 and 7). Suites: those ISO 15118-2 and -20 name, and their neighbours that stacks fall back to.
"""

from __future__ import annotations

import hashlib
import hmac
import struct
from collections.abc import Callable
from typing import Any, Literal, NamedTuple

# Records that may be missing before one opens: the capture lost them, and the count went on without us.
_MOST_MISSING = 64
_TAG = 16


class Suite(NamedTuple):
    """A cipher suite. mac: bytes of a MAC key of its own, for the block ciphers."""

    name: str
    mode: Literal["gcm", "ccm", "ccm8", "chacha", "cbc"]
    key: int
    hash: Literal["sha256", "sha384", "sha1"]
    mac: int = 0


# Numbers of the public registry of TLS cipher suites, from memory.
SUITES: dict[int, Suite] = {
    0x1301: Suite("TLS_AES_128_GCM_SHA256", "gcm", 16, "sha256"),
    0x1302: Suite("TLS_AES_256_GCM_SHA384", "gcm", 32, "sha384"),
    0x1303: Suite("TLS_CHACHA20_POLY1305_SHA256", "chacha", 32, "sha256"),
    0x1304: Suite("TLS_AES_128_CCM_SHA256", "ccm", 16, "sha256"),
    0x1305: Suite("TLS_AES_128_CCM_8_SHA256", "ccm8", 16, "sha256"),
    0x002F: Suite("TLS_RSA_WITH_AES_128_CBC_SHA", "cbc", 16, "sha1", 20),
    0x0035: Suite("TLS_RSA_WITH_AES_256_CBC_SHA", "cbc", 32, "sha1", 20),
    0x003C: Suite("TLS_RSA_WITH_AES_128_CBC_SHA256", "cbc", 16, "sha256", 32),
    0x009C: Suite("TLS_RSA_WITH_AES_128_GCM_SHA256", "gcm", 16, "sha256"),
    0xC004: Suite("TLS_ECDH_ECDSA_WITH_AES_128_CBC_SHA", "cbc", 16, "sha1", 20),
    0xC009: Suite("TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA", "cbc", 16, "sha1", 20),
    0xC00A: Suite("TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA", "cbc", 32, "sha1", 20),
    0xC013: Suite("TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA", "cbc", 16, "sha1", 20),
    0xC023: Suite("TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA256", "cbc", 16, "sha256", 32),
    0xC024: Suite("TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA384", "cbc", 32, "sha384", 48),
    0xC025: Suite("TLS_ECDH_ECDSA_WITH_AES_128_CBC_SHA256", "cbc", 16, "sha256", 32),
    0xC027: Suite("TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA256", "cbc", 16, "sha256", 32),
    0xC02B: Suite("TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256", "gcm", 16, "sha256"),
    0xC02C: Suite("TLS_ECDHE_ECDSA_WITH_AES_256_GCM_SHA384", "gcm", 32, "sha384"),
    0xC02D: Suite("TLS_ECDH_ECDSA_WITH_AES_128_GCM_SHA256", "gcm", 16, "sha256"),
    0xC02F: Suite("TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256", "gcm", 16, "sha256"),
    0xC030: Suite("TLS_ECDHE_RSA_WITH_AES_256_GCM_SHA384", "gcm", 32, "sha384"),
    0xC0AC: Suite("TLS_ECDHE_ECDSA_WITH_AES_128_CCM", "ccm", 16, "sha256"),
    0xC0AE: Suite("TLS_ECDHE_ECDSA_WITH_AES_128_CCM_8", "ccm8", 16, "sha256"),
    0xCCA9: Suite("TLS_ECDHE_ECDSA_WITH_CHACHA20_POLY1305_SHA256", "chacha", 32, "sha256"),
    0xCCA8: Suite("TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256", "chacha", 32, "sha256"),
}


class DecryptError(ValueError):
    """A record that does not open with these keys."""


class Opener:
    """Opens the records of one side, one after the other."""

    def __init__(self, opens: Callable[[int, bytes, bytes], bytes]) -> None:
        self._opens = opens
        self.seq = 0
        self.opened = 0

    def open(self, head: bytes, body: bytes) -> bytes:
        """The plaintext. head: the record's five bytes. Raises SealedError."""
        try:
            plain = self._opens(self.seq, head, body)
        except DecryptError:
            if not self.opened:
                raise
            plain = self._after_a_hole(head, body)
        self.seq += 1
        self.opened += 1
        return plain

    def _after_a_hole(self, head: bytes, body: bytes) -> bytes:
        for seq in range(self.seq + 1, self.seq + _MOST_MISSING):
            try:
                plain = self._opens(seq, head, body)
            except DecryptError:
                continue
            self.seq = seq
            return plain
        raise DecryptError


def _aead(suite: Suite, key: bytes) -> Callable[[bytes, bytes, bytes], bytes]:
    """(nonce, sealed, associated data) to plaintext."""
    from cryptography.exceptions import InvalidTag  # takes a tenth of a second, and few captures are sealed
    from cryptography.hazmat.primitives.ciphers import aead

    kinds: dict[str, Callable[[], Any]] = {
        "gcm": lambda: aead.AESGCM(key),
        "ccm": lambda: aead.AESCCM(key, 16),
        "ccm8": lambda: aead.AESCCM(key, 8),
        "chacha": lambda: aead.ChaCha20Poly1305(key),
    }
    cipher = kinds[suite.mode]()

    def opens(nonce: bytes, ciphertext: bytes, data: bytes) -> bytes:
        try:
            return bytes(cipher.decrypt(nonce, ciphertext, data))
        except (InvalidTag, ValueError, OverflowError) as error:
            raise DecryptError from error

    return opens


def opener_13(suite: Suite, secret: bytes) -> Opener:
    """Opens records of TLS 1.3 under a traffic secret; the plaintext still ends in its kind and padding."""
    aead = _aead(suite, expand_label(suite, secret, "key", suite.key))
    iv = int.from_bytes(expand_label(suite, secret, "iv", 12), "big")
    return Opener(lambda seq, head, body: aead((iv ^ seq).to_bytes(12, "big"), body, head))


def expand_label(suite: Suite, secret: bytes, label: str, length: int) -> bytes:
    """HKDF-Expand-Label with an empty context (RFC 8446, 7.1)."""
    from cryptography.hazmat.primitives import hashes
    from cryptography.hazmat.primitives.kdf.hkdf import HKDFExpand

    kind = hashes.SHA384() if suite.hash == "sha384" else hashes.SHA256()
    name = b"tls13 " + label.encode()
    info = struct.pack(">HB", length, len(name)) + name + b"\0"
    return HKDFExpand(kind, length, info).derive(secret)


def next_secret(suite: Suite, secret: bytes) -> bytes:
    """The traffic secret after a key update (RFC 8446, 7.2)."""
    return expand_label(suite, secret, "traffic upd", len(secret))


def openers_12(
    suite: Suite, master: bytes, client_random: bytes, server_random: bytes, mac_last: bool
) -> tuple[Opener, Opener]:
    """Openers of client and server under a master secret. mac_last: encrypt then MAC was agreed."""
    fixed = {"gcm": 4, "ccm": 4, "ccm8": 4, "chacha": 12, "cbc": 0}[suite.mode]
    kind = "sha384" if suite.hash == "sha384" else "sha256"
    block = prf(kind, master, b"key expansion" + server_random + client_random, 2 * (suite.mac + suite.key + fixed))
    parts, at = [], 0
    for size in (suite.mac, suite.mac, suite.key, suite.key, fixed, fixed):
        parts.append(block[at : at + size])
        at += size
    if suite.mode == "cbc":
        return tuple(Opener(_block(suite, parts[s], parts[2 + s], mac_last)) for s in (0, 1))  # type: ignore[return-value]
    return tuple(Opener(_aead_12(suite, parts[2 + s], parts[4 + s])) for s in (0, 1))  # type: ignore[return-value]


def _aead_12(suite: Suite, key: bytes, iv: bytes) -> Callable[[int, bytes, bytes], bytes]:
    aead = _aead(suite, key)
    explicit = 0 if suite.mode == "chacha" else 8
    tag = 8 if suite.mode == "ccm8" else _TAG

    def opens(seq: int, head: bytes, body: bytes) -> bytes:
        length = len(body) - explicit - tag
        if length < 0:
            raise DecryptError
        data = struct.pack(">Q", seq) + head[:3] + struct.pack(">H", length)
        nonce = iv + body[:8] if explicit else (int.from_bytes(iv, "big") ^ seq).to_bytes(12, "big")
        return aead(nonce, body[explicit:], data)

    return opens


def _block(suite: Suite, mac_key: bytes, key: bytes, mac_last: bool) -> Callable[[int, bytes, bytes], bytes]:
    from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

    def opens(seq: int, head: bytes, body: bytes) -> bytes:
        ciphertext = body[: -suite.mac] if mac_last else body
        if len(ciphertext) < 32 or len(ciphertext) % 16:
            raise DecryptError
        decryptor = Cipher(algorithms.AES(key), modes.CBC(ciphertext[:16])).decryptor()
        padded = decryptor.update(ciphertext[16:]) + decryptor.finalize()
        plain = padded[: len(padded) - padded[-1] - 1]
        if mac_last:
            told, covered, length = body[-suite.mac :], ciphertext, len(ciphertext)
        else:
            told, covered, length = plain[-suite.mac :], plain[: -suite.mac], len(plain) - suite.mac
        if length < 0:
            raise DecryptError
        made = hmac.new(mac_key, struct.pack(">Q", seq) + head[:3] + struct.pack(">H", length) + covered, suite.hash)
        if not hmac.compare_digest(made.digest(), told):
            raise DecryptError
        return plain if mac_last else covered

    return opens


def prf(kind: str, secret: bytes, seed: bytes, length: int) -> bytes:
    """The pseudo-random function of TLS 1.2 (RFC 5246, 5), label and seed already joined."""
    digest = getattr(hashlib, kind)
    made, a = b"", seed
    while len(made) < length:
        a = hmac.new(secret, a, digest).digest()
        made += hmac.new(secret, a + seed, digest).digest()
    return made[:length]
