"""Channel recognition: what each channel of a recording is, settled by a person, told from its name and unit, or from what it
does and what it has to do with the others. What is not sure is proposed, and asked; nothing is measured by a guess."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np

from gladwire.core.lanes.all import LANES, OTHER, ROLE_BY_KEY
from gladwire.core.lanes.detection import Look
from gladwire.core.lanes.lane import ChannelRole, Channels
from gladwire.core.lanes.lock.measure import look_pulsed
from gladwire.core.lanes.pilot.lane import LANE as PILOT
from gladwire.core.lanes.pilot.likeness import CERTAIN, unit_of_pilot
from gladwire.core.lanes.unnamed.record import Unnamed
from gladwire.core.recognition.assignment import Assigned, assign
from gladwire.core.recognition.words import spoken_of
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Waveform
from gladwire.core.words import number_of

_CP = PILOT.roles[0]
_SAMPLED = tuple(role for lane in LANES for role in lane.roles if role.named)
_UNITS = ("V", "A", "ohm", "logic", "full_scale")
# Of what no lane measures, in lower case. A unit that is none of these says nothing.
_OTHER_UNITS = frozenset(
    """°c c degc celsius °f degf k kelvin % hz khz mhz w mw kw va kva var kvar wh kwh mwh ah mah ° deg rad rpm rps nm n bar
    mbar psi pa kpa hpa km/h mph m/s m mm cm km g kg l h f nf uf µf mh db dbm dbv lx lux ppm rh %rh j kj bit bits""".split()  # noqa: SIM905
)
# Logarithms of odds, by judgement. Told is what leaves little doubt; less is proposed, and still less is not spoken of.
_TOLD, _PROPOSED, _ELSE = 2.0, 0.4, 4.0
# Where a name speaks, looks only break ties.
_TIE = 1.0
_GOES_WITH, _PLUG_IN_S = 1.5, 0.5
_STEP_BLOCK_S, _STEP_V = 5e-3, 1.5


def signature(format_key: str, channels: Sequence[tuple[str, str]]) -> str:
    """What files of one instrument have in common: the format, and the (name, unit) of every channel in order."""
    told = "V" if format_key == "scope-csv" else ""
    text = "\n".join([format_key, *(f"{name}\t{unit if unit in _UNITS else told}" for name, unit in channels)])
    return hashlib.sha256(text.encode()).hexdigest()


class RoleOf(NamedTuple):
    """A channel's number, what it is, and what that was told from: "" where a person settled it, "nothing" where it is open.
    asked: what is asked of it where that is open, or what its values mean; then nothing is measured of it."""

    number: int
    role: str
    told_by: Literal["", "name", "looks", "nothing"]
    asked: Unnamed | None = None


class Recognised(NamedTuple):
    """roles: of all channels in order. pilot: number of the channel that is it, None where none is. why: which was taken for
    the pilot, as a sentence. guessed: whether neither name nor oscillation told the pilot."""

    roles: tuple[RoleOf, ...]
    pilot: int | None
    why: str
    guessed: bool


def with_known_unit(wave: Waveform) -> Waveform:
    """A channel as it is, or without its unit where nobody knows that."""
    known = wave.unit in ("", *_UNITS) or wave.unit.lower() in _OTHER_UNITS
    return wave if known else replace(wave, unit="")


def recognise(channels: Sequence[Waveform], given: Settled) -> Recognised:
    """What the channels are. Raises ValueError for a channel that was settled and is none of these."""
    settled = given.roles
    for name in (*settled, *given.factors):
        if all(wave.name != name for wave in channels):
            raise ValueError(f"there is no channel “{name}” in this capture; it holds {_names(channels)}")
    alone = len(channels) == 1
    left = [_Open(n, wave, alone) for n, wave in enumerate(channels) if wave.name not in settled]
    by_hand = {n: settled[wave.name] for n, wave in enumerate(channels) if wave.name in settled}
    # A pilot settled by a person is the only one.
    taken = {_CP.key} & set(by_hand.values())
    assigned = assign([o.options(taken) for o in left], lambda roles: _together(left, roles)) if left else []
    told = {o.number: o.told(a) for o, a in zip(left, assigned, strict=True)}
    told |= {n: RoleOf(n, role, "") for n, role in by_hand.items()}
    roles = tuple(_with_doubt(told[n], Look(wave, alone), given) for n, wave in enumerate(channels))
    pilot = next((r.number for r in roles if r.role == _CP.key), None)
    if pilot is None:
        return Recognised(roles, None, _without_pilot(channels, roles), False)
    open_ = next((o for o in left if o.number == pilot), None)
    guessed = open_ is not None and not open_.named[_CP.key] and open_.looks(_CP) < _ELSE
    return Recognised(roles, pilot, _why(channels, open_, pilot), guessed)


def _with_doubt(told: RoleOf, look: Look, given: Settled) -> RoleOf:
    """What is told, and what is asked where its values cannot be taken as they stand."""
    name = look.wave.name
    doubt = "" if told.asked or name in given.factors else ROLE_BY_KEY[told.role].doubt(look)
    return told._replace(asked=Unnamed(channel=name, does=doubt, proposed=told.role, scaled=True)) if doubt else told


def by_role(channels: Sequence[Waveform], roles: Sequence[RoleOf], given: Settled) -> Channels:
    """Channels by what they are, in volts or amperes: by the factor a person gave, or as their role is told."""
    found: dict[str, list[Waveform]] = {}
    for told in roles:
        wave = channels[told.number]
        if told.asked:
            continue
        if factor := given.factors.get(wave.name):
            unit = ROLE_BY_KEY[told.role].unit or "A"
            nought = np.float32(given.noughts.get(wave.name, 0.0))
            wave = replace(wave, samples=(wave.samples - nought) * np.float32(factor), unit=unit)
        found.setdefault(told.role, []).append(wave if wave.unit else replace(wave, unit=unit_of(wave, told.role)))
    asked = tuple(told.asked for told in roles if told.asked)
    return Channels(found, asked, channels[0].start_s, channels[0].end_s) if channels else Channels(found)


def unit_of(wave: Waveform, role: str) -> str:
    """The unit of a channel: of its file, or else of its role."""
    if role == _CP.key:
        return unit_of_pilot(wave)
    return wave.unit or ("" if role == OTHER.key else ROLE_BY_KEY[role].unit)


class _Open:
    """A channel nobody settled, and the odds of what it may be."""

    def __init__(self, number: int, wave: Waveform, alone: bool) -> None:
        self.number, self.look = number, Look(wave, alone)
        kinds = spoken_of(wave.name)
        fitting = [r for r in _SAMPLED if r.named and wave.unit in ("", *r.units)]
        self.named = {r.key: r.named(kinds, wave.unit) for r in fitting if r.named}
        self._fitting = fitting
        self._looks: dict[str, float] = {}
        # A letter alone may be any voltage or current.
        self._letter = "letter" in kinds
        spoken = max(self.named.values(), default=0.0) > 0 and not self._letter
        self.is_aside = wave.unit not in ("", *_UNITS) or ("aside" in kinds and not spoken)
        self.is_spoken = spoken or self.is_aside

    @cached_property
    def first_step(self) -> float:
        return _first_step(self.look)

    def looks(self, role: ChannelRole) -> float:
        if role.key not in self._looks:
            self._looks[role.key] = role.looks(self.look)
        return self._looks[role.key]

    def options(self, taken: set[str]) -> list[tuple[str, float]]:
        if self.is_aside:
            return [(OTHER.key, _ELSE)]
        found = [(OTHER.key, 0.0)]
        # What oscillates on a pilot's levels is nothing else: the rest need not be looked for, which takes its time.
        fitting = self._fitting
        if not self.is_spoken and _CP in fitting and self.looks(_CP) >= CERTAIN:
            fitting = [_CP]
        for role in fitting:
            named = self.named[role.key]
            if role.key in taken or (self.is_spoken and named <= 0):
                continue
            looks = self.looks(role)
            found.append(
                (role.key, named + min(max(looks, -_TIE), _TIE) if named and not self._letter else named + looks)
            )
        return [(key, odds) for key, odds in found if key == OTHER.key or odds > 0]

    def told(self, best: Assigned[str]) -> RoleOf:
        wave, role = self.look.wave, best.chosen
        odds = dict(self.options(set())).get(role, 0.0)
        if role == OTHER.key or not (best.is_sure and odds >= _TOLD):
            if self.is_aside:
                return RoleOf(self.number, OTHER.key, "name")
            near = best.runner_up if best.runner_up not in (None, OTHER.key) and not best.is_sure else None
            proposed = role if role != OTHER.key and (odds >= _PROPOSED or best.is_sure) else ""
            instead = near or "" if proposed else ""
            asked = Unnamed(channel=wave.name, does=_does(self.look), proposed=proposed, instead=instead)
            return RoleOf(self.number, OTHER.key, "nothing", asked)
        return RoleOf(self.number, role, "name" if self.named.get(role, 0.0) > 0 else "looks")


def _together(open_: Sequence[_Open], roles: Sequence[str]) -> float:
    """What the roles of all channels gain from each other; -inf where two cannot be so."""
    if list(roles).count(_CP.key) > 1:
        return -math.inf
    unnamed = [role for o, role in zip(open_, roles, strict=True) if not o.is_spoken]
    if any(unnamed.count(r.key) > 1 for r in _SAMPLED if not r.several):
        return -math.inf
    at = {role: o.look for o, role in zip(open_, roles, strict=True)}
    gained = 0.0
    if "lock_current" in at and "lock_position" in at:
        gained += _GOES_WITH
    if "pp" in at and _CP.key in at and at["pp"].wave.unit != "ohm":
        plug_in = open_[list(roles).index(_CP.key)].first_step
        gained += _GOES_WITH if any(abs(c - plug_in) < _PLUG_IN_S for c in at["pp"].changes) else 0.0
    return gained


def _first_step(pilot: Look) -> float:
    """When a pilot's upper level first changes, in seconds of the file; NaN where it never does."""
    samples = pilot.wave.samples
    size = max(1, round(_STEP_BLOCK_S * pilot.wave.rate_hz))
    count = len(samples) // size
    if count < 2:
        return float("nan")
    tops = np.nan_to_num(samples[: count * size]).reshape(count, size).max(axis=1)
    away = np.abs(tops - tops[0]) > _STEP_V
    return pilot.wave.start_s + float(np.argmax(away)) * size / pilot.wave.rate_hz if away.any() else float("nan")


def _does(look: Look) -> str:
    pulses = look_pulsed(look)
    between = "with nothing between" if pulses > 1 else "and nothing else"
    return f"{number_of(pulses, 'pulse')}, {between}" if pulses else look.says()


def _why(channels: Sequence[Waveform], open_: _Open | None, pilot: int) -> str:
    name = channels[pilot].name
    if open_ is None:
        return f"Channel “{name}”, as settled by hand."
    if len(channels) == 1:
        return ""
    reasons = ["its name says so"] if open_.named[_CP.key] else []
    reasons += ["its levels are a pilot's"] if open_.looks(_CP) > 0 else []
    return f"Of {len(channels)} channels “{name}” was taken for the pilot: {' and '.join(reasons) or 'the first'}."


def _without_pilot(channels: Sequence[Waveform], roles: Sequence[RoleOf]) -> str:
    told = [_is(wave, role) for wave, role in zip(channels, roles, strict=True) if not role.asked]
    what = "is a pilot" if len(told) == len(channels) else "is known to be the pilot"
    return f"No channel of this capture {what}{': ' if told else ''}{', '.join(told)}."


def _is(wave: Waveform, role: RoleOf) -> str:
    if role.told_by == "":
        return f"“{wave.name}” was settled as something else"
    by = "looks" if role.told_by == "looks" else "name or unit"
    return f"“{wave.name}” is {ROLE_BY_KEY[role.role].words} by its {by}"


def _names(channels: Sequence[Waveform]) -> str:
    return ", ".join(f"“{wave.name}”" for wave in channels)
