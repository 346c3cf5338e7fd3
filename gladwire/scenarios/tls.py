"""The demo's sealed plug-ins: the same vehicles and posts, talking under real TLS with certificates made on the spot."""

from __future__ import annotations

import ssl
from dataclasses import replace
from datetime import UTC, datetime
from functools import lru_cache

from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.scenarios.tls_line import Authority, Sealing, contexts

_FIRST_AT = 1_794_300_000.0
_V12, _V13 = ssl.TLSVersion.TLSv1_2, ssl.TLSVersion.TLSv1_3
_SUITE = "ECDHE-ECDSA-AES128-SHA256"


def _at() -> datetime:
    return datetime.fromtimestamp(_FIRST_AT, UTC)


@lru_cache(maxsize=8)
def _made(name: str) -> tuple[bytes, bytes]:
    """(frames, key log) of a plug-in."""
    post, car, contract = (Authority(who, _at()) for who in ("Heron post", "Gannet bus", "Harbour contract"))
    expired = name == "expired"
    if expired:  # by the demo's day and by any later one
        post = Authority("Heron post", _at(), (90, -9))
    seals = contexts(post, _V13, car=car, trusted=post, checks_dates=expired)
    plan = Plan(Vehicle20(contract=contract.sent_hex, soc=38), Post20(), loop_s=20.0)
    if name == "refused":
        seals = contexts(post, _V12, _SUITE, trusted=post)
        fails = {"PaymentDetails": "FAILED_ContractCanceled"}
        plan = Plan(Vehicle(contract=contract.sent_hex), Post(by_contract=True, fails=fails))
    sealing = Sealing(seals)
    frames = play(replace(plan, tls_asked=True, tls_given=True, line=sealing.line)).frames
    start = frames[0].time_s
    content = pcapng.write([f._replace(time_s=f.time_s - start) for f in frames], _FIRST_AT, "harbour bench")
    return content, sealing.keys.encode()


def frames(name: str) -> bytes:
    return _made(name)[0]


def keys(name: str) -> bytes:
    return _made(name)[1]
