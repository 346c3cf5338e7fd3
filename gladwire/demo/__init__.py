"""Demo data: an invented island harbour with its chargers, complaints and captures. Nothing here is a real place."""

from __future__ import annotations

from gladwire.demo.fill import fill

__all__ = ["fill"]
