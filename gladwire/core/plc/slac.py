"""Matching runs put together from management frames: who asked, who answered how loudly, who was chosen."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.moments import Duration, Moment
from gladwire.core.plc import homeplug as hp
from gladwire.core.plc.homeplug import Mme
from gladwire.core.standards.slac_limits import JOIN_MAX_S, SEQUENCE_MAX_S

Result = Literal["matched", "no_answer", "rejected", "incomplete", "not_joined"]
# Parameter requests further apart than this are another attempt, as far as they have another run identity.
_RETRY_GAP_S = 5.0


class SlacAnswer(BaseModel):
    """A post that answered the request for parameters. wait_s: after the request it answers."""

    model_config = ConfigDict(frozen=True)

    time_s: Moment
    evse_mac: str
    wait_s: Duration


class SlacProfile(BaseModel):
    """Attenuation as one post heard the vehicle's sounds: dB for each group of carriers. sounds: how many it heard."""

    model_config = ConfigDict(frozen=True)

    time_s: Moment
    evse_mac: str
    groups_db: tuple[int, ...]
    average_db: float
    sounds: int


class SlacRun(BaseModel):
    """One attempt of one vehicle to find its post. What the place of capture did not show is None or 0.

    requests: how often parameters were asked for. sounds_sent: counted in this capture. matched_mac: the post the vehicle
    chose. match_wait_s: for its confirmation, after the last request. joined_at_s: first traffic over the new link.
    """

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    run_id: str
    ev_mac: str
    requests: int
    answers: tuple[SlacAnswer, ...] = ()
    sounds_announced: int | None = None
    sounds_sent: int = 0
    profiles: tuple[SlacProfile, ...] = ()
    matched_mac: str = ""
    match_asked_at_s: Moment | None = None
    match_answered_at_s: Moment | None = None
    match_requests: int = 0
    match_wait_s: Duration | None = None
    nid: str = ""
    validated: int | None = None
    key_set_at_s: Moment | None = None
    joined_at_s: Moment | None = None
    problems: tuple[str, ...] = ()
    result: Result = "incomplete"

    @property
    def evse_mac(self) -> str:
        """The chosen post, else the only one that answered."""
        if self.matched_mac:
            return self.matched_mac
        linked = {a.evse_mac for a in self.answers}
        return next(iter(linked)) if len(linked) == 1 else ""

    def profile_of(self, mac: str) -> SlacProfile | None:
        return next((p for p in reversed(self.profiles) if p.evse_mac == mac), None)

    @property
    def chosen(self) -> SlacProfile | None:
        """The profile of the matched post, or the least attenuated one."""
        mine = self.profile_of(self.matched_mac) if self.matched_mac else None
        return mine or min(self.profiles, key=lambda p: p.average_db, default=None)


@dataclass
class _Run:
    """A run while it is being heard."""

    run_id: str
    ev_mac: str
    start_s: float
    end_s: float = 0.0
    asked: list[float] = field(default_factory=list)
    answers: dict[str, SlacAnswer] = field(default_factory=dict)
    announced: int | None = None
    sounds: int = 0
    profiles: list[SlacProfile] = field(default_factory=list)
    match_asked: list[float] = field(default_factory=list)
    match_answered: float | None = None
    matched_mac: str = ""
    nid: str = ""
    validated: int | None = None
    key_set: float | None = None
    problems: list[str] = field(default_factory=list)


def mac_text(mac: bytes | str) -> str:
    digits = mac if isinstance(mac, str) else mac.hex()
    return ":".join(digits[i : i + 2] for i in range(0, len(digits), 2)).lower()


class SlacListener:
    """Sorts management frames into runs by vehicle and run identity."""

    def __init__(self) -> None:
        self.runs: list[_Run] = []
        self.by_key: dict[tuple[str, str], _Run] = {}

    def add(self, mme: Mme) -> None:
        """One management frame."""
        handler = _HANDLERS.get(mme.code)
        if handler is None:
            return
        run = self._run_of(mme)
        if run is None:
            return
        run.end_s = max(run.end_s, mme.time_s)
        if mme.problem:
            run.problems.append(f"{mme.name} at {mme.time_s:.3f} s: {mme.problem}.")
        if mme.fields.get("MVFLengthOrder"):
            run.problems.append(f"{mme.name} carries its length most significant byte first.")
        handler(run, mme)

    def _run_of(self, mme: Mme) -> _Run | None:
        """The run a frame belongs to. Validation and keys carry no run identity and belong to the newest run."""
        identity = mme.fields.get("RunID")
        if identity is None:
            return self._of_vehicle(mme)
        # Two vehicles may use the same identity; each begins by asking for parameters.
        vehicle = _vehicle(mme)
        found = self.by_key.get((identity, vehicle))
        if found is None and mme.code != hp.SLAC_PARM_REQ:
            found = next((r for r in reversed(self.runs) if r.run_id == identity), None)
        if found and mme.code == hp.SLAC_PARM_REQ and mme.time_s - found.end_s > _RETRY_GAP_S:
            found = None
        if found is None:
            found = _Run(identity, vehicle, mme.time_s, mme.time_s)
            self.by_key[identity, vehicle] = found
            self.runs.append(found)
        return found

    def _of_vehicle(self, mme: Mme) -> _Run | None:
        if mme.code == hp.ATTEN_PROFILE_IND:
            mac = mac_text(mme.fields.get("PEV_MAC", ""))
            return next((r for r in reversed(self.runs) if r.ev_mac == mac), None)
        return self.runs[-1] if self.runs else None

    def finished(self, links: Iterable[tuple[float, str]], end_s: float) -> tuple[SlacRun, ...]:
        """The runs. links: (moment, lower-case MAC of its sender) of traffic over IP. end_s: of the capture."""
        linked = sorted(links)
        return tuple(_finished(run, linked, end_s, self.runs) for run in self.runs)


def _vehicle(mme: Mme) -> str:
    """The vehicle's address: it sends requests, start and sounds; answers are sent to it."""
    if mme.code in (hp.SLAC_PARM_REQ, hp.START_ATTEN_CHAR_IND, hp.MNBC_SOUND_IND, hp.ATTEN_CHAR_RSP, hp.SLAC_MATCH_REQ):
        return mac_text(mme.src_mac)
    return mac_text(mme.fields.get("SOURCE_ADDRESS") or mme.fields.get("PEV_MAC") or mme.dst_mac)


def _asked(run: _Run, mme: Mme) -> None:
    run.asked.append(mme.time_s)


def _answered(run: _Run, mme: Mme) -> None:
    mac = mac_text(mme.src_mac)
    wait = mme.time_s - run.asked[-1] if run.asked else 0.0
    run.answers.setdefault(mac, SlacAnswer(time_s=mme.time_s, evse_mac=mac, wait_s=wait))
    run.announced = mme.fields.get("NUM_SOUNDS", run.announced)


def _started(run: _Run, mme: Mme) -> None:
    run.announced = mme.fields.get("NUM_SOUNDS", run.announced)


def _sounded(run: _Run, mme: Mme) -> None:
    run.sounds += 1


def _measured(run: _Run, mme: Mme) -> None:
    groups = tuple(mme.fields.get("AAG", ()))
    if not groups:
        return
    mac = mac_text(mme.src_mac)
    if any(p.evse_mac == mac for p in run.profiles):
        return  # repeated until the vehicle acknowledges it
    run.profiles.append(
        SlacProfile(
            time_s=mme.time_s,
            evse_mac=mac,
            groups_db=groups,
            average_db=round(sum(groups) / len(groups), 2),
            sounds=mme.fields.get("NUM_SOUNDS", 0),
        )
    )


def _match_asked(run: _Run, mme: Mme) -> None:
    run.match_asked.append(mme.time_s)
    run.matched_mac = mac_text(mme.fields.get("EVSE_MAC", mme.dst_mac))


def _match_answered(run: _Run, mme: Mme) -> None:
    if run.match_answered is None:
        run.match_answered = mme.time_s
    run.matched_mac = run.matched_mac or mac_text(mme.fields.get("EVSE_MAC", mme.src_mac))
    run.nid = mme.fields.get("NID", "")


def _validated(run: _Run, mme: Mme) -> None:
    run.validated = mme.fields.get("Result")


def _key(run: _Run, mme: Mme) -> None:
    run.key_set = mme.time_s


def _nothing(run: _Run, mme: Mme) -> None:
    """Acknowledgements say that the run goes on, no more."""


_HANDLERS = {
    hp.SLAC_PARM_REQ: _asked,
    hp.SLAC_PARM_CNF: _answered,
    hp.START_ATTEN_CHAR_IND: _started,
    hp.MNBC_SOUND_IND: _sounded,
    hp.ATTEN_CHAR_IND: _measured,
    hp.ATTEN_CHAR_RSP: _nothing,
    hp.ATTEN_PROFILE_IND: _nothing,
    hp.VALIDATE_REQ: _nothing,
    hp.VALIDATE_CNF: _validated,
    hp.SLAC_MATCH_REQ: _match_asked,
    hp.SLAC_MATCH_CNF: _match_answered,
    hp.SET_KEY_REQ: _key,
}


def _finished(run: _Run, links: list[tuple[float, str]], end_s: float, runs: list[_Run]) -> SlacRun:
    later = [r.start_s for r in runs if r.ev_mac == run.ev_mac and r.start_s > run.start_s]
    until = min(later, default=float("inf"))
    joined = None
    if run.match_answered is not None:
        ours = {run.ev_mac, run.matched_mac}
        joined = next((t for t, mac in links if run.match_answered <= t < until and (mac in ours or not mac)), None)
    return SlacRun(
        start_s=run.start_s,
        end_s=run.end_s,
        run_id=run.run_id,
        ev_mac=run.ev_mac,
        requests=len(run.asked),
        answers=tuple(run.answers.values()),
        sounds_announced=run.announced,
        sounds_sent=run.sounds,
        profiles=tuple(run.profiles),
        matched_mac=run.matched_mac,
        match_asked_at_s=run.match_asked[0] if run.match_asked else None,
        match_answered_at_s=run.match_answered,
        match_requests=len(run.match_asked),
        match_wait_s=_match_wait(run),
        nid=run.nid,
        validated=run.validated,
        key_set_at_s=run.key_set,
        joined_at_s=joined,
        problems=tuple(dict.fromkeys(run.problems)),
        result=_result(run, joined, min(until, end_s)),
    )


def _match_wait(run: _Run) -> float | None:
    answered = run.match_answered
    asked = [at for at in run.match_asked if answered is not None and at <= answered]
    return answered - asked[-1] if answered is not None and asked else None


def _result(run: _Run, joined: float | None, until: float) -> Result:
    if run.match_answered is not None:
        if joined is None and until - run.match_answered > JOIN_MAX_S:
            return "not_joined"
        return "matched"
    if run.match_asked:
        return "rejected" if until - run.match_asked[-1] > 1.0 else "incomplete"
    if run.asked and not run.answers and not run.profiles and until - run.asked[0] > SEQUENCE_MAX_S:
        return "no_answer"
    return "incomplete"
