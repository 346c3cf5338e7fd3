"""`./glad inspect`: analyse files without a server or a database, and print what the screens would show."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.measured import CaptureResult, measure_capture
from gladwire.core.session.session import SessionResult, judge_session
from gladwire.core.session.timeline import Part
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording
from gladwire.core.supplements import Supplements
from gladwire.export import File, session_object
from gladwire.formats.errors import UnreadableError, unexpected
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture

Results = Sequence[tuple[str, CaptureResult]]


def measure_file(
    path: Path,
    settled: Settled,
    interval_s: float | None = None,
    alone: bool = True,
    supplements: Supplements | None = None,
) -> CaptureResult:
    """Read and measure one file. alone: False lets roles of channels that other files hold pass by. supplements: what opens
    TLS and names a bus.

    Raises UnreadableError, also where the file is missing.
    """
    if not path.is_file():
        raise UnreadableError("there is no such file" if not path.exists() else "this is no file")
    read = read_capture(Source(path), Options(interval_s))
    if not alone:
        names = {wave.name for wave in read.channels} if isinstance(read, Recording) else set()
        here = {key: {k: v for k, v in getattr(settled, key).items() if k in names} for key in ("roles", "factors")}
        settled = settled.model_copy(update=here)
    try:
        return measure_capture(read, settled, supplements)
    except ValueError as error:
        raise UnreadableError(str(error)) from error
    except Exception as error:
        raise unexpected(error, "measured") from error


def judged(results: Results) -> SessionResult:
    """The files as one session on one clock."""
    return judge_session([Part(name, result.measured) for name, result in results])


def as_json(results: Results) -> str:
    whole = judged(results)
    files = [File(placed, result.messages) for placed, (_, result) in zip(whole.placed, results, strict=True)]
    return json.dumps(session_object(files, whole.scene, whole.judgement), indent=1, ensure_ascii=False)


def as_text(results: Results) -> str:
    """What the Session page says, for a terminal."""
    whole = judged(results)
    judgement = whole.judgement
    lines = [f"{p.name} ({p.measured.format})" for p in whole.placed]
    if len(lines) > 1:
        lines = [
            f"{p.name} ({p.measured.format}): {p.alignment.offset_s:+.3f} s. {p.alignment.text}" for p in whole.placed
        ]
    lines += ["", judgement.verdict, ""]
    for measured in (p.measured for p in whole.placed):
        why = [sentence for pilot in measured.of(PilotRecord) for sentence in pilot.interpretation.why]
        lines += [f"Remark   {remark}" for remark in (*measured.remarks, *why)]
        lines += [f"Channel  {measured.channel_why}"] if measured.channel_why else []
    lines += ["Stages"]
    lines += [f"  {s.title:<12} {s.state.replace('_', ' '):<14} {s.why}" for s in judgement.stages]
    for lane in LANES:
        for record in whole.scene.of(lane.record):
            told = lane.lines(record)
            lines += ["", *told] if told else []
    lines += ["", "Findings"]
    lines += [f"  {f.severity:<8} {f.text}" for f in judgement.findings if f.severity != "normal"]
    lines += ["", "Likely causes"]
    for cause in judgement.causes:
        lines += [
            f"  {100 * cause.confidence:3.0f} %  {cause.title} ({cause.owner})",
            f"         test: {cause.next_test}",
        ]
    if judgement.next:
        first = judgement.next[0]
        lines += ["", f"Do next ({first.minutes} min): {first.do}"]
        lines += [f"  {result.words}" for result in first.results]
        lines += [f"  Caution: {first.caution}"]
    return "\n".join(lines)
