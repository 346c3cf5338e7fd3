"""How much is open among shares, in bits (Shannon)."""

from __future__ import annotations

import math
from collections.abc import Iterable


def entropy_bits(shares: Iterable[float]) -> float:
    """Of shares that sum to one; what has none adds nothing."""
    return -sum(p * math.log2(p) for p in shares if p > 0)
