"""The world: a clock, the things, what their controllers do, and what was so and when."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, replace

from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.lock_motor import Drive
from gladwire.core.simulate.world.course import Course
from gladwire.core.simulate.world.parts import Hands, Lead, Post, Seat, Source, Vehicle

TICK_S = 0.002
# Comparators of a post's controller, volts of its high side: under the first a vehicle is there, under the second it asks,
# under the third it asks with ventilation, under the last the line is down. Its own, in the middle between levels.
_SEES = (("A", 10.5), ("B", 7.5), ("C", 4.5), ("D", 1.5))
# A reading counts after so long; a low side that stays above this with a load on it has no diode.
_SURE_S, _NO_DIODE_V, _LOOKS_S = 0.03, -9.0, 0.25
# Latch switch: a resistor to 5 V in the vehicle and one to earth in the inlet; the plug's own, and with its button pressed.
_PULL_UP, _INLET, _PLUG, _PRESSED = 330.0, 2700.0, 150.0, 480.0


@dataclass
class Seen:
    """What the world remembers of itself, for probes to look at. mains_v, amps: RMS of a phase at the inlet; drives: of the
    lock's motor; locked: whether its switch says so; volts_at_plug: mains stands at open contacts."""

    source: Course[Source]
    circuit: Course[PilotCircuit]
    proximity_v: Course[float]
    locked: Course[bool]
    commanded: Course[bool]
    mains_v: Course[float]
    amps: Course[float]
    drives: list[Drive]


class World:
    """Moves in ticks of two milliseconds. Acts (`acts.py`) change its things; its controllers answer by themselves."""

    def __init__(
        self, seed: int = 1, post: Post | None = None, lead: Lead | None = None, vehicle: Vehicle | None = None
    ) -> None:
        self.dice = random.Random(seed)
        self.post, self.lead, self.vehicle = post or Post(), lead or Lead(), vehicle or Vehicle()
        self.hands = Hands()
        self.ticks = 0
        self.said: list[tuple[float, str]] = []
        self._later: list[tuple[float, Callable[[], None]]] = []
        idle = Source(self.post.source_v, -12.0, None)
        self.seen = Seen(
            Course(idle), Course(self._circuit()), Course(self._proximity()), Course(False), Course(False), Course(0.0),
            Course(0.0), [],
        )  # fmt: skip
        self._post, self._car = _PostMind(self), _CarMind(self)

    @property
    def now(self) -> float:
        return self.ticks * TICK_S

    def run(self, seconds: float) -> None:
        for _ in range(round(seconds / TICK_S)):
            self.tick()

    def tick(self) -> None:
        self.ticks += 1
        now = self.now
        for due in [one for one in self._later if one[0] <= now]:
            self._later.remove(due)
            due[1]()
        self._car.think(now)
        self.seen.circuit.set(now, self._circuit())
        self.seen.proximity_v.set(now, self._proximity())
        self._post.think(now)
        on = self._post.closed or self.post.contactor == "welded"
        live = on and self.post.contactor != "stuck open" and self.hands.seat == "home"
        self.seen.mains_v.set(now, self.post.mains_v if live else 0.0)
        self.seen.commanded.set(now, self._post.closed)
        self.seen.amps.set(now, round(self._car.amps, 2) if live and self.post.mains_v else 0.0)

    def settle(self) -> None:
        """Wires are what they were made to be from this moment on, before any controller has had its turn."""
        self.seen.circuit.set(self.now, self._circuit())
        self.seen.proximity_v.set(self.now, self._proximity())

    def plug_in(self, seat: Seat) -> None:
        """The proximity contact meets before the pilot's, which is shorter. seat: half, or home."""
        self.hands.seat = "half"
        self.say("the plug goes in")
        if seat == "home":
            self._in(self.dice.uniform(0.05, 0.12), "home")

    def pull(self) -> None:
        """Draw the plug: the pilot's contact opens first. A locked one is held."""
        if self._car.locked:
            self.say("the plug is held by its lock")
            return
        if self.hands.seat != "out":
            if self.seen.amps.now > 1.0:
                self.say("it arcs as the plug is drawn")
            self.hands.seat = "half"
            self._in(self.dice.uniform(0.05, 0.12), "out")

    def _in(self, seconds: float, seat: Seat) -> None:
        def moved() -> None:
            self.hands.seat = seat

        self._later.append((self.now + seconds, moved))

    def stop_at_post(self) -> None:
        self._post.stop()

    def say(self, words: str) -> None:
        """Something a person standing there would hear or see."""
        self.said.append((self.now, words))

    def forget(self, before_s: float) -> None:
        """Let go of what was before; a world that runs for days does not grow."""
        for course in (self.seen.source, self.seen.circuit, self.seen.proximity_v, self.seen.locked, self.seen.commanded,
                       self.seen.mains_v, self.seen.amps):  # fmt: skip
            course.forget(before_s)
        self.seen.drives[:] = [d for d in self.seen.drives if d.at_s + d.length_s >= before_s]
        self.said[:] = [told for told in self.said if told[0] >= before_s]

    def _circuit(self) -> PilotCircuit:
        """The pilot as it is wired at this moment. An open lead or a plug that is not home cuts the vehicle off."""
        joined = self.hands.seat == "home"
        base = PilotCircuit(
            source_ohm=self.post.source_ohm,
            series_ohm=self.lead.corroded_ohm,
            diode_shorted=self.vehicle.diode_shorted,
            shorted_to_pe=self.hands.seat != "out" and self.lead.pilot == "short",
            opened=not joined or self.lead.pilot == "open",
            capacitance_f=self.lead.capacitance_f if self.hands.seat != "out" else 0.3e-9,
        )
        asks = hasattr(self, "_car") and self._car.asks
        return base.with_branch("asking" if asks else "waiting")

    def _proximity(self) -> float:
        """Volts at the inlet's proximity contact."""
        to_pe = float("inf") if self.vehicle.inlet == "coded" else _INLET
        if self.hands.seat != "out":
            own = self.lead.coded_ohm if self.vehicle.inlet == "coded" else _PRESSED if self.hands.latch else _PLUG
            to_pe = 1.0 / (1.0 / to_pe + 1.0 / own)
        return 5.0 if to_pe == float("inf") else round(5.0 * to_pe / (to_pe + _PULL_UP), 4)


class _PostMind:
    """The post's controller: looks at its own end of the pilot, drives its source and its contactor."""

    def __init__(self, world: World) -> None:
        self.world, self.closed = world, False
        self._state, self._since = "A", 0.0
        self._plugged: float | None = None
        self._withdrawn, self._refuses_until = False, 0.0
        self._close_at: float | None = None
        self._open_at: float | None = None
        self._quick = world.dice.uniform(0.8, 1.25)

    def think(self, now: float) -> None:
        post, seen = self.world.post, self.world.seen
        if not post.power:
            self.closed, self._plugged = False, None
            seen.source.set(now, Source(0.0, 0.0, None))
            return
        state = self._sees(now)
        self._watch(state, now)
        self._drive_source(state, now)
        self._drive_contactor(state, now)

    def _sees(self, now: float) -> str:
        """The state it believes in: one that held for long enough."""
        circuit, source = self.world.seen.circuit.now, self.world.seen.source.now
        if source.duty is None and source.high_v < 0:
            return self._state
        high = circuit.settled_v(source.high_v)
        found = next((name for name, above in _SEES if high > above), "E")
        if found != self._state and now - self._since >= _SURE_S:
            self._state, self._since = found, now
        elif found == self._state:
            self._since = now
        return self._state

    def _watch(self, state: str, now: float) -> None:
        if state in ("A", "E"):
            self._plugged = None
            self._withdrawn = False
        elif self._plugged is None:
            self._plugged = now
            self.world.say("the post's lamp changes: something is plugged in")
        if self.world.hands.stop and not self._withdrawn:
            self._withdrawn = True
            self.world.say("the post shows that it was stopped")

    def stop(self) -> None:
        """Asked at the post to end: the offer is withdrawn until the plug is drawn."""
        self._withdrawn = True
        self.world.say("the post shows that it ends")

    def _drive_source(self, state: str, now: float) -> None:
        post, seen = self.world.post, self.world.seen
        go = post.authorise_s is not None and self._plugged is not None
        go = go and now - (self._plugged or 0.0) >= (post.authorise_s or 0.0) * self._quick
        if now < self._refuses_until:
            seen.source.set(now, Source(-12.0, -12.0, None))
        elif go and not self._withdrawn and state in ("B", "C", "D"):
            before = seen.source.now
            duty = duty_of(post.offer_a / (2 if post.shares and post.neighbour else 1)) + post.duty_error
            seen.source.set(now, Source(post.source_v, -12.0, min(max(duty, 0.0), 1.0), post.hz))
            low = seen.circuit.now.settled_v(-12.0)
            since = now - seen.source.begun(now) if before.duty is not None else 0.0
            if since > _LOOKS_S * self._quick and low > _NO_DIODE_V and state == "B":
                self._refuses_until = now + 5.0
                self.world.say("the post shows a fault of the vehicle")
        else:
            seen.source.set(now, Source(post.source_v, -12.0, None))

    def _drive_contactor(self, state: str, now: float) -> None:
        oscillates = self.world.seen.source.now.duty is not None
        if state == "C" and oscillates and not self.closed:
            self._close_at = self._close_at or now + self.world.post.closes_s * self._quick
            if now >= self._close_at:
                self._switch(True)
        elif state != "C" or not oscillates:
            self._close_at = None
        if self.closed and (state != "C" or not oscillates or self.world.hands.stop):
            # Withdrawn while it still asks: the vehicle has some seconds to let go by itself.
            patience = 6.0 if state == "C" and not self.world.hands.stop else 0.04
            self._open_at = min(self._open_at or now + patience, now + patience)
            if now >= self._open_at:
                self._switch(False)
        elif self.closed:
            self._open_at = None

    def _switch(self, closed: bool) -> None:
        moves = self.world.post.contactor == "sound"
        self.closed, self._close_at, self._open_at = closed, None, None
        if moves:
            self.world.say("a clunk from the post")


def duty_of(offer_a: float) -> float:
    """Duty by which a post's controller writes an offer: 0.6 A a percent, above 51 A in steps of 2.5 A."""
    return offer_a / 60.0 if offer_a <= 51.0 else (offer_a / 2.5 + 64.0) / 100.0


def offer_of(duty: float) -> float:
    """The same as a vehicle's controller reads it; nothing under 8 and above 97 percent."""
    if not 0.08 <= duty <= 0.97:
        return 0.0
    return max(6.0, 60.0 * duty) if duty <= 0.85 else min(80.0, (100.0 * duty - 64.0) * 2.5)


class _CarMind:
    """The vehicle: sees a plug, locks it, reads the offer, asks, draws, lets go."""

    _MOST_TRIES, _BETWEEN_S = 3, 1.3

    def __init__(self, world: World) -> None:
        self.world, self.asks, self.amps = world, False, 0.0
        self.locked = False
        self._plugged: float | None = None
        self._ready: float | None = None
        self._let_go: float | None = None
        self._dry: float | None = None
        self._tries, self._next_try = 0, 0.0
        self._rests_until = 0.0
        self._quick = world.dice.uniform(0.85, 1.2)

    def think(self, now: float) -> None:
        world = self.world
        if world.hands.seat == "out":
            self._forget()
            return
        if self._plugged is None:
            self._plugged = now
            self._next_try = now + world.vehicle.locks_s * self._quick
            world.say("the vehicle wakes")
        self._lock(now)
        offer = self._offer()
        self._ask(now, offer)
        self._draw(now, offer)
        self._unlock(now)

    def _forget(self) -> None:
        self.asks, self.amps, self._plugged, self._ready, self._tries = False, 0.0, None, None, 0
        self._let_go, self._dry = None, None

    def _pilot_v(self) -> float:
        """What stands at its own end of the pilot while the source is high."""
        seen = self.world.seen
        return replace(seen.circuit.now, probe_at="vehicle").settled_v(seen.source.now.high_v)

    def _lock(self, now: float) -> None:
        world = self.world
        wanted = world.vehicle.wants and self._pilot_v() > 2.0 and not self._pressed()
        if self.locked or not wanted or self._tries >= self._MOST_TRIES or now < self._next_try:
            return
        self._tries += 1
        self._next_try = now + self._BETWEEN_S
        through = not world.vehicle.blocked
        world.seen.drives.append(Drive(now, 1, through))
        world.say("the lock's motor runs" if through else "the lock's motor strains and stops")
        if through:
            self.locked = True
            world.seen.locked.set(now + 0.16, world.vehicle.feedback)

    def _sure_it_is_locked(self, now: float) -> bool:
        return self.locked and self.world.seen.locked.at(now)

    def _unlock(self, now: float) -> None:
        if self.locked and not self.world.vehicle.wants and not self.asks and self.amps == 0.0:
            self.locked = False
            self.world.seen.drives.append(Drive(now, -1, True))
            self.world.seen.locked.set(now + 0.16, False)
            self.world.say("the lock lets go")

    def _pressed(self) -> bool:
        return self.world.hands.latch and self.world.vehicle.inlet == "latch"

    def _offer(self) -> float:
        """Amperes it may take: 0 without an oscillation at its end of the wire."""
        seen = self.world.seen
        if seen.source.now.duty is None or self._pilot_v() < 1.0:
            return 0.0
        lead = self.world.lead.rated_a if self.world.vehicle.inlet == "coded" else float("inf")
        return min(offer_of(seen.source.now.duty), lead, self.world.vehicle.onboard_a)

    def _ask(self, now: float, offer: float) -> None:
        car = self.world.vehicle
        willing = car.wants and car.soc < car.target_soc and self._sure_it_is_locked(now) and not self._pressed()
        if not self.asks:
            if willing and offer > 0 and now >= self._rests_until:
                self._ready = self._ready or now
                self.asks = now - self._ready >= car.asks_s * self._quick
            else:
                self._ready = None
            return
        if car.ignores_stop and not self._pressed():
            return
        gone = self._pressed() or self._pilot_v() < 1.0
        if gone or (self.amps == 0.0 and (not willing or offer == 0.0)):
            held = 0.05 if gone else 0.3
            self._let_go = self._let_go or now + held
            if now >= self._let_go:
                self._stop_asking(now)
        else:
            self._let_go = None

    def _stop_asking(self, now: float) -> None:
        self.asks, self.amps, self._ready, self._let_go, self._dry = False, 0.0, None, None, None
        self._rests_until = now + 4.0

    def _draw(self, now: float, offer: float) -> None:
        """Amperes go up slowly once volts are there, and down quickly; without volts it lets go after a while."""
        car, there = self.world.vehicle, self.world.seen.mains_v.now > 100.0
        if not there:
            self.amps = 0.0
            self._dry = (self._dry or now) if self.asks else None
            if self._dry is not None and now - self._dry > 8.0 and not car.ignores_stop:
                self._stop_asking(now)
            return
        self._dry = None
        wanted = offer if self.asks and car.wants and car.soc < car.target_soc else 0.0
        if self._pressed():
            wanted = 0.0
        if car.ignores_stop and self.asks:
            wanted = max(wanted, self.amps)
        step = (9.0 if wanted > self.amps else 25.0) * TICK_S
        self.amps = min(wanted, self.amps + step) if wanted > self.amps else max(wanted, self.amps - step)
        kw = self.world.post.mains_v * self.world.post.phases * self.amps * 1e-3
        car.soc = min(100.0, car.soc + 100.0 * kw * TICK_S / 3600.0 / car.kwh)
