"""Grammar data made into states a decoder or encoder can walk.

Source: W3C Efficient XML Interchange 1.0 (second edition), section 8.5 (schema-informed grammars) and 6.2 (event codes),
in the non-strict form V2G uses: every state keeps one more event code for departures from the schema. From memory of the
specification, and checked against vectors of the reference codec.
"""

import json
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Any

UNBOUNDED = -1
START, ATTRIBUTE, ELEMENT, WILDCARD, END, VALUE, TEXT = range(7)

# What remains of a content model: particles with how often each was already met.
Rest = tuple[tuple[int, int], ...]


@dataclass(slots=True, repr=False)
class Move:
    """One production of a state: what event it stands for and the state after it."""

    event: int
    name: str = ""
    type: "Type | None" = None
    value: list[Any] | None = None
    repeats: bool = False
    next: "State | None" = None
    rest: Rest = ()
    attribute: int = 0


@dataclass(slots=True, repr=False)
class State:
    """A place in an element's content. `width` is the bits of its event code; code `len(moves)` leaves the schema, and
    `departure_width` more bits say how (section 8.5.4.4.1); there code 0 ends the element where the schema does not.
    """

    moves: list[Move]
    width: int
    ends: int
    departure_width: int
    mask: int = 0


@dataclass(slots=True, repr=False)
class Type:
    """The type of an element: attributes, then a simple value or a content model."""

    grammar: "Grammar"
    number: int
    name: str
    attributes: list[list[Any]]
    value: list[Any] | None
    mixed: bool
    physical: bool
    particles: list[Any] = field(default_factory=list)
    root: int = -1
    start: State | None = None
    states: dict[Rest, State] = field(default_factory=dict)
    # Values met before, by how many bits they took (bits, mask, values): charge loops repeat themselves.
    memo: list[tuple[int, int, dict[int, Any]]] = field(default_factory=list)
    tries: int = 0
    hits: int = 0
    # What followed the header of a message, by the bits that were left: (the rest, bits left after it).
    rests: dict[tuple[int, int], tuple[Any, int]] = field(default_factory=dict)
    # A value alone, without attributes or children.
    simple: bool = False

    def __post_init__(self) -> None:
        self.simple = self.value is not None and not self.attributes

    def first(self) -> State:
        """The state right after the element's start."""
        if self.start is None:
            self.start = self._after_attribute(0)
        return self.start

    def after(self, move: Move) -> State:
        """The state after a move that does not end the element."""
        if move.next is None:
            if move.event == ATTRIBUTE:
                move.next = self._after_attribute(move.attribute + 1)
            elif move.event == VALUE:
                move.next = _state([Move(END)])
            else:
                move.next = self._state_of(move.rest)
        return move.next

    def _after_attribute(self, index: int) -> State:
        moves: list[Move] = []
        departures = AMONG_ATTRIBUTES if index else AT_START
        for k in range(index, len(self.attributes)):
            name, _uri, value, required = self.attributes[k]
            moves.append(Move(ATTRIBUTE, name, None, value, attribute=k))
            if required:
                return _state(moves, departures)
        if self.value is not None:
            return _state([*moves, Move(VALUE, value=self.value)], departures)
        return _state([*moves, *self._content_moves(((self.root, 0),) if self.root >= 0 else ())], departures)

    def _state_of(self, rest: Rest) -> State:
        if rest not in self.states:
            self.states[rest] = _state(self._content_moves(rest))
        return self.states[rest]

    def _content_moves(self, rest: Rest) -> list[Move]:
        moves: list[Move] = []
        ends = True
        for index, (particle, done) in enumerate(rest):
            for term, inner in self._entries(particle, done):
                moves.append(self._move(term, inner + rest[index + 1 :]))
            if not self._may_be_over(particle, done):
                ends = False
                break
        # Section 8.5.4.3: named elements before wildcards, then the end, then untyped text.
        moves.sort(key=lambda m: m.event)
        if ends:
            moves.append(Move(END))
        if self.mixed:
            moves.append(Move(TEXT, rest=rest))
        return moves

    def _move(self, term: int, rest: Rest) -> Move:
        kind, what, *more = self.particles[term]
        if kind == "any":
            return Move(WILDCARD, rest=rest)
        type_ = self.grammar.types[more[0]]
        return Move(ELEMENT, what, type_, repeats=self._repeats(term), rest=rest)

    # The content model, as particles that name their parts by number ------------------------------------------------
    def add(self, particle: list[Any], repeats: bool = False) -> int:
        """Files a particle and its parts; returns its number."""
        kind, what = particle[0], particle[1]
        tail = particle[4:] if kind == "el" else particle[2:]
        low, high = tail if tail else (1, 1)
        repeats = repeats or high not in (0, 1)
        number = len(self.particles)
        self.particles.append([kind, what, particle[3] if kind == "el" else None, low, high, repeats])
        if kind in ("seq", "alt"):
            self.particles[number][2] = [self.add(part, repeats) for part in what]
        return number

    def _repeats(self, particle: int) -> bool:
        return bool(self.particles[particle][5])

    def _may_be_over(self, particle: int, done: int) -> bool:
        kind, _, parts, low, _, _ = self.particles[particle]
        if done >= low:
            return True
        if kind == "seq":
            return all(self._may_be_over(p, 0) for p in parts)
        return kind == "alt" and any(self._may_be_over(p, 0) for p in parts)

    def _entries(self, particle: int, done: int) -> list[tuple[int, Rest]]:
        """The terms one more occurrence of a particle can begin with, each with what then remains of the particle."""
        _, _, _, low, high, _ = self.particles[particle]
        if high != UNBOUNDED and done >= high:
            return []
        again: Rest = ()
        if high == UNBOUNDED:
            again = ((particle, min(done + 1, low)),)
        elif done + 1 < high:
            again = ((particle, done + 1),)
        return [(term, inner + again) for term, inner in self._body(particle)]

    def _body(self, particle: int) -> list[tuple[int, Rest]]:
        kind, _, parts, *_ = self.particles[particle]
        if kind in ("el", "any"):
            return [(particle, ())]
        if kind == "alt":
            return [entry for part in parts for entry in self._entries(part, 0)]
        found: list[tuple[int, Rest]] = []
        for index, part in enumerate(parts):
            later = tuple((p, 0) for p in parts[index + 1 :])
            found += [(term, inner + later) for term, inner in self._entries(part, 0)]
            if not self._may_be_over(part, 0):
                break
        return found


# How many ways lead out of the schema, the end not counted: at a start tag xsi:type, xsi:nil, any attribute, an attribute
# of another type; then, as everywhere, any element and plain text.
AT_START, AMONG_ATTRIBUTES, IN_CONTENT = 6, 4, 2


def _state(moves: list[Move], departures: int = IN_CONTENT) -> State:
    ends = next((i for i, m in enumerate(moves) if m.event == END), -1)
    width = len(moves).bit_length()
    return State(moves, width, ends, (departures - (ends >= 0)).bit_length(), (1 << width) - 1)


@dataclass(slots=True, repr=False)
class Grammar:
    """The grammar of one protocol: its global elements in document order of event codes, and its types."""

    protocol: str
    uris: list[str]
    roots: list[Move]
    types: list[Type]
    key: str = ""

    @property
    def root_width(self) -> int:
        """Bits of the code of the root element: the global elements and one wildcard (section 8.5.1)."""
        return len(self.roots).bit_length()


def make(data: dict[str, Any]) -> Grammar:
    """A grammar from its data. `data`: protocol, uris, globals, types as `scripts/exi/derive_grammars.py` writes them."""
    grammar = Grammar(data["protocol"], data["uris"], [], [])
    for number, entry in enumerate(data["types"]):
        grammar.types.append(
            Type(
                grammar,
                number,
                entry.get("name", ""),
                entry.get("attributes", []),
                entry.get("value"),
                bool(entry.get("mixed")),
                bool(entry.get("physical")),
            )
        )
    for type_, entry in zip(grammar.types, data["types"], strict=True):
        if "content" in entry:
            type_.root = type_.add(entry["content"])
    grammar.roots = [Move(ELEMENT, name, grammar.types[number]) for name, _uri, number in data["globals"]]
    return grammar


@cache
def grammar(key: str) -> Grammar:
    """The grammar of one of KEYS. Raises KeyError for another name."""
    if key not in KEYS:
        raise KeyError(key)
    made = make(json.loads(files(__package__).joinpath(f"grammars/{key}.json").read_text()))
    made.key = key
    return made


# Every grammar, by the name a person may give: one protocol may have several schemas.
PROTOCOLS: dict[str, tuple[str, ...]] = {
    "sap": ("sap",),
    "din": ("din",),
    "iso2": ("iso2",),
    "iso20": ("iso20", "iso20_dc", "iso20_ac", "iso20_wpt", "iso20_acdp"),
}
KEYS: tuple[str, ...] = tuple(key for keys in PROTOCOLS.values() for key in keys)
