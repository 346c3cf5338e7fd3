"""The walk along the spine: every stage with its state and its evidence. A capture speaks for its own stages only."""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.findings import Finding
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.spine import spine_of
from gladwire.core.session.judges import standing_of
from gladwire.core.stage import StageResult, Standing

# Not seen, these stop nothing: an inlet may have no lock, and a lane may begin late.
_STOPS_NOTHING = ("seat", "proximity", "lock")


def walk(scene: Scene, findings: Sequence[Finding]) -> tuple[StageResult, ...]:
    """Walk the spine the scene shows."""
    results: list[StageResult] = []
    broken = ""
    for stage in spine_of(scene):
        stands = standing_of(stage.key, scene, findings)
        if broken and stands.state == "not_captured" and stage.key not in (*_STOPS_NOTHING, "pilot"):
            stands = Standing("not_reached", f"{broken} was not passed.")
        # What follows a failure may still have been seen; only what was not seen is called not reached.
        stops = stands.state == "not_reached" and stage.key not in _STOPS_NOTHING
        broken = stage.title if stands.state == "failed" else broken or (stage.title if stops else "")
        results.append(StageResult(stage=stage.key, title=stage.title, **stands._asdict()))
    return tuple(results)
