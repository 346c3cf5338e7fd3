"""The colours of the theme, read from the style sheet, and the contrast each has where it is used (WCAG 2 formula)."""

from __future__ import annotations

import re
from functools import cache
from typing import NamedTuple

from gladwire.web.static_files import STATIC

THEMES = ("light", "dark")
# (token, ground it stands on, least contrast): 4.5 for text, 3 for marks and lines that carry meaning.
USES = (
    ("ink", "paper", 4.5, "text"),
    ("ink", "panel", 4.5, "text"),
    ("ink-soft", "paper", 4.5, "secondary text"),
    ("ink-soft", "panel", 4.5, "secondary text"),
    ("copper-text", "panel", 4.5, "links, what to do next"),
    ("copper-text", "paper", 4.5, "links"),
    ("copper", "panel", 3.0, "the wire, what is asked for"),
    ("copper", "paper", 3.0, "the wire on paper"),
    ("volts", "panel", 4.5, "volts"),
    ("plum", "panel", 4.5, "lock and proximity"),
    ("amps", "panel", 4.5, "amperes"),
    ("power", "panel", 4.5, "kilowatts"),
    ("proven", "panel", 4.5, "proven, in band"),
    ("proven", "paper", 3.0, "marks on paper"),
    ("failed", "panel", 4.5, "failed, out of band"),
    ("failed", "paper", 4.5, "failed on paper"),
    ("caution", "panel", 4.5, "cautions, suspect"),
    ("caution", "caution-ground", 4.5, "cautions on their ground"),
    ("idle", "panel", 3.0, "not reached, not captured"),
    ("on-ink", "ink", 4.5, "buttons"),
)


class Use(NamedTuple):
    """A colour on its ground."""

    token: str
    ground: str
    what: str
    colour: str
    ground_colour: str
    contrast: float
    least: float


@cache
def colours(theme: str) -> dict[str, str]:
    """Token to hex colour of a theme, as written in tokens.css."""
    text = (STATIC / "tokens.css").read_text()
    block = re.search(rf'\[data-bs-theme="{theme}"\]\s*\{{(.*?)\}}', text, re.DOTALL)
    if block is None:
        raise KeyError(theme)
    return dict(re.findall(r"--gw-([a-z-]+):\s*(#[0-9a-f]{6})", block.group(1)))


def contrast(first: str, second: str) -> float:
    """Contrast ratio of two hex colours, 1 to 21 (WCAG 2.1, relative luminance)."""
    lighter, darker = sorted((_luminance(first), _luminance(second)), reverse=True)
    return (lighter + 0.05) / (darker + 0.05)


def _luminance(colour: str) -> float:
    parts = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    red, green, blue = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def uses(theme: str) -> list[Use]:
    """Every use of a colour with its measured contrast."""
    known = colours(theme)
    return [
        Use(token, ground, what, known[token], known[ground], contrast(known[token], known[ground]), least)
        for token, ground, least, what in USES
    ]
