"""V2G messages: bytes to names and fields, and back, whichever protocol they speak."""

from dataclasses import dataclass, field, replace
from typing import Any

from gladwire.core.plc.exi.decoder import Decoded, ExiError, decode
from gladwire.core.plc.exi.element import Element
from gladwire.core.plc.exi.encoder import EncodeError, encode
from gladwire.core.plc.exi.fields import Fields, flatten, shared, unflatten
from gladwire.core.plc.exi.grammar import KEYS, Grammar, Type, grammar

ENVELOPE = "V2G_Message"
HEADER = "Header"
NO_SESSION = "0000000000000000"


@dataclass(frozen=True, slots=True)
class Message:
    """One message. `name` is the standard's (`CurrentDemandReq`), `fields` are flat and in SI units.

    `error` says where a damaged message broke; name and fields then hold what could be read. `key`: of the grammar.
    """

    protocol: str
    name: str
    fields: Fields
    header: Fields = field(default_factory=dict)
    error: ExiError | None = None
    key: str = ""

    @property
    def response_code(self) -> str | None:
        return self.fields.get("ResponseCode")

    @property
    def request(self) -> bool:
        return self.name.endswith("Req")


def read_message(data: bytes, keys: tuple[str, ...] = KEYS) -> Message:
    """A message in the first of the grammars `keys` that reads it whole, else that came nearest."""
    best: tuple[float, Message] | None = None
    for key in keys:
        found = decode(grammar(key), data)
        message = shape(grammar(key), found)
        if found.error is None and message.name and found.bits_left < 8:
            return message
        reach = (found.error.bit if found.error else len(data) * 8 - found.bits_left) + (1e9 if message.name else 0)
        if best is None or reach > best[0]:
            best = reach, message
    assert best is not None
    message = best[1]
    if message.error is None:
        error = ExiError(0, "a root element that is no message") if not message.name else _left_over(data)
        return replace(message, error=error)
    return message


def _left_over(data: bytes) -> ExiError:
    return ExiError(len(data) * 8, "the message ended before its bytes did")


def shape(rules: Grammar, found: Decoded) -> Message:
    """A decoded document as a message: header apart, fields below the message's own element."""
    if found.root != ENVELOPE:
        name = found.root if found.root.endswith(("Req", "Res")) else ""
        if not name or not isinstance(found.content, Element):
            return Message(rules.protocol, name, {}, {}, found.error, rules.key)
        # Messages of ISO 15118-20 are root elements, with their header as first child.
        header = found.content.pop(HEADER, None)
        told = flatten(header) if header is not None else {}
        fields = shared(found.rest) if found.rest is not None else flatten(found.content)
        return Message(rules.protocol, name, fields, told, found.error, rules.key)
    body = found.content.get("Body", {})
    name = next(iter(body), "")
    content = body.get(name, Element())
    header = flatten(found.content.get(HEADER, Element()))
    return Message(rules.protocol, name, flatten(content), header, found.error, rules.key)


def write_message(key: str, name: str, fields: Fields, header: Fields | None = None) -> bytes:
    """The bytes of a message. Raises EncodeError, naming the field, where the protocol does not allow it."""
    rules = grammar(key)
    try:
        if ENVELOPE not in names_of_roots(rules):
            return _write_root(rules, name, fields, header)
        envelope = _root(rules, ENVELOPE)
        head = unflatten(header or {"SessionID": NO_SESSION}, rules, child(envelope, HEADER))
        content: Any = {name: unflatten(fields, rules, child(child(envelope, "Body"), name))}
        return encode(rules, ENVELOPE, {HEADER: head, "Body": content})
    except EncodeError:
        raise
    except ValueError as error:
        raise EncodeError(name, str(error)) from error


def _write_root(rules: Grammar, name: str, fields: Fields, header: Fields | None) -> bytes:
    """A message that is a root element itself; those of ISO 15118-20 carry session and time in their header."""
    kind = _root(rules, name)
    content = unflatten(fields, rules, kind)
    if any(p[0] == "el" and p[1] == HEADER for p in kind.particles):
        told = {"SessionID": NO_SESSION, "TimeStamp": 0, **(header or {})}
        content = {HEADER: unflatten(told, rules, child(kind, HEADER)), **content}
    return encode(rules, name, content)


def names_of_roots(rules: Grammar) -> list[str]:
    return [m.name for m in rules.roots]


def _root(rules: Grammar, name: str) -> Type:
    for move in rules.roots:
        if move.name == name and move.type is not None:
            return move.type
    raise EncodeError(name, f"is no message of {rules.protocol}")


def child(kind: Type, name: str) -> Type:
    """The type of a child element. Raises EncodeError where there is none."""
    for what, child_name, below, *_ in kind.particles:
        if what == "el" and child_name == name:
            return kind.grammar.types[int(below)]
    raise EncodeError(name, f"is unknown in {kind.grammar.protocol}")


def messages_of(key: str) -> list[str]:
    """Names of all messages of a protocol, as its schema lists them."""
    rules = grammar(key)
    roots = names_of_roots(rules)
    if ENVELOPE not in roots:
        return [name for name in roots if name.endswith(("Req", "Res"))]
    body = child(_root(rules, ENVELOPE), "Body")
    return [p[1] for p in body.particles if p[0] == "el" and p[1].endswith(("Req", "Res"))]
