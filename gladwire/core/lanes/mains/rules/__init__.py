"""The rules of the mains, one explicit tuple. To add one: copy a small one, give it a code, name it in its file's tuple."""

from __future__ import annotations

from gladwire.core.findings import Rule
from gladwire.core.lanes.mains.rules import draw, supply, switching
from gladwire.core.lanes.mains.subject import Ac

RULES: tuple[Rule[Ac], ...] = (*switching.RULES, *draw.RULES, *supply.RULES)
