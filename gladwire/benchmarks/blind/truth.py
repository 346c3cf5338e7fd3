"""What is true of a made capture, and how what was told is held against it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

from gladwire.core.session.judgement import Judgement


@dataclass(frozen=True)
class Truth:
    """outcome: what may be told of how it went. stages: the states each stage may have; what is not named is not looked at.
    causes: any of these may come first, empty where nothing is wrong; owners: who may own it. never: words no sentence may
    hold. says: words the findings must hold. healthy: nobody may be blamed.
    """

    outcome: tuple[str, ...] = ()
    stages: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    causes: tuple[str, ...] = ()
    owners: tuple[str, ...] = ()
    never: tuple[str, ...] = ()
    says: tuple[str, ...] = ()
    healthy: bool = False


class Marks(NamedTuple):
    """What was right of one capture; None where its truth says nothing of it. wrong: what was told and is not so."""

    outcome: bool | None
    owner: bool | None
    first: bool | None
    among: bool | None
    blamed: bool | None
    wrong: tuple[str, ...]


def marked(truth: Truth, told: Judgement) -> Marks:
    """Hold what was told against what is so."""
    wrong = []
    stages = {s.stage: s.state for s in told.stages}
    for stage, allowed in truth.stages.items():
        if stages.get(stage, "not_captured") not in allowed:
            wrong.append(f"{stage} {stages.get(stage)}, not {' or '.join(allowed)}")
    texts = [
        told.verdict,
        *(f.text for f in told.findings if f.severity != "normal"),
        *(c.title for c in told.causes[:1]),
    ]
    wrong += [f"says “{word}”: {text[:80]}" for word in truth.never for text in texts if word.lower() in text.lower()]
    everything = " ".join([told.verdict, *(f.text for f in told.findings)]).lower()
    wrong += [
        f"does not say “{word}”" for word in truth.says if not any(w in everything for w in word.lower().split("|"))
    ]
    outcome = told.outcome in truth.outcome if truth.outcome else None
    if outcome is False:
        wrong.append(f"outcome {told.outcome}, not {' or '.join(truth.outcome)}")
    codes = [c.code for c in told.causes]
    sure = [c for c in told.causes[:1] if c.owner != "none"]
    first = (codes[:1] and codes[0] in truth.causes) or False
    return Marks(
        outcome,
        (told.causes[:1] and told.causes[0].owner in truth.owners) or False if truth.owners else None,
        bool(first) if truth.causes else None,
        bool(set(codes[:3]) & set(truth.causes)) if truth.causes else None,
        bool(sure) or told.outcome in ("failed_to_start", "dropped_out", "derated") if truth.healthy else None,
        tuple(wrong),
    )
