"""Bits to a document: the decoding half of the codec.

One message, DIN SPEC 70121 SessionSetupReq of session 0: `80 9a02 0000…`: header 80 (EXI version 1, no options), then
seven bits 1001101, the 77th global element, V2G_Message; then the states of its content model.
"""

from dataclasses import dataclass
from typing import Any

from gladwire.core.plc.exi.element import OWN, Element
from gladwire.core.plc.exi.grammar import ATTRIBUTE, ELEMENT, END, TEXT, VALUE, Grammar, Move, State, Type

HEADER = 0x80
# “$EXI” may stand before a stream (section 5.1).
COOKIE = 0x24455849
REMEMBERED_BITS = 512
REMEMBERED_VALUES = 4096
TRIES_ENOUGH = 200
# A message's first child in ISO 15118-20.
HEADED = "Header"
ENDS = "the message ends in the middle"
LONGEST_NUMBER_BITS = 10 * 8
EMPTY: dict[str, Any] = {"string": "", "hex": b"", "base64": b"", "list": []}


class ExiError(ValueError):
    """A stream that cannot be read on. `bit` counts from the first bit of the message, header included."""

    def __init__(self, bit: int, what: str) -> None:
        super().__init__(f"{what}, at bit {bit}")
        self.bit = bit
        self.what = what


@dataclass(frozen=True, slots=True)
class Decoded:
    """A document: its root element's name and content; where decoding broke, if it did; bits left unread at the end.

    rest: the content without a message's header, where a document begins with one; shared between equal ones.
    """

    root: str
    content: Any
    error: ExiError | None
    bits_left: int
    rest: Element | None = None


class Decoder:
    """Reads one message. The whole message is one integer, read from its top: Python shifts fast and copies little."""

    def __init__(self, grammar: Grammar, data: bytes) -> None:
        self.grammar = grammar
        self.bits = int.from_bytes(data, "big")
        self.total = self.left = len(data) * 8
        self.strings: list[str] = []
        self.local: dict[str, list[str]] = {}
        self.touched = 0  # how many strings were read: they depend on what came before and are never remembered

    def document(self) -> Decoded:
        """The whole document, or what could be read of it with the error that ended it."""
        root, content = "", Element()
        rest: Element | None = None
        try:
            if self.bits >> max(self.left - 32, 0) == COOKIE and self.left > 32:
                self.left -= 32
            if self.read(8) != HEADER:
                raise ExiError(0, "no plain EXI header (80) at the beginning")
            code = self.read(self.grammar.root_width)
            if code >= len(self.grammar.roots):
                raise ExiError(self.total - self.left, "the root is not an element of this schema")
            move = self.grammar.roots[code]
            root = move.name
            assert move.type is not None
            if move.type.simple:
                content = self.simple(move.name, move.type)
            else:
                rest = self.message(content, move.type)
        except ExiError as error:
            return Decoded(root, content, error, self.left)
        return Decoded(root, content, None, self.left, rest)

    def message(self, into: Element, kind: Type) -> Element | None:
        """A root's content. What follows a header is remembered whole: it repeats itself while the header counts time."""
        state = kind.start or kind.first()
        begun = self.left
        code = self.read(state.width)
        move = state.moves[code] if code < len(state.moves) else None
        if move is None or move.event != ELEMENT or move.name != HEADED:
            self.left = begun
            self.fill(into, kind)
            return None
        self.element(into, move)
        key = self.left, self.bits & ((1 << self.left) - 1)
        known = kind.rests.get(key) if not self.touched else None
        if known is not None:
            rest: Element
            rest, self.left = known
            into.update(rest)
            return rest
        self.walk(into, kind, move.next or kind.after(move))
        if self.touched:
            return None
        rest = Element((name, value) for name, value in into.items() if name != HEADED)
        if len(kind.rests) >= REMEMBERED_VALUES:
            kind.rests.clear()
        kind.rests[key] = rest, self.left
        return rest

    def read(self, width: int) -> int:
        """The next `width` bits as a number."""
        self.left -= width
        if self.left < 0:
            self.left += width
            raise ExiError(self.total, ENDS)
        return (self.bits >> self.left) & ((1 << width) - 1)

    def element(self, parent: Element, move: Move) -> None:
        """Reads the element of a move into its parent."""
        kind = move.type
        assert kind is not None
        value: Any
        if kind.simple:
            value = self.simple(move.name, kind)
            if move.repeats:
                parent.setdefault(move.name, []).append(value)
            else:
                parent[move.name] = value
            return
        value = self.remembered(kind)
        fresh = value is None
        if fresh:
            value = Element()
            value.physical = kind.physical
        if move.repeats:
            parent.setdefault(move.name, []).append(value)
        else:
            parent[move.name] = value
        if fresh:
            left, touched = self.left, self.touched
            self.fill(value, kind)
            used = left - self.left
            if touched == self.touched and used <= REMEMBERED_BITS:
                self.remember(kind, value, (self.bits >> self.left) & ((1 << used) - 1), used)

    def remembered(self, kind: Type) -> Element | None:
        """The same bits read before as this type give the same element: EXI is a prefix code once strings are apart.

        A type whose values hardly ever come back is not asked any more.
        """
        kind.tries += 1
        if kind.tries > TRIES_ENOUGH and kind.hits * 8 < kind.tries:
            return None
        left, bits = self.left, self.bits
        for place, (used, mask, values) in enumerate(kind.memo):
            if used <= left:
                value = values.get((bits >> (left - used)) & mask)
                if value is not None:
                    self.left = left - used
                    kind.hits += 1
                    if place:
                        kind.memo.insert(0, kind.memo.pop(place))
                    return value  # type: ignore[no-any-return]
        return None

    @staticmethod
    def remember(kind: Type, value: Element, window: int, used: int) -> None:
        for length, _, values in kind.memo:
            if length == used:
                if len(values) >= REMEMBERED_VALUES:
                    values.clear()
                values[window] = value
                return
        kind.memo.append((used, (1 << used) - 1, {window: value}))

    def fill(self, into: Element, kind: Type) -> None:
        """Reads a complex type until its element ends."""
        self.walk(into, kind, kind.start or kind.first())

    def walk(self, into: Element, kind: Type, state: State) -> None:
        """Walks the states of a complex type from one of them on, until its element ends."""
        bits = self.bits
        while True:
            left = self.left - state.width
            if left < 0:
                raise ExiError(self.total, ENDS)
            self.left = left
            code = (bits >> left) & state.mask
            moves = state.moves
            if code >= len(moves):
                self.leave(state, kind)
                if kind.value is not None and OWN not in into:
                    into[OWN] = EMPTY[kind.value[0]]
                return
            move = moves[code]
            event = move.event
            if event == ELEMENT:
                self.element(into, move)
            elif event == END:
                return
            else:
                self.other(into, kind, move)
            state = move.next or kind.after(move)

    def other(self, into: Element, kind: Type, move: Move) -> None:
        """An attribute, a value beside attributes, plain text, or an element no schema names here."""
        if move.event == ATTRIBUTE:
            assert move.value is not None
            into[move.name] = self.value(move.name, move.value)
        elif move.event == VALUE:
            assert move.value is not None
            into[OWN] = self.value(kind.name, move.value)
        elif move.event == TEXT:
            into[OWN] = into.get(OWN, "") + self.string(kind.name)
        else:
            raise ExiError(self.total - self.left, f"{kind.name} holds an element of another schema")

    def leave(self, state: State, kind: Type) -> None:
        """The one departure from a schema that is read: an element that ends early, as writers end an empty value."""
        at = self.total - self.left - state.width
        if state.ends >= 0 or self.read(state.departure_width) or (kind.value and kind.value[0] not in EMPTY):
            raise ExiError(at, f"what follows departs from the schema of {kind.name or 'this element'}")

    def simple(self, name: str, kind: Type) -> Any:
        """A value alone: one bit to begin it, one to end it."""
        assert kind.value is not None
        if self.read(1):
            self.leave(kind.first(), kind)
            return EMPTY[kind.value[0]]
        value = self.value(name, kind.value)
        if self.read(1):
            self.leave(kind.after(kind.first().moves[0]), kind)
        return value

    # Values: EXI section 7.1 ------------------------------------------------------------------------------------------
    def value(self, name: str, kind: list[Any]) -> Any:
        """One typed value. `name` is the element's or attribute's, whose strings are kept together."""
        return READERS[kind[0]](self, name, kind)

    def unsigned(self) -> int:
        """Seven bits at a time, least first, a leading 1 where more follow."""
        value = shift = 0
        while True:
            octet = self.read(8)
            value |= (octet & 0x7F) << shift
            if octet < 0x80:
                return value
            shift += 7
            if shift > LONGEST_NUMBER_BITS:
                raise ExiError(self.total - self.left, "a number without end")

    def integer(self) -> int:
        """A sign bit, then the magnitude; negative numbers count from -1."""
        return -1 - self.unsigned() if self.read(1) else self.unsigned()

    def enumerated(self, kind: list[Any]) -> str:
        values = kind[1]
        index = self.read((len(values) - 1).bit_length())
        if index >= len(values):
            raise ExiError(self.total - self.left, f"value {index} of an enumeration of {len(values)}")
        return values[index]  # type: ignore[no-any-return]

    def binary(self) -> bytes:
        return self.octets(self.unsigned())

    def octets(self, count: int) -> bytes:
        if count * 8 > self.left:
            raise ExiError(self.total - self.left, f"{count} bytes announced where {self.left // 8} are left")
        return self.read(count * 8).to_bytes(count, "big")

    def string(self, name: str) -> str:
        """A string new or met before (section 7.3.3): in its own element, anywhere, or spelled out."""
        self.touched += 1
        length = self.unsigned()
        own = self.local.setdefault(name, [])
        if length < 2:
            table = self.strings if length else own
            index = self.read((len(table) - 1).bit_length()) if table else 0
            if index >= len(table):
                raise ExiError(self.total - self.left, "a string that was never there before")
            return table[index]
        value = self.characters(length - 2)
        if value:
            own.append(value)
            self.strings.append(value)
        return value

    def characters(self, count: int) -> str:
        if count * 8 > self.left:
            raise ExiError(
                self.total - self.left, f"{count} characters announced where {self.left // 8} bytes are left"
            )
        left = self.left
        plain = self.octets(count)
        if plain.isascii():
            return plain.decode("ascii")
        self.left = left
        points = [self.unsigned() for _ in range(count)]
        if any(p > 0x10FFFF or 0xD800 <= p < 0xE000 for p in points):
            raise ExiError(self.total - self.left, "a character that does not exist")
        return "".join(map(chr, points))

    def decimal(self) -> float:
        sign, whole, fraction = self.read(1), self.unsigned(), self.unsigned()
        value = float(f"{whole}.{str(fraction)[::-1]}")
        return -value if sign else value

    def floating(self) -> float:
        mantissa, exponent = self.integer(), self.integer()
        if abs(exponent) > 300:
            return (
                float("nan") if exponent == -(1 << 14) and mantissa not in (1, -1) else float("inf") * (mantissa or 1)
            )
        return float(mantissa) * 10.0**exponent

    def items(self, name: str, kind: list[Any]) -> list[Any]:
        count = self.unsigned()
        if count > self.left:
            raise ExiError(self.total - self.left, f"a list of {count} values where {self.left} bits are left")
        return [self.value(name, kind) for _ in range(count)]


READERS: dict[str, Any] = {
    "bool": lambda d, _, __: bool(d.read(1)),
    "bits": lambda d, _, kind: kind[1] + d.read(kind[2]),
    "uint": lambda d, _, __: d.unsigned(),
    "int": lambda d, _, __: d.integer(),
    "enum": lambda d, _, kind: d.enumerated(kind),
    "hex": lambda d, _, __: d.binary(),
    "base64": lambda d, _, __: d.binary(),
    "string": lambda d, name, __: d.string(name),
    "decimal": lambda d, _, __: d.decimal(),
    "float": lambda d, _, __: d.floating(),
    "list": lambda d, name, kind: d.items(name, kind[1]),
}


def decode(grammar: Grammar, data: bytes) -> Decoded:
    """A message's document. Never raises: `Decoded.error` says where it broke, beside what was read until there."""
    return Decoder(grammar, data).document()
