"""What is done with a capture in a process of its own: read, measure, keep samples, read back what is to be stored."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import NamedTuple

from pydantic import ValidationError

from gladwire.core.can.log import CanLog
from gladwire.core.can.names import Kind, Names, dbc_text, read_names
from gladwire.core.channels import signature
from gladwire.core.measured import Measured, measure_capture
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.plc.keylog import KeyLog, read_keylog
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording
from gladwire.core.supplements import Described, Supplements
from gladwire.formats import pcapng
from gladwire.formats.errors import UnreadableError, unexpected
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options, Read
from gladwire.formats.registry import read_capture
from gladwire.store.measurements import Remembered
from gladwire.store.samples import SampleCache
from gladwire.work.bounded import RefusedWorkError


class Description(NamedTuple):
    """A description of a bus as it is kept, not parsed yet. roles: None where none were settled."""

    title: str
    content: bytes
    kind: Kind
    roles: Mapping[str, str] | None
    by_name: str


class Job(NamedTuple):
    """A capture to be analysed. path: of the original. remembered: what was confirmed, by the signature of an instrument.

    key: name of its samples in the cache, by whether it turns out to be a log of a bus.
    """

    path: Path
    options: Options
    settled: Settled
    key_logs: tuple[bytes, ...]
    descriptions: tuple[Description, ...]
    remembered: Mapping[str, Remembered]
    cache: Path
    key: Mapping[bool, str]


class Outcome(NamedTuple):
    """measured: as JSON, read back whole. bus: whether the capture is a log of one."""

    measured: bytes
    recorded_at: str
    bus: bool


def analyse(job: Job) -> Outcome:
    """Raises RefusedWorkError with one sentence."""
    try:
        read = read_capture(Source(job.path), job.options)
        settled, by_name = _with_remembered(job, read)
        result = measure_capture(read, settled, _supplements(job))
    except ValidationError as error:
        raise RefusedWorkError(_does_not_hold(error)) from error
    except (UnreadableError, ValueError) as error:
        raise RefusedWorkError(str(error)) from error
    except MemoryError:
        raise
    except Exception as error:
        raise RefusedWorkError(str(unexpected(error, "measured"))) from error
    measured = result.measured.model_copy(update={"roles_confirmed_by": by_name})
    content = measured.model_dump_json().encode()
    try:
        Measured.model_validate_json(content)
    except ValidationError as error:
        raise RefusedWorkError(_does_not_hold(error)) from error
    bus = isinstance(read, CanLog)
    SampleCache(job.cache).keep(job.key[bus], result.recording, result.messages)
    return Outcome(content, read.recorded_at[:80], bus)


def _does_not_hold(error: ValidationError) -> str:
    """A value that cannot be, most often no number at all: where it stands in what was measured."""
    place = " ".join(str(part) for part in error.errors()[0]["loc"])
    return f"What was measured of it cannot be: no usable number for {place or error.title}"


def _with_remembered(job: Job, read: Read) -> tuple[Settled, str]:
    """(what is settled, and for channels it does not name what is remembered of this instrument; who confirmed that)."""
    if not isinstance(read, Recording):
        return job.settled, ""
    found = job.remembered.get(signature(read.format, [(w.name, w.unit) for w in read.channels]))
    if found is None or set(found.roles) <= set(job.settled.roles):
        return job.settled, ""
    both = {
        "roles": {**found.roles, **job.settled.roles},
        "factors": {**found.factors, **job.settled.factors},
        "noughts": {**found.noughts, **job.settled.noughts},
    }
    return job.settled.model_copy(update=both), found.by_name


def _supplements(job: Job) -> Supplements:
    secrets = KeyLog()
    for content in job.key_logs:
        secrets = secrets.with_more(read_keylog(content.decode("ascii", "replace")))
    return Supplements(secrets, tuple(_described(d) for d in job.descriptions))


def _described(kept: Description) -> Described:
    plain = read_names(dbc_text(kept.content), kept.title)
    return Described(Names(plain.title, plain.messages, plain.text, kept.kind), kept.roles, kept.by_name)


def counts_of(content: bytes, title: str) -> tuple[int, int]:
    """(messages, signals) of a description. Raises RefusedWorkError with one sentence where it is none."""
    try:
        return read_names(dbc_text(content), title).counts
    except ValueError as error:
        raise RefusedWorkError(str(error)) from error


def connections_of(content: bytes) -> int:
    """How many connections a key log has lines of. Raises RefusedWorkError with one sentence where it is none."""
    try:
        return read_keylog(content.decode("ascii", "replace")).sessions
    except ValueError as error:
        raise RefusedWorkError(str(error)) from error


def frames_between(path: Path, options: Options, first_s: float, last_s: float, title: str) -> bytes:
    """The frames of a stretch of a capture as a file; empty where there is none. Raises RefusedWorkError."""
    try:
        read = read_capture(Source(path), options)
    except (UnreadableError, ValueError) as error:
        raise RefusedWorkError(str(error)) from error
    chosen = [f for f in read.frames if first_s <= f.time_s <= last_s] if isinstance(read, FrameCapture) else []
    return pcapng.write(chosen, read.first_at, title) if chosen and isinstance(read, FrameCapture) else b""
