"""Jinja with strict names, and the few filters that put numbers into the trade's own form."""

from __future__ import annotations

import math
import re
from datetime import datetime
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from starlette.responses import HTMLResponse

from gladwire.core.case.attempt import REACHED
from gladwire.core.case.ending import WAITS
from gladwire.core.diagnosis.cause import OWNER_WORDS
from gladwire.core.lanes.all import ROLE_BY_KEY, SETTLED_ROLES
from gladwire.core.plc.certificates import TROUBLE_WORDS
from gladwire.core.quantities import BY_KEY as QUANTITIES
from gladwire.core.scene.stamps import KINDS as STAMPS
from gladwire.core.session.outcome import OUTCOME_WORDS
from gladwire.core.words import seconds
from gladwire.formats.registry import KNOWN
from gladwire.web.static_files import address, modules

_HERE = Path(__file__).parent


def odds(weight: float) -> str:
    """A logarithm of odds as a ratio to one, whichever way it speaks."""
    ratio = math.exp(abs(weight))
    return f"{ratio:.0f}\u00a0:\u00a01" if ratio >= 10 else f"{ratio:.1f}\u00a0:\u00a01"


def number(value: float, digits: int = 2) -> str:
    """Fixed digits, a true minus sign, no negative nought."""
    return f"{round(value, digits) + 0.0:.{digits}f}".replace("-", "−")


def moment(value: float) -> str:
    """A time in a capture, in seconds with three digits."""
    return number(value, 3)


def rate(hz: float) -> str:
    """Samples per second with the prefix scopes use."""
    for factor, unit in ((1e6, "MS/s"), (1e3, "kS/s")):
        if hz >= factor:
            return f"{hz / factor:.4g} {unit}"
    return f"{hz:.4g} S/s"


def size(count: int) -> str:
    """Bytes for people."""
    amount = float(count)
    for unit in ("B", "kB", "MB"):
        if amount < 1000:
            return f"{amount:.0f} {unit}" if unit == "B" else f"{amount:.1f} {unit}"
        amount /= 1000
    return f"{amount:.1f} GB"


def iso(when: datetime) -> str:
    return when.isoformat(timespec="seconds") + "Z"


def utc(when: datetime) -> str:
    return when.strftime("%d %b %Y %H:%M UTC")


def sentence(text: str) -> str:
    """A refusal as a sentence of its own."""
    return f"{text[:1].upper()}{text[1:]}{'' if text.endswith('.') else '.'}" if text else ""


_BEFORE_UNIT = re.compile(r"(?<=\d) (?=(?:[mkµ]?[VAsWΩ]|[kM]?Hz|nF|min|kS/s|MS/s|%|MΩ)(?![\w]))")
_MINUS = re.compile(r"(?<![\w.])-(?=\d)")


def say(text: str) -> str:
    """A sentence of the core as print has it: values keep their units on the line, minus signs are minus signs."""
    return _MINUS.sub("−", _BEFORE_UNIT.sub("\N{NO-BREAK SPACE}", text))


def make_environment() -> Environment:
    environment = Environment(
        loader=FileSystemLoader(_HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters.update(
        number=number,
        odds=odds,
        moment=moment,
        rate=rate,
        size=size,
        iso=iso,
        utc=utc,
        seconds=seconds,
        sentence=sentence,
        say=say,
    )
    environment.globals.update(
        trouble_words=TROUBLE_WORDS,
        static=address,
        modules=modules,
        owner_words=OWNER_WORDS,
        outcome_words=OUTCOME_WORDS,
        waits=WAITS,
        stamp_words={kind.key: kind.words for kind in STAMPS},
        reached_words={told.stage: told.title for told in REACHED},
        roles=ROLE_BY_KEY,
        settled_roles=SETTLED_ROLES,
        quantities=QUANTITIES,
        can_read=KNOWN,
    )
    return environment


_ENVIRONMENT = make_environment()


def render(template: str, page: object, status: int = 200) -> HTMLResponse:
    """Render a template; it receives one typed object under the name `page`."""
    return HTMLResponse(_ENVIRONMENT.get_template(template).render(page=page), status)
