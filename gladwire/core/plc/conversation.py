"""What was heard between a vehicle and a post, folded to what a person reads: one record that every rule looks at."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.plc.slac import SlacRun

Side = Literal["ev", "evse"]
SIDE_WORDS: dict[Side, str] = {"ev": "vehicle", "evse": "post"}


class Said(BaseModel):
    """One message. number: its place among all messages of the file. error: where it broke, else empty."""

    model_config = ConfigDict(frozen=True)

    time_s: float
    number: int
    name: str
    fields: dict[str, Any]
    error: str = ""

    @property
    def response_code(self) -> str:
        return str(self.fields.get("ResponseCode", ""))


class Turn(BaseModel):
    """A request and its answer, or a loop of the same with only numbers changing, folded.

    start_s: of the first request (of the first answer where the request was not captured). end_s: of the last message.
    stem: the message name without Req or Res. count: exchanges folded. wait_s: the median wait for an answer, worst_s the
    longest. late: answers after the vehicle's timer. period_s: median time between requests. ranges: of numbers that
    changed, by field. flags: how many exchanges had a limit flag set, by field.
    """

    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float
    stem: str
    protocol: str
    count: int = 1
    request: Said | None = None
    answer: Said | None = None
    last_request: Said | None = None
    last_answer: Said | None = None
    answered: bool = True
    wait_s: float | None = None
    worst_s: float | None = None
    worst_at_s: float | None = None
    late: int = 0
    period_s: float | None = None
    ranges: dict[str, tuple[float, float]] = {}
    flags: dict[str, int] = {}
    # Bytes the capture did not show right before this: what seems missing may have been said.
    after_hole: bool = False

    @property
    def response_code(self) -> str:
        return self.answer.response_code if self.answer else ""

    @property
    def failed(self) -> bool:
        return self.response_code.upper().startswith("FAILED")

    def asked(self, name: str) -> Any:
        """A field of the last request."""
        said = self.last_request or self.request
        return said.fields.get(name) if said else None

    def told(self, name: str) -> Any:
        """A field of the last answer."""
        said = self.last_answer or self.answer
        return said.fields.get(name) if said else None

    def either(self, ending: str) -> Any:
        """The first field of answer or request whose path ends so."""
        for said in (self.last_answer, self.answer, self.last_request, self.request):
            for path, value in said.fields.items() if said else ():
                if path == ending or path.endswith("." + ending):
                    return value
        return None


class Closing(BaseModel):
    """An end of a connection. kind: fin (in order) or rst."""

    model_config = ConfigDict(frozen=True)

    time_s: float
    by: Side
    kind: Literal["fin", "rst"]


class Certificate(BaseModel):
    """A certificate as it was shown. out_of_date: at the moment of the capture."""

    model_config = ConfigDict(frozen=True)

    by: Side
    subject: str
    issuer: str
    not_before: str
    not_after: str
    out_of_date: bool = False


class Alert(BaseModel):
    model_config = ConfigDict(frozen=True)

    time_s: float
    by: Side
    name: str
    fatal: bool


class Sealed(BaseModel):
    """A connection under TLS, seen from outside. finished_at_s: handshake complete."""

    model_config = ConfigDict(frozen=True)

    version: str
    offered: tuple[str, ...] = ()
    certificates: tuple[Certificate, ...] = ()
    alerts: tuple[Alert, ...] = ()
    finished_at_s: float | None = None
    client_certificate_asked: bool = False
    records: tuple[int, int] = (0, 0)
    bytes: tuple[int, int] = (0, 0)
    last_by: Side | None = None
    last_at_s: float | None = None
    longest_silence_s: float = 0.0


class Talk(BaseModel):
    """One TCP connection between a vehicle and a post.

    opened: its beginning was captured. answered: the post accepted it. lost_bytes: not captured in the middle.
    """

    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float
    ev_mac: str = ""
    evse_mac: str = ""
    ev_address: str = ""
    evse_address: str = ""
    port: int = 0
    opened: bool = True
    answered: bool = True
    protocol: str = ""
    turns: tuple[Turn, ...] = ()
    closings: tuple[Closing, ...] = ()
    sealed: Sealed | None = None
    lost_bytes: int = 0
    holes: int = 0
    repeated: int = 0
    messages: int = 0
    undecoded: int = 0

    def of(self, *stems: str) -> list[Turn]:
        return [t for t in self.turns if t.stem in stems]


class Discovery(BaseModel):
    """One SDP message. asked for or given: address and port of the post, TLS or not."""

    model_config = ConfigDict(frozen=True)

    time_s: float
    request: bool
    address: str = ""
    port: int = 0
    tls: bool = False
    ev_mac: str = ""


class ConversationRecord(BaseModel):
    """Everything heard in one file of frames. kinds: other frames by name and number."""

    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float
    frames: int
    slac: tuple[SlacRun, ...] = ()
    sdp: tuple[Discovery, ...] = ()
    talks: tuple[Talk, ...] = ()
    kinds: dict[str, int] = {}

    @property
    def main(self) -> Talk | None:
        """The talk that got furthest: most turns of those between vehicle and post."""
        return max(self.talks, key=lambda t: (len(t.turns), t.messages), default=None)
