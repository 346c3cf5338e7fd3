"""What signals of a bus have to do with each other, in words: one follows another by 80 ms, two agree within 2 V, a step that
others follow. Roles are proposed with it, and by it where names mean nothing. Common practice, no source."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.can.decode import Track
from gladwire.core.signal.waveform import Floats
from gladwire.core.words import seconds

_MOST_POINTS, _MOST_LAG_S, _LAG_STEP_S = 3000, 3.0, 0.02
_FLOWS_A, _AT_PACK_V = 3.0, 20.0
# Volts at an inlet fall once contactors open; a state and what follows it lie this close.
_SOON_S, _FALLS_V = 4.0, 15.0


class Beside(NamedTuple):
    """Signals on one clock: at, shape (n,); held: full name -> the value that held, NaN before the first, shape (n,)."""

    at: Floats
    held: Mapping[str, Floats]

    def of(self, track: Track) -> Floats:
        return self.held[track.name]


def beside(tracks: Sequence[Track]) -> Beside:
    """All of them, each as it was last sent."""
    if not tracks:
        return Beside(np.empty(0), {})
    start, end = min(float(t.time_s[0]) for t in tracks), max(float(t.time_s[-1]) for t in tracks)
    at = np.linspace(start, end, min(_MOST_POINTS, max(2, round((end - start) / 0.05))))
    held = {}
    for track in tracks:
        index = np.searchsorted(track.time_s, at, side="right") - 1
        held[track.name] = np.where(index >= 0, track.values[np.clip(index, 0, None)].astype(np.float64), np.nan)
    return Beside(at, held)


def lag_s(follower: Track, leader: Track) -> float | None:
    """By how many seconds one course follows another where both move, 0 where by no more than they are sent apart; None
    where nothing moves or it leads."""
    start, end = max(follower.time_s[0], leader.time_s[0]), min(follower.time_s[-1], leader.time_s[-1])
    if end - start < 2 * _MOST_LAG_S:
        return None
    at = np.arange(start + _MOST_LAG_S, end, max(_LAG_STEP_S, (end - start) / _MOST_POINTS))
    a = np.abs(np.interp(at, follower.time_s, follower.values))
    lags = np.arange(-1.0, _MOST_LAG_S, _LAG_STEP_S)
    left = [float(np.mean(np.abs(a - np.abs(np.interp(at - lag, leader.time_s, leader.values))))) for lag in lags]
    best = int(np.argmin(left))
    moves = float(np.ptp(a)) > 0 and max(left) > 1.3 * left[best]
    if not moves or lags[best] < 0:
        return None
    cycle_s = max(float(np.median(np.diff(t.time_s))) for t in (follower, leader))
    return float(lags[best]) if lags[best] > cycle_s else 0.0


class Closing(NamedTuple):
    """A state that is on once: from, to, in seconds."""

    start_s: float
    end_s: float


def on_once(track: Track) -> Closing | None:
    """The one time a state of two values is on; None where it changes otherwise or begins on."""
    known = track.values[np.isfinite(track.values)]
    values = np.unique(known)
    if len(values) != 2 or not len(known):
        return None
    on = track.values == values[1] if known[0] == values[0] else track.values == values[0]
    ups = np.flatnonzero(np.diff(on.astype(int)) == 1) + 1
    downs = np.flatnonzero(np.diff(on.astype(int)) == -1) + 1
    if len(ups) != 1 or len(downs) > 1:
        return None
    end = float(track.time_s[downs[0]]) if len(downs) else float(track.time_s[-1])
    return Closing(float(track.time_s[ups[0]]), end)


def closes_as_contactors_do(state: Track, lanes: Beside, pack: Track, inlet: Track, amps: Track) -> str:
    """Why a state is the contactors': the inlet's volts are the pack's while it is on, current flows then alone, and the
    inlet's volts fall once it is off. "" where it is not."""
    on = on_once(state)
    if on is None:
        return ""
    inside = (lanes.at > on.start_s + 0.5) & (lanes.at < on.end_s - 0.5)
    near = np.abs(lanes.of(inlet) - lanes.of(pack)) < _AT_PACK_V
    flows = np.abs(lanes.of(amps)) > _FLOWS_A
    outside = (lanes.at < on.start_s - 0.5) | (lanes.at > on.end_s + 0.5)
    if not inside.any() or float(near[inside].mean()) < 0.95 or not flows[inside].any() or flows[outside].any():
        return ""
    begins = max(0.0, float(amps.time_s[np.abs(amps.values) > _FLOWS_A][0]) - on.start_s)
    rises = lanes.at[near & (lanes.at <= on.start_s)]
    before = bool(len(rises)) and on.start_s - float(rises[0]) < _SOON_S * 4
    after = (lanes.at > on.end_s) & (lanes.at < on.end_s + _SOON_S)
    falls = not after.any() or float(np.nanmin(lanes.of(inlet)[after])) < float(np.nanmax(lanes.of(pack))) - _FALLS_V
    if not before or not falls:
        return ""
    when = f"{seconds(begins)} later" if begins else "with it"
    return f"on while {_short(inlet)} stands at {_short(pack)}, and current begins {when}"


def around(outer: Track, inner: Track) -> str:
    """Why one state holds another: on before it and off after it; "" where it does not."""
    a, b = on_once(outer), on_once(inner)
    if a is None or b is None or not (a.start_s < b.start_s and a.end_s > b.end_s):
        return ""
    return f"on {seconds(b.start_s - a.start_s)} before {_short(inner)} and off {seconds(a.end_s - b.end_s)} after it"


def stands_above(limit: Track, lanes: Beside, limited: Track) -> str:
    """Why one signal limits another: it hardly moves and stands above it whenever anything flows."""
    top, below = lanes.of(limit), np.abs(lanes.of(limited))
    flows = np.isfinite(top) & (below > _FLOWS_A)
    if not flows.any() or len(np.unique(limit.values)) > max(6, len(limit.values) // 50):
        return ""
    least = float(np.min(top[flows] - below[flows]))
    return f"stands above {_short(limited)} by at least {least:.3g} A" if least > 0 else ""


def agree(a: Track, b: Track, lanes: Beside) -> float:
    """Within what two signals agree nearly all the time; infinite where they were not sent together."""
    apart = np.abs(lanes.of(a) - lanes.of(b))
    known = apart[np.isfinite(apart)]
    return float(np.percentile(known, 95)) if len(known) > 2 else float("inf")


def why_role(role: str, track: Track, held: Mapping[str, Track], lanes: Beside) -> str:
    """What the course of a signal says for its role, beside those of other roles; "" where it says nothing."""
    pack, inlet, amps, asked = (held.get(key) for key in ("pack_v", "inlet_v", "amps", "asked_a"))
    match role:
        case "amps" if asked and (lag := lag_s(track, asked)) is not None:
            return f"follows {_short(asked)} by {seconds(lag)}" if lag else f"moves with {_short(asked)}"
        case "asked_a" if amps and (lag := lag_s(amps, track)) is not None:
            return f"{_short(amps)} follows it by {seconds(lag)}" if lag else f"{_short(amps)} moves with it"
        case "inlet_v" if pack:
            near = np.abs(lanes.of(track) - lanes.of(pack))
            close = near < _AT_PACK_V
            if close.any():
                return (
                    f"agrees with {_short(pack)} within {max(np.percentile(near[close], 90), 0.1):.2g} V once it is up"
                )
        case "pack_v":
            return "there before anything closes" if track.values[0] > 60.0 else ""
        case "soc":
            return f"goes from {track.values[0]:g} to {track.values[-1]:g} %"
        case "post_max_a" | "vehicle_max_a" if amps:
            return stands_above(track, lanes, amps)
        case "contactor" if pack and inlet and amps:
            return closes_as_contactors_do(track, lanes, pack, inlet, amps)
        case "lock" if (contactor := held.get("contactor")) and contactor is not track:
            return around(track, contactor)
        case "pin_1_c" | "pin_2_c":
            other = held.get("pin_2_c" if role == "pin_1_c" else "pin_1_c")
            if other and (within := agree(track, other, lanes)) < 30.0:
                return f"agrees with {_short(other)} within {within:.2g} °C"
    return ""


def _short(track: Track) -> str:
    return track.signal.name
