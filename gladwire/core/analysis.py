"""One recording, analysed: the whole walk from channels to ranked causes. `docs/how-a-verdict-is-made.md` follows it."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from gladwire.core.diagnosis.cause import RankedCause
from gladwire.core.diagnosis.ranking import rank
from gladwire.core.findings import Finding, apply
from gladwire.core.pilot.channel import choose_pilot
from gladwire.core.pilot.measure import measure
from gladwire.core.pilot.reading import Settled
from gladwire.core.pilot.record import PilotRecord
from gladwire.core.pilot.rules import RULES
from gladwire.core.session.outcome import Outcome, outcome_of, verdict_sentence
from gladwire.core.session.stages import StageResult, placed, spine_of, walk
from gladwire.core.waveform import Recording

# Raise when results would differ for the same capture; stored results of an older analyser are then rebuilt.
ANALYSER_VERSION = 1


class ChannelInfo(BaseModel):
    """A channel of the file, for the person who has to settle which is which."""

    model_config = ConfigDict(frozen=True)

    name: str
    unit: str
    samples: int


class Analysis(BaseModel):
    """Everything the screens, the command line and the store need to know about one capture."""

    model_config = ConfigDict(frozen=True)

    analyser: int = ANALYSER_VERSION
    format: str
    remarks: tuple[str, ...]
    channels: tuple[ChannelInfo, ...]
    channel_index: int
    channel_why: str
    channel_guessed: bool = False
    pilot: PilotRecord
    findings: tuple[Finding, ...]
    stages: tuple[StageResult, ...]
    outcome: Outcome
    verdict: str
    causes: tuple[RankedCause, ...]


def analyse(recording: Recording, settled: Settled | None = None) -> Analysis:
    """Analyse a recording. Raises ValueError when a settled channel does not exist or a channel is too short."""
    settled = settled or Settled()
    choice = choose_pilot(recording.channels, settled.channel, settled.not_pilot)
    record = measure(recording.channels[choice.number], settled)
    findings = placed(apply(RULES, record), spine_of(record))
    stages = walk(record, findings)
    return Analysis(
        format=recording.format,
        remarks=recording.remarks,
        channels=tuple(ChannelInfo(name=w.name, unit=w.unit, samples=len(w.samples)) for w in recording.channels),
        channel_index=choice.number,
        channel_why=choice.why,
        channel_guessed=choice.guessed,
        pilot=record,
        findings=findings,
        stages=stages,
        outcome=outcome_of(record, stages, findings),
        verdict=verdict_sentence(record, findings),
        causes=rank(findings),
    )
