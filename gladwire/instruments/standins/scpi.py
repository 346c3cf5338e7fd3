"""An instrument that is spoken to in SCPI over a TCP socket: common commands, an error queue, and headers of its own.

IEEE 488.2 and SCPI-1999, from memory: a line is one or several messages with semicolons between; a header is written in its
long or its short form (`SYSTem:ERRor?` is `SYST:ERR?`), a number after a part names one of several. Errors wait in a queue of
the instrument until they are asked for; what cannot be understood changes nothing.
"""

from __future__ import annotations

import asyncio
import re
from collections import deque
from collections.abc import Callable, Mapping
from typing import NamedTuple

UNDEFINED, MISSING, BAD_VALUE, NOT_NOW, OVERFLOW = -113, -109, -222, -221, -350
_WORDS = {
    UNDEFINED: "Undefined header",
    MISSING: "Missing parameter",
    BAD_VALUE: "Data out of range",
    NOT_NOW: "Settings conflict",
    OVERFLOW: "Queue overflow",
}
_LONGEST_QUEUE, _LONGEST_LINE = 20, 4096


class ScpiError(Exception):
    """What goes into the error queue: one of the numbers above."""

    def __init__(self, number: int) -> None:
        super().__init__(f'{number},"{_WORDS[number]}"')
        self.number = number


class Asked(NamedTuple):
    """One message. suffixes: numbers of its header in order, 1 where none was written; values: after it, without quotes."""

    suffixes: tuple[int, ...]
    values: tuple[str, ...]

    def value(self) -> str:
        """The first value. Raises ScpiError where there is none."""
        if not self.values:
            raise ScpiError(MISSING)
        return self.values[0]

    def number(self, low: float, high: float) -> float:
        """The first value as a number. Raises ScpiError for what is none, or lies outside."""
        try:
            found = float(self.value())
        except ValueError as error:
            raise ScpiError(BAD_VALUE) from error
        if not low <= found <= high:
            raise ScpiError(BAD_VALUE)
        return found

    def switch(self) -> bool:
        words = {"ON": True, "1": True, "OFF": False, "0": False}
        if self.value().upper() not in words:
            raise ScpiError(BAD_VALUE)
        return words[self.value().upper()]


Answer = str | bytes | None
Handler = Callable[[Asked], Answer]
_MESSAGE = re.compile(r"\s*:?(?P<header>[*A-Za-z][A-Za-z0-9:]*\??)\s*(?P<rest>.*)", re.DOTALL)


def _pattern(header: str) -> re.Pattern[str]:
    """`SENSe:CHANnel<n>:RANGe?` in its long and short forms."""
    parts = []
    for part in header.rstrip("?").split(":"):
        numbered = part.endswith("<n>")
        word = part.removesuffix("<n>")
        short = re.match(r"\*?[A-Z]+", word)
        forms = {word.upper(), short[0] if short else word.upper()}
        parts.append(
            f"(?:{'|'.join(re.escape(f) for f in sorted(forms, key=len, reverse=True))}){'([0-9]*)' if numbered else ''}"
        )
    return re.compile(":".join(parts) + (r"\?" if header.endswith("?") else ""), re.IGNORECASE)


def block(content: bytes) -> bytes:
    """Bytes as an arbitrary block of definite length: what is in them ends nothing."""
    length = str(len(content))
    return f"#{len(length)}{length}".encode() + content


class Instrument:
    """What answers. identity: maker, model, serial number and version, as `*IDN?` tells them. own: its headers."""

    def __init__(
        self, identity: tuple[str, str, str, str], own: Mapping[str, Handler], reset: Callable[[], None]
    ) -> None:
        self._errors: deque[int] = deque()
        self._events = 0
        common: dict[str, Handler] = {
            "*IDN?": lambda _: ",".join(identity),
            "*RST": lambda _: reset(),
            "*CLS": lambda _: self._clear(),
            "*ESR?": lambda _: self._take_events(),
            "*OPC": lambda _: self._complete(),
            "*OPC?": lambda _: "1",
            "*STB?": lambda _: str(4 if self._errors else 0),
            "*TST?": lambda _: "0",
            "*WAI": lambda _: None,
            "SYSTem:ERRor?": lambda _: self._next_error(),
            "SYSTem:VERSion?": lambda _: "1999.0",
        }
        self._headers = [(_pattern(header), handler) for header, handler in {**common, **own}.items()]

    def line(self, text: str) -> bytes:
        """What it answers to a line, without the end of line; empty where nothing was asked."""
        answers: list[bytes] = []
        for message in text.split(";"):
            if not message.strip():
                continue
            try:
                answer = self._message(message)
            except ScpiError as error:
                self._refuse(error.number)
                continue
            if answer is not None:
                answers.append(answer if isinstance(answer, bytes) else answer.encode())
        return b";".join(answers)

    def _message(self, message: str) -> Answer:
        found = _MESSAGE.fullmatch(message)
        if found is None:
            raise ScpiError(UNDEFINED)
        for pattern, handler in self._headers:
            matched = pattern.fullmatch(found["header"])
            if matched:
                values = tuple(v.strip().strip("\"'") for v in found["rest"].split(",") if v.strip())
                return handler(Asked(tuple(int(n) if n else 1 for n in matched.groups()), values))
        raise ScpiError(UNDEFINED)

    def _refuse(self, number: int) -> None:
        self._events |= 32 if -200 < number <= -100 else 16
        if len(self._errors) >= _LONGEST_QUEUE:
            self._errors[-1] = OVERFLOW
        else:
            self._errors.append(number)

    def _next_error(self) -> str:
        return f'{(number := self._errors.popleft())},"{_WORDS[number]}"' if self._errors else '0,"No error"'

    def _clear(self) -> None:
        self._errors.clear()
        self._events = 0

    def _complete(self) -> None:
        self._events |= 1

    def _take_events(self) -> str:
        events, self._events = self._events, 0
        return str(events)


async def serve(instrument: Instrument, host: str = "127.0.0.1", port: int = 0) -> asyncio.Server:
    """Listen for whoever speaks to it, each line in its turn; the server is closed by whoever started it."""

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while line := await reader.readline():
                answer = instrument.line(line.decode("ascii", "replace").strip())
                if answer:
                    writer.write(answer + b"\n")
                    await writer.drain()
        except (ConnectionError, ValueError):  # gone, or a line no instrument reads
            pass
        finally:
            writer.close()

    return await asyncio.start_server(talk, host, port, limit=_LONGEST_LINE)
