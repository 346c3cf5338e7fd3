"""A document to bits: the encoding half of the codec."""

from typing import Any

from gladwire.core.plc.exi.decoder import HEADER
from gladwire.core.plc.exi.element import OWN
from gladwire.core.plc.exi.grammar import ELEMENT, END, VALUE, Grammar, Move, State, Type


class EncodeError(ValueError):
    """A document its schema does not allow. `path` names the element, `what` says why."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"{path}: {what}" if path else what)
        self.path = path
        self.what = what


class Encoder:
    """Writes one message."""

    def __init__(self, grammar: Grammar) -> None:
        self.grammar = grammar
        self.bits = HEADER
        self.width = 8

    def document(self, root: str, content: Any) -> bytes:
        """The bytes of a document with this root element."""
        code = next((i for i, m in enumerate(self.grammar.roots) if m.name == root), None)
        if code is None:
            raise EncodeError(root, f"no root element of {self.grammar.protocol}")
        self.write(code, self.grammar.root_width)
        kind = self.grammar.roots[code].type
        assert kind is not None
        self.element(root, kind, content)
        padding = -self.width % 8
        self.write(0, padding)
        return self.bits.to_bytes(self.width // 8, "big")

    def write(self, value: int, width: int) -> None:
        self.bits = self.bits << width | value
        self.width += width

    def element(self, path: str, kind: Type, content: Any) -> None:
        if kind.simple:
            assert kind.value is not None
            self.write(0, 1)
            self.value(path, kind.value, content)
            self.write(0, 1)
            return
        if not isinstance(content, dict):
            if kind.value is None:
                raise EncodeError(path, f"is an element with fields, not a value such as {content!r}")
            content = {OWN: content}
        self.fill(path, kind, content)

    def fill(self, path: str, kind: Type, content: dict[str, Any]) -> None:
        todo = {name: list(v) if isinstance(v, list) else [v] for name, v in content.items() if v is not None}
        state = kind.first()
        while True:
            code = self.choose(path, state, todo)
            move = state.moves[code]
            self.write(code, state.width)
            if move.event == END:
                break
            value = self.take(todo, OWN if move.event == VALUE else move.name)
            self.event(f"{path}.{move.name}" if move.name else path, move, value)
            state = kind.after(move)
        left = [name for name, values in todo.items() if values]
        if left:
            raise EncodeError(f"{path}.{left[0]}", "has no place there in the schema")

    def event(self, path: str, move: Move, value: Any) -> None:
        if move.event == ELEMENT:
            assert move.type is not None
            self.element(path, move.type, value)
        else:
            assert move.value is not None
            self.value(path, move.value, value)

    @staticmethod
    def take(todo: dict[str, list[Any]], name: str) -> Any:
        return todo[name].pop(0)

    @staticmethod
    def choose(path: str, state: State, todo: dict[str, list[Any]]) -> int:
        """The first production the document still has content for, else the end."""
        for index, move in enumerate(state.moves):
            if todo.get(OWN if move.event == VALUE else move.name) and move.event != END:
                return index
        if state.ends >= 0:
            return state.ends
        names = [m.name or OWN for m in state.moves]
        extra = next((name for name, values in todo.items() if values), None)
        what = f"needs {' or '.join(names[:6])}{' or another' if len(names) > 6 else ''}"
        raise EncodeError(path, what + (f", not {extra}" if extra else ""))

    # Values -----------------------------------------------------------------------------------------------------------
    def value(self, path: str, kind: list[Any], value: Any) -> None:
        """One typed value. Raises EncodeError where the schema's type does not hold it."""
        try:
            WRITERS[kind[0]](self, path, kind, value)
        except (TypeError, ValueError, OverflowError, AttributeError) as error:
            if isinstance(error, EncodeError):
                raise
            raise EncodeError(path, f"{value!r} is no {WORDS[kind[0]]}") from error

    def unsigned(self, value: int) -> None:
        if value < 0:
            raise ValueError
        while value >= 0x80:
            self.write(value & 0x7F | 0x80, 8)
            value >>= 7
        self.write(value, 8)

    def integer(self, value: int) -> None:
        self.write(int(value < 0), 1)
        self.unsigned(-1 - value if value < 0 else value)

    def binary(self, value: bytes) -> None:
        self.unsigned(len(value))
        self.write(int.from_bytes(value, "big"), len(value) * 8)

    def string(self, value: str) -> None:
        """Always spelled out: V2G sets the capacity of the string tables to 0 (ISO 15118-2, from memory)."""
        self.unsigned(len(value) + 2)
        for character in value:
            self.unsigned(ord(character))


def _whole(value: Any) -> int:
    if isinstance(value, bool) or int(value) != value:
        raise ValueError
    return int(value)


def _octets(value: Any) -> bytes:
    return value if isinstance(value, bytes) else bytes.fromhex(value)


def _bits(e: Encoder, path: str, kind: list[Any], value: Any) -> None:
    index = _whole(value) - kind[1]
    if not 0 <= index < 1 << kind[2]:
        raise EncodeError(path, f"{value} is outside {kind[1]} to {kind[1] + (1 << kind[2]) - 1}")
    e.write(index, kind[2])


def _enum(e: Encoder, path: str, kind: list[Any], value: Any) -> None:
    if value not in kind[1]:
        raise EncodeError(path, f"{value!r} is none of {', '.join(kind[1])}")
    e.write(kind[1].index(value), (len(kind[1]) - 1).bit_length())


def _bool(e: Encoder, path: str, _: list[Any], value: Any) -> None:
    if not isinstance(value, bool):
        raise ValueError
    e.write(int(value), 1)


def _string(e: Encoder, path: str, _: list[Any], value: Any) -> None:
    if not isinstance(value, str):
        raise ValueError
    e.string(value)


def _list(e: Encoder, path: str, kind: list[Any], value: Any) -> None:
    e.unsigned(len(value))
    for item in value:
        e.value(path, kind[1], item)


def _decimal(e: Encoder, path: str, _: list[Any], value: Any) -> None:
    whole, _dot, fraction = f"{abs(value):f}".rstrip("0").partition(".")
    e.write(int(value < 0), 1)
    e.unsigned(int(whole))
    e.unsigned(int(fraction[::-1] or "0"))


def _float(e: Encoder, path: str, _: list[Any], value: Any) -> None:
    digits, _e, exponent = f"{float(value):.15e}".partition("e")
    whole, _dot, fraction = digits.partition(".")
    fraction = fraction.rstrip("0")
    e.integer(int(whole + fraction))
    e.integer(int(exponent) - len(fraction) if int(whole + fraction) else 0)


WRITERS: dict[str, Any] = {
    "bool": _bool,
    "bits": _bits,
    "uint": lambda e, _, __, value: e.unsigned(_whole(value)),
    "int": lambda e, _, __, value: e.integer(_whole(value)),
    "enum": _enum,
    "hex": lambda e, _, __, value: e.binary(_octets(value)),
    "base64": lambda e, _, __, value: e.binary(_octets(value)),
    "string": _string,
    "decimal": _decimal,
    "float": _float,
    "list": _list,
}
WORDS = {
    "bool": "true or false",
    "bits": "whole number",
    "uint": "whole number from 0 up",
    "int": "whole number",
    "enum": "value of the list",
    "hex": "hexadecimal bytes",
    "base64": "hexadecimal bytes",
    "string": "text",
    "decimal": "number",
    "float": "number",
    "list": "list",
}


def encode(grammar: Grammar, root: str, content: Any) -> bytes:
    """The bytes of a document. Raises EncodeError, naming the element, where the schema does not allow it."""
    return Encoder(grammar).document(root, content)
