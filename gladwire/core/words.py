"""Numbers as the trade says them."""

from __future__ import annotations


def volts(value: float) -> str:
    return f"{round(value, 2) + 0.0:.2f} V"


def band(low: float, high: float, unit: str) -> str:
    return f"{low:g} to {high:g} {unit}"


def seconds(value: float) -> str:
    """A length of time with the prefix that keeps two or three digits in front."""
    # Just under a thousand of one unit is one of the next.
    if value < 0.9995e-3:
        return f"{value * 1e6:.3g} µs"
    if value < 0.9995:
        return f"{value * 1e3:.3g} ms"
    return f"{value:.1f} s" if value < 120 else f"{value / 60:.1f} min"


def ohms(value: float) -> str:
    return f"{value / 1e3:.2g} kΩ" if value >= 1e3 else f"{value:.2g} Ω" if value < 100 else f"{round(value, -1):.0f} Ω"


def amps(value: float) -> str:
    return f"{value:.1f} A"


def number_of(count: int, what: str) -> str:
    """“1 message”, “2 messages”."""
    return f"{count} {what}{'s' if count != 1 else ''}"


def times(count: int) -> str:
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


def sampling(rate_hz: float) -> str:
    """“1,000 samples a second”, “0.5 samples a second”."""
    return f"{rate_hz:,.0f} samples a second" if rate_hz >= 10 else f"{rate_hz:.3g} samples a second"
