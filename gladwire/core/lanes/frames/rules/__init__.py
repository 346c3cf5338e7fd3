"""Rules over a conversation: one small declaration each. They look at the folded record alone and know no causes."""

from __future__ import annotations

from gladwire.core.findings import Rule
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.frames.rules import (
    agree,
    capture,
    contract,
    ending,
    insulation,
    link,
    loop,
    match,
    order,
    parameters,
    resuming,
    silence,
    tls,
)

RULES: tuple[Rule[ConversationRecord], ...] = (
    *match.RULES,
    *link.RULES,
    *tls.RULES,
    *order.RULES,
    *agree.RULES,
    *contract.RULES,
    *parameters.RULES,
    *insulation.RULES,
    *loop.RULES,
    *silence.RULES,
    *resuming.RULES,
    *ending.RULES,
    *capture.RULES,
)
