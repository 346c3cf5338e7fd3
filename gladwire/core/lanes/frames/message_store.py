"""All messages of a capture as arrays: small to keep, and any one of them decoded again when someone opens it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gladwire.core.lanes.frames.connection import CapturedMessage
from gladwire.core.plc.exi.grammar import KEYS
from gladwire.core.plc.message import Message, read_message


class StoredMessage(NamedTuple):
    """One message with its bytes. side: 0 vehicle, 1 post."""

    number: int
    time_s: float
    frame: int
    connection: int
    side: int
    message: Message
    payload: bytes


class MessageStore(NamedTuple):
    """times_s, frames, talks, sides, keys: one entry a message; ends: where each payload ends in `payloads`."""

    times_s: NDArray[np.float64]
    frames: NDArray[np.int64]
    connections: NDArray[np.int32]
    sides: NDArray[np.int8]
    keys: NDArray[np.int8]
    ends: NDArray[np.int64]
    payloads: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.times_s)

    def payload(self, number: int) -> bytes:
        """A message's bytes. Raises IndexError."""
        if not 0 <= number < len(self.times_s):
            raise IndexError(number)
        start = int(self.ends[number - 1]) if number else 0
        return self.payloads[start : int(self.ends[number])].tobytes()

    def one(self, number: int) -> StoredMessage:
        """A message by its number. Raises IndexError."""
        payload = self.payload(number)
        key = int(self.keys[number])
        message = read_message(payload, (KEYS[key],) if key >= 0 else KEYS)
        return StoredMessage(
            number,
            float(self.times_s[number]),
            int(self.frames[number]),
            int(self.connections[number]),
            int(self.sides[number]),
            message,
            payload,
        )


def keep(messages: Sequence[CapturedMessage]) -> MessageStore:
    """Messages as arrays, in the order given."""
    sizes = np.array([len(m.payload) for m in messages], dtype=np.int64)
    keys = [KEYS.index(m.message.key) if m.message.key else -1 for m in messages]
    return MessageStore(
        np.array([m.time_s for m in messages], dtype=np.float64),
        np.array([m.frame for m in messages], dtype=np.int64),
        np.array([m.connection for m in messages], dtype=np.int32),
        np.array([m.side for m in messages], dtype=np.int8),
        np.array(keys, dtype=np.int8),
        np.cumsum(sizes),
        np.frombuffer(b"".join(m.payload for m in messages), dtype=np.uint8),
    )
