"""What was heard between a vehicle and a post, folded to what a person reads: one record that every rule looks at."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from gladwire.core.lanes.records import Record
from gladwire.core.moments import Duration, Moment
from gladwire.core.plc.certificates import Trouble
from gladwire.core.plc.slac import SlacRun
from gladwire.core.plc.tls import Opening
from gladwire.core.standards.v2g_codes import FIELDS_20, kind_of, stage_of

Side = Literal["ev", "evse"]
SIDES: tuple[Side, Side] = ("ev", "evse")
SIDE_WORDS: dict[Side, str] = {"ev": "vehicle", "evse": "post"}
# Stages that messages lead through: a refusal, a silence or a closed connection can break any of them.
SPOKEN = ("agree", "authorise", "parameters", "insulation", "precharge", "ramp", "energise", "hold", "end")


class SentMessage(BaseModel):
    """One message. number: its place among all messages of the file. error: where it broke, else empty. signed: a signature
    stands in its header. session: the identity in its header, empty for none."""

    model_config = ConfigDict(frozen=True)

    time_s: Moment
    number: int
    name: str
    fields: dict[str, Any]
    error: str = ""
    signed: bool = False
    session: str = ""

    @property
    def response_code(self) -> str:
        return str(self.fields.get("ResponseCode", ""))

    def field(self, name: str) -> Any:
        """A field by the ending of its path, in the spelling of DIN and ISO 15118-2 or that of -20; None if not said."""
        if name in self.fields:
            return self.fields[name]
        endings = tuple(f".{n}" for n in _spellings(name))
        return next((v for path, v in self.fields.items() if f".{path}".endswith(endings)), None)


class Exchange(BaseModel):
    """A request and its answer, or a loop of the same with only numbers changing, folded.

    start_s: of the first request (of the first answer where the request was not captured). end_s: of the last message.
    stem: the message name without Req or Res. count: exchanges folded. wait_s: the median wait for an answer, worst_s the
    longest. late: answers after the vehicle's timer. period_s: median time between requests. ranges: of numbers that
    changed, by field. flags: how many exchanges had a limit flag set, by field.
    """

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    stem: str
    protocol: str
    count: int = 1
    request: SentMessage | None = None
    response: SentMessage | None = None
    last_request: SentMessage | None = None
    last_response: SentMessage | None = None
    answered: bool = True
    wait_s: Duration | None = None
    worst_s: Duration | None = None
    worst_at_s: Moment | None = None
    late: int = 0
    period_s: Duration | None = None
    ranges: dict[str, tuple[float, float]] = {}
    flags: dict[str, int] = {}
    # Bytes the capture did not show right before this: what seems missing may have been said.
    after_hole: bool = False

    @property
    def response_code(self) -> str:
        return self.response.response_code if self.response else ""

    @property
    def kind(self) -> str:
        """What is done, whichever protocol: `CableCheck` for `DC_CableCheck` too."""
        return kind_of(self.stem)

    @property
    def stage(self) -> str:
        return stage_of(self.stem, self.protocol)

    @property
    def failed(self) -> bool:
        return self.response_code.upper().startswith("FAILED")

    @property
    def warned(self) -> bool:
        return self.response_code.startswith("WARNING")

    @property
    def ongoing(self) -> bool:
        """Whether the post has not decided yet."""
        return str(self.of_response("EVSEProcessing")).startswith("Ongoing")

    @property
    def done(self) -> bool:
        """Whether the post answered and has nothing more to work out."""
        return (
            self.response is not None and not self.failed and self.of_response("EVSEProcessing") in ("Finished", None)
        )

    @property
    def switches(self) -> Literal["on", "off", ""]:
        """Whether this turn switches power."""
        if self.of_request("ReadyToChargeState") is True or self.of_request("ChargeProgress") == "Start":
            return "on"
        if self.of_request("ReadyToChargeState") is False or self.of_request("ChargeProgress") == "Stop":
            return "off"
        return ""

    def of_request(self, name: str) -> Any:
        """A field of the last request."""
        message = self.last_request or self.request
        return message.field(name) if message else None

    def of_response(self, name: str) -> Any:
        """A field of the last answer."""
        message = self.last_response or self.response
        return message.field(name) if message else None

    def of_either(self, name: str) -> Any:
        """The first field of answer or request of that name."""
        for message in (self.last_response, self.response, self.last_request, self.request):
            value = message.field(name) if message else None
            if value is not None:
                return value
        return None

    def range_of(self, name: str) -> tuple[float, float] | None:
        """The least and the largest a field was in this turn; None where it did not change or was not said."""
        endings = tuple(f".{n}" for n in _spellings(name))
        return next((r for path, r in self.ranges.items() if f".{path}".endswith(endings)), None)


def _spellings(name: str) -> tuple[str, ...]:
    return (name, FIELDS_20[name]) if name in FIELDS_20 else (name,)


class ConnectionEnd(BaseModel):
    """An end of a connection. kind: fin (in order) or rst."""

    model_config = ConfigDict(frozen=True)

    time_s: Moment
    by: Side
    kind: Literal["fin", "rst"]


class Certificate(BaseModel):
    """A certificate as it was sent. dates: ISO moments, UTC. own_root: it vouches for itself. troubles: at the moment of
    the capture."""

    model_config = ConfigDict(frozen=True)

    subject: str
    issuer: str
    not_before: str
    not_after: str
    key: str = ""
    signature: str = ""
    authority: bool = False
    own_root: bool = False
    troubles: tuple[Trouble, ...] = ()

    @property
    def name(self) -> str:
        """The common name, else the whole subject."""
        parts = [p.removeprefix("CN=") for p in self.subject.split(",") if p.startswith("CN=")]
        return parts[0] if parts else self.subject or "a certificate"


class CertificateChain(BaseModel):
    """Certificates sent together, leaf first. whose: TLS, contract, provisioning, provisioning service."""

    model_config = ConfigDict(frozen=True)

    whose: str
    by: Side
    time_s: Moment
    certificates: tuple[Certificate, ...]


class Alert(BaseModel):
    model_config = ConfigDict(frozen=True)

    time_s: Moment
    by: Side
    name: str
    fatal: bool


class TlsSummary(BaseModel):
    """A connection under TLS. finished_at_s: handshake complete. cipher: its suite. resumed: an earlier session taken up.
    opening: what came of the key log, as `tls.Opening`. status_asked, status_given: of revocation."""

    model_config = ConfigDict(frozen=True)

    version: str
    offered: tuple[str, ...] = ()
    cipher: str = ""
    resumed: bool = False
    opening: Opening = ""
    unopened: int = 0
    status_asked: bool = False
    status_given: bool = False
    alerts: tuple[Alert, ...] = ()
    finished_at_s: Moment | None = None
    client_certificate_asked: bool = False
    records: tuple[int, int] = (0, 0)
    bytes: tuple[int, int] = (0, 0)
    last_by: Side | None = None
    last_at_s: Moment | None = None
    longest_silence_s: Duration = 0.0


class HeldBack(BaseModel):
    """A stretch of the loop in which the post gave less. kind: it lowered its limit from `before` to `now`, or gave `now` of
    `before` asked, short of both limits. to_the_end: of the loop."""

    model_config = ConfigDict(frozen=True)

    kind: Literal["lowered", "short"]
    start_s: Moment
    end_s: Moment
    before: float
    now: float
    unit: str
    to_the_end: bool = False


class AskedTogether(BaseModel):
    """A request that came in one segment with the one before, not waiting for that one's answer."""

    model_config = ConfigDict(frozen=True)

    time_s: Moment
    name: str


class Connection(BaseModel):
    """One TCP connection between a vehicle and a post.

    session: the identity the post gave; taken_up: the one the vehicle began with, empty for none. opened: its beginning was
    captured. clocks: seconds each side's clock is ahead of the capture's, where both are told. answered: the post accepted
    it. lost_bytes: not captured in the middle. unacknowledged: sides whose last bytes the other end never acknowledged, where
    it had acknowledged earlier ones.
    """

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    ev_mac: str = ""
    evse_mac: str = ""
    ev_address: str = ""
    evse_address: str = ""
    port: int = 0
    session: str = ""
    taken_up: str = ""
    opened: bool = True
    answered: bool = True
    protocol: str = ""
    exchanges: tuple[Exchange, ...] = ()
    ends: tuple[ConnectionEnd, ...] = ()
    tls: TlsSummary | None = None
    certificate_chains: tuple[CertificateChain, ...] = ()
    clocks: dict[Side, float] = {}
    lost_bytes: int = 0
    holes: int = 0
    repeated: int = 0
    messages: int = 0
    undecoded: int = 0
    held_back: tuple[HeldBack, ...] = ()
    together: tuple[AskedTogether, ...] = ()
    unacknowledged: tuple[Side, ...] = ()

    def of(self, *kinds: str) -> list[Exchange]:
        return [t for t in self.exchanges if t.kind in kinds]


class Discovery(BaseModel):
    """One SDP message. asked for or given: address and port of the post, TLS or not."""

    model_config = ConfigDict(frozen=True)

    time_s: Moment
    request: bool
    address: str = ""
    port: int = 0
    tls: bool = False
    ev_mac: str = ""


class ConversationRecord(Record):
    """Everything heard in one file of frames. kinds: other frames by name and number. drawn: the vehicle whose numbers became
    lanes, where several talk."""

    lane: ClassVar[str] = "frames"

    frames: int
    slac: tuple[SlacRun, ...] = ()
    sdp: tuple[Discovery, ...] = ()
    connections: tuple[Connection, ...] = ()
    kinds: dict[str, int] = Field(default_factory=dict)
    drawn: str = ""

    @property
    def main(self) -> Connection | None:
        """The talk that got furthest: most turns of those between vehicle and post."""
        return max(self.connections, key=lambda t: (len(t.exchanges), t.messages), default=None)
