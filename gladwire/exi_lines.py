"""`./glad exi` and the Bench page of the same: one message a line, hexadecimal to JSON and back."""

from __future__ import annotations

import json
from typing import Any

from gladwire.core.lanes.frames.connection import BY_KIND
from gladwire.core.plc.exi.encoder import EncodeError
from gladwire.core.plc.exi.grammar import KEYS, PROTOCOLS, grammar
from gladwire.core.plc.message import NO_SESSION, Message, messages_of, read_message, write_message

V2GTP_HEADER = bytes.fromhex("01fe")
V2GTP_HEADER_BYTES = 8


def decode_text(text: str, key: str | None = None) -> tuple[bytes, Message]:
    """The bytes and the message of hexadecimal text; a V2GTP header before it is passed by.

    Raises ValueError with a sentence where the text is no hexadecimal.
    """
    digits = "".join(text.replace("0x", " ").replace("0X", " ").replace(":", " ").replace(",", " ").split())
    try:
        data = bytes.fromhex(digits)
    except ValueError as error:
        raise ValueError(_no_hex(digits)) from error
    keys = PROTOCOLS[key] if key else KEYS
    if data.startswith(V2GTP_HEADER) and len(data) > V2GTP_HEADER_BYTES:
        # The payload type names the schema where there are several of one protocol.
        keys = keys if key else BY_KIND.get(int.from_bytes(data[2:4], "big"), keys)
        data = data[V2GTP_HEADER_BYTES:]
    return data, read_message(data, keys)


def _no_hex(digits: str) -> str:
    wrong = next((c for c in digits if c not in "0123456789abcdefABCDEF"), "")
    if wrong:
        return f"{wrong!r} is no hexadecimal digit"
    return "an odd number of hexadecimal digits: half a byte is missing"


def as_object(message: Message) -> dict[str, Any]:
    """One message under the contract's keys; absent where they do not apply."""
    found: dict[str, Any] = {"protocol": message.protocol}
    if message.name:
        found["name"] = message.name
    if message.response_code is not None:
        found["response_code"] = message.response_code
    found["fields"] = message.fields
    if message.header:
        found["header"] = message.header
    if message.error is not None:
        found["error"] = {"bit": message.error.bit, "text": str(message.error)}
    return found


def decode_line(line: str, key: str | None = None) -> str:
    """One line of hexadecimal to one line of JSON."""
    try:
        _, message = decode_text(line, key)
    except ValueError as error:
        return json.dumps({"error": {"text": str(error)}})
    return json.dumps(as_object(message), ensure_ascii=False)


def encode_line(line: str, key: str | None = None) -> str:
    """One line of JSON (`protocol`, `name`, `fields`, perhaps `header`) to hexadecimal, or a line `error: …`."""
    try:
        wanted = json.loads(line)
        return encode_object(wanted, key).hex()
    except (ValueError, EncodeError) as error:
        return f"error: {error}"


def encode_object(wanted: Any, key: str | None = None) -> bytes:
    """The bytes of a message given as an object. Raises ValueError or EncodeError with a sentence."""
    if not isinstance(wanted, dict) or not isinstance(wanted.get("name"), str):
        raise ValueError('an object with "name" and "fields" was expected')
    fields, header = wanted.get("fields", {}), wanted.get("header")
    if not isinstance(fields, dict) or not isinstance(header or {}, dict):
        raise ValueError('"fields" and "header" are objects of path and value')
    if wanted.get("response_code") is not None:
        fields = {"ResponseCode": wanted["response_code"], **fields}
    return write_message(_grammar_of(wanted, key), wanted["name"], fields, header or {"SessionID": NO_SESSION})


def _grammar_of(wanted: dict[str, Any], key: str | None) -> str:
    """The grammar that has this message. Raises ValueError with a sentence where none or several have it."""
    keys = PROTOCOLS[key] if key else KEYS
    wished = wanted.get("protocol")
    if not key and wished is not None:
        keys = PROTOCOLS.get(wished) or tuple(k for k in KEYS if grammar(k).protocol == wished)
        if not keys:
            raise ValueError(
                f"{wished!r} is no protocol known here: {', '.join({grammar(k).protocol: 0 for k in KEYS})}"
            )
    able = [k for k in keys if wanted["name"] in messages_of(k)]
    protocols = list(dict.fromkeys(grammar(k).protocol for k in able))
    if not able:
        raise ValueError(f"{wanted['name']} is no message of {', '.join({grammar(k).protocol: 0 for k in keys})}")
    if len(protocols) > 1:
        raise ValueError(f"{wanted['name']} needs a protocol: {', '.join(protocols)}")
    return able[0]
