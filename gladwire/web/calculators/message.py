"""A V2G message pasted: hexadecimal to its fields, or fields to their bytes."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, NamedTuple

from gladwire.core.lanes.frames.plain import means
from gladwire.core.plc.exi.grammar import PROTOCOLS
from gladwire.core.plc.exi.units import unit_of
from gladwire.core.standards.source import DIN_70121, ISO_15118_2
from gladwire.exi_lines import as_object, decode_text, encode_object
from gladwire.web.calculators.tool import Field, Tool

_PROTOCOLS = (
    ("", "find out"),
    ("sap", "supportedAppProtocol"),
    ("din", "DIN SPEC 70121"),
    ("iso2", "ISO 15118-2"),
    ("iso20", "ISO 15118-20"),
)
_EXAMPLE = "809a02004080c1014181c21151400dc0c142180c0c0c0040"


class Answer(NamedTuple):
    """A message read, or written. rows: (path, value, unit, meaning). error: where it broke. json: to paste back."""

    name: str
    protocol: str
    rows: list[tuple[str, Any, str, str]]
    error: str
    octets: str
    json: str


def answer(typed: Mapping[str, str]) -> Answer:
    text = typed.get("text", "").strip()
    key = typed.get("protocol") or None
    if key is not None and key not in PROTOCOLS:
        raise ValueError(f"{key} is no protocol known here")
    if not text:
        raise ValueError("paste the bytes of a message in hexadecimal, or its fields as JSON")
    if text.startswith("{"):
        try:
            data = encode_object(json.loads(text), key)
        except json.JSONDecodeError as error:
            raise ValueError(f"this is no JSON: {error}") from error
        text = data.hex()
    data, message = decode_text(text, key)
    rows = [(path, value, unit_of(path), means(path, value)) for path, value in message.fields.items()]
    as_json = json.dumps(as_object(message), ensure_ascii=False)
    return Answer(
        message.name or "No message",
        message.protocol,
        rows,
        str(message.error) if message.error else "",
        data.hex(" "),
        as_json,
    )


TOOL = Tool(
    "message",
    "A message, read and written",
    "Paste the bytes of a message, with or without its V2GTP header, or its fields as JSON to get the bytes.",
    (
        Field("text", "Hexadecimal or JSON", _EXAMPLE, text=True, most=20_000),
        Field("protocol", "Protocol", "", choices=_PROTOCOLS),
    ),
    answer,
    (DIN_70121, ISO_15118_2),
)
