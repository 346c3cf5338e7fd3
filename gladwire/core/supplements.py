"""What is given beside a capture to read it: secrets that open TLS, descriptions that name a bus."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from gladwire.core.can.names import Names
from gladwire.core.plc.keylog import KeyLog


@dataclass(frozen=True)
class Described:
    """A description of a bus with the roles somebody settled for it. roles: role key to `Message.Signal`; None guesses."""

    names: Names
    roles: Mapping[str, str] | None = None
    by_name: str = ""


@dataclass(frozen=True)
class Supplements:
    """secrets: of the sessions of one plug-in. described: every description known here, given or remembered."""

    secrets: KeyLog = field(default_factory=KeyLog)
    described: tuple[Described, ...] = ()
