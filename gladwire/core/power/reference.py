"""Derated or normal: a session held against a reference, with a band for what temperature and start explain."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.power.pack import share_at_temperature
from gladwire.core.signal.waveform import Floats

Normal = Literal["normal", "slower", "faster", "unknown"]
# Sessions of one vehicle differ by this share anyway (common practice), and by this where they begin apart.
_BAND = 0.08
_BAND_PER_START_POINT, _BAND_START_MOST = 0.002, 0.06
_BAND_NO_TEMPERATURE = 0.07
_LEAST_POINTS = 8.0


class Reference(NamedTuple):
    """A curve to compare with. soc (%), kw: shape (m,), rising in SoC. pack_c: of that session, None if not read."""

    name: str
    soc: Floats
    kw: Floats
    pack_c: float | None = None
    start_soc: float | None = None
    same_post: bool = False


class Compare(BaseModel):
    """share: of the reference's power over the same states of charge; band: what is called the same, below and above 1.

    minutes: more (or fewer) the session took over what both cover, None where the pack's kWh are not known. decides: the
    comparison that would settle it.
    """

    model_config = ConfigDict(frozen=True)

    verdict: Normal
    sure: float
    share: float
    band: tuple[float, float]
    from_soc: float
    to_soc: float
    minutes: float | None
    against: str
    text: str
    decides: str


def reference_of(name: str, soc: Floats, kw: Floats, pack_c: float | None = None, same_post: bool = False) -> Reference:
    """A reference from a session's readings: for each state of charge the power at which it was passed.

    soc, kw: shape (n,), in the order of time. Raises ValueError where fewer than two states of charge were read.
    """
    read = np.isfinite(soc) & np.isfinite(kw) & (kw > 0.02 * np.nanmax(kw, initial=0.0))
    points = np.round(soc[read])
    if len(np.unique(points)) < 2:
        raise ValueError("a reference needs power at two states of charge at least")
    at = np.unique(points)
    means = np.array([np.median(kw[read][points == p]) for p in at])
    return Reference(name, at, means, pack_c, float(at[0]), same_post)


def compare_with(
    soc: Floats,
    kw: Floats,
    reference: Reference,
    pack_c: float | None = None,
    pack_kwh: float | None = None,
) -> Compare | None:
    """Hold a session's readings (shape (n,), in the order of time) against a reference; None where too little is shared."""
    try:
        mine = reference_of("", soc, kw)
    except ValueError:
        return None
    start = max(mine.soc[0] + 1.0, reference.soc[0])
    end = min(mine.soc[-1], reference.soc[-1])
    if end - start < _LEAST_POINTS:
        return None
    at = np.arange(np.ceil(start), np.floor(end) + 0.5)
    a, b = np.interp(at, reference.soc, reference.kw), np.interp(at, mine.soc, mine.kw)
    with np.errstate(divide="ignore"):
        slow = float(np.mean(1.0 / b) / np.mean(1.0 / a))
    share = 1.0 / slow
    low, high = _band(mine, reference, pack_c)
    verdict: Normal = "slower" if share < low else "faster" if share > high else "normal"
    beyond = (low - share) / low if verdict == "slower" else (share - high) / high if verdict == "faster" else 0.0
    inside = min(share - low, high - share) / (high - low) if verdict == "normal" else 0.0
    sure = 0.55 + min(0.4, 4.0 * beyond if beyond else 0.8 * inside)
    unread = pack_c is None or reference.pack_c is None
    text = (
        f"From {at[0]:.0f} to {at[-1]:.0f} % it took {100 * share:.0f} % of the power of {reference.name}; "
        f"{100 * low:.0f} to {100 * high:.0f} % count as the same."
    )
    decides = {
        "slower": (
            "The same vehicle at another post, warm, from the same start: slower there "
            "too is the vehicle, as usual there is the post."
        )
        if reference.same_post or pack_c is not None
        else "The same comparison with the pack's temperature read, or after a drive that warms it.",
        "faster": "Another session as warm as this one.",
        "normal": "The pack's temperature read in both would narrow what counts as the same." if unread else "",
        "unknown": "",
    }[verdict]
    return Compare(
        verdict=verdict,
        sure=round(sure, 2),
        share=share,
        band=(low, high),
        from_soc=float(at[0]),
        to_soc=float(at[-1]),
        minutes=None if pack_kwh is None else float((1.0 / b - 1.0 / a).sum() * pack_kwh * 0.6),
        against=reference.name,
        text=text,
        decides=decides,
    )


def _band(mine: Reference, reference: Reference, pack_c: float | None) -> tuple[float, float]:
    """Shares of the reference's power that count as the same."""
    apart = abs((mine.start_soc or 0.0) - (reference.start_soc or mine.start_soc or 0.0))
    plain = _BAND + min(_BAND_START_MOST, _BAND_PER_START_POINT * apart)
    if pack_c is None or reference.pack_c is None:
        return 1.0 - plain - _BAND_NO_TEMPERATURE, 1.0 + plain + _BAND_NO_TEMPERATURE
    warmth = float(share_at_temperature(pack_c) / share_at_temperature(reference.pack_c))
    return min(1.0, warmth) - plain, max(1.0, warmth) + plain


def best_reference(found: Sequence[Compare]) -> Compare | None:
    """The comparison that covers most."""
    return max(found, key=lambda one: one.to_soc - one.from_soc, default=None)
