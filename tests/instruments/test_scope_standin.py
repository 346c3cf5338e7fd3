"""The stand-in for a scope, spoken to by a standard SCPI client library (pyvisa)."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
import pyvisa

from gladwire.core.measured import measure_recording
from gladwire.core.session.session import judge_alone
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.world.acts import do
from gladwire.core.simulate.world.world import World
from gladwire.instruments.standins.scope import CHANNELS, Scope
from gladwire.instruments.standins.scpi import BAD_VALUE, NOT_NOW, UNDEFINED, serve


class Bench:
    """A scope that is served, the world it looks at, and a client that speaks to it."""

    def __init__(self) -> None:
        self.world = World(3)
        self.loop = asyncio.new_event_loop()
        self.thread = threading.Thread(target=self.loop.run_forever, daemon=True)
        self.thread.start()
        instrument = Scope(lambda: self.world).instrument
        self.server = asyncio.run_coroutine_threadsafe(serve(instrument), self.loop).result(10)
        self.port = self.server.sockets[0].getsockname()[1]
        self.manager = pyvisa.ResourceManager("@py")
        self.client = self.opened()

    def opened(self) -> Any:
        return self.manager.open_resource(
            f"TCPIP::127.0.0.1::{self.port}::SOCKET", read_termination="\n", write_termination="\n", timeout=10_000
        )

    def done(self, words: str) -> None:
        """Tell it something, and wait until that is so."""
        assert self.client.query(f"{words};*OPC?") == "1"

    def error(self) -> int:
        return int(self.client.query("SYST:ERR?").split(",")[0])

    def piece(self) -> tuple[int, np.ndarray[Any, Any]]:
        """(first sample, counts of each channel, shape (n, 4))"""
        first, count = (int(n) for n in self.client.query("TRAC:POIN?").split(","))
        values = self.client.query_binary_values(
            "TRAC:DATA?", datatype="h", is_big_endian=True, container=np.array, expect_termination=True
        )
        assert len(values) == count * CHANNELS
        return first, values.reshape(-1, CHANNELS)

    def close(self) -> None:
        self.client.close()
        self.manager.close()
        asyncio.run_coroutine_threadsafe(self._end(), self.loop).result(10)
        self.loop.call_soon_threadsafe(self.loop.stop)
        self.thread.join(10)
        self.loop.close()

    async def _end(self) -> None:
        self.server.close()
        while others := asyncio.all_tasks() - {asyncio.current_task()}:
            await asyncio.wait(others, timeout=5)
        await asyncio.sleep(0)


@pytest.fixture
def bench() -> Iterator[Bench]:
    made = Bench()
    yield made
    made.close()


def test_it_says_who_it_is_in_long_and_short_forms(bench: Bench) -> None:
    assert bench.client.query("*IDN?") == "Gull Instruments,G4,0017,1.2"
    for words in ("SENSe:CHANnel2:SOURce?", "sens:chan2:sour?", ":SENS:CHANNEL2:SOUR?"):
        assert bench.client.query(words) == '"PP"'
    assert bench.client.query("SENS:CHAN1:UNIT?;:SENS:CHAN3:UNIT?") == "V;A"
    assert "CP at vehicle" in bench.client.query("SENS:CHAN:CAT?")
    assert bench.error() == 0


@pytest.mark.parametrize(
    ("words", "number"),
    [
        ("SENS:NONSENSE 4", UNDEFINED),
        ("SENSE:CHANN:SOUR 4", UNDEFINED),  # neither the long nor the short form
        ("SENS:CHAN5:RANG 20", BAD_VALUE),
        ("SENS:CHAN1:RANG 9000", BAD_VALUE),
        ("SENS:CHAN1:RANG lots", BAD_VALUE),
        ('SENS:CHAN1:SOUR "the moon"', BAD_VALUE),
        ("SENS:SWE:RATE 2e6", BAD_VALUE),
        ("INIT:CONT perhaps", BAD_VALUE),
        ("SENS:CHAN1:RANG", -109),
        ("*IDN", UNDEFINED),
    ],
)
def test_what_it_does_not_understand_waits_in_its_queue_and_changes_nothing(
    bench: Bench, words: str, number: int
) -> None:
    before = bench.client.query("SENS:CHAN1:RANG?")
    bench.client.write(words)
    assert bench.error() == number
    assert bench.error() == 0
    assert bench.client.query("SENS:CHAN1:RANG?") == before
    assert int(bench.client.query("*ESR?")) & 48
    assert int(bench.client.query("*ESR?")) == 0


def test_its_queue_ends_with_an_overflow_and_is_cleared(bench: Bench) -> None:
    for _ in range(40):
        bench.client.write("WHAT")
    found = [bench.error() for _ in range(21)]
    assert found[:19] == [UNDEFINED] * 19
    assert found[19:] == [-350, 0]
    bench.client.write("WHAT;*CLS")
    assert bench.error() == 0


def test_nothing_is_set_while_it_samples_and_nothing_is_fetched_before(bench: Bench) -> None:
    bench.client.write("SENS:SWE:RATE 50000")
    bench.done("INIT:CONT ON;:SENS:SWE:RATE 1000")
    assert bench.error() == NOT_NOW
    assert float(bench.client.query("SENS:SWE:RATE?")) == 50e3
    bench.client.write("*RST")
    assert bench.client.query("INIT:CONT?") == "0"
    assert float(bench.client.query("SENS:SWE:RATE?")) == 200e3


def test_pieces_follow_each_other_and_one_nobody_fetched_leaves_a_gap(bench: Bench) -> None:
    bench.done("SENS:SWE:RATE 20000;:INIT:CONT ON")
    at = 0
    for seconds in (0.1, 0.37, 0.05, 1.0):
        bench.world.run(seconds)
        first, counts = bench.piece()
        assert first == at
        assert len(counts) == pytest.approx(seconds * 20e3, abs=1)
        at += len(counts)
    first, again = bench.piece()
    assert (first, len(again)) == (at, 0)
    bench.world.run(10.0)
    first, counts = bench.piece()
    assert first > at
    assert first + len(counts) == pytest.approx(at + 200_000, abs=2)


def test_either_order_of_bytes_tells_the_same(bench: Bench) -> None:
    found = []
    for order in ("NORM", "SWAP"):
        bench.done(f"INIT:CONT OFF;:FORM:BORD {order};:SENS:SWE:RATE 10000;:INIT:CONT ON")
        bench.world.run(0.05)
        bench.client.query("TRAC:POIN?")
        found.append(
            bench.client.query_binary_values(
                "TRAC:DATA?", datatype="h", is_big_endian=order == "NORM", container=np.array
            )
        )
    # 12 V at rest, of a range of 20 V in 32000 counts; it holds bytes that end a line too.
    for values in found:
        assert np.median(values.reshape(-1, CHANNELS)[:, 0]) * 20.0 / 32000 == pytest.approx(12.0, abs=0.02)


def test_a_plug_in_through_it_is_told_as_what_it_was(bench: Bench) -> None:
    bench.done("SENS:SWE:RATE 50000;:INIT:CONT ON")
    do(bench.world, "blocked", True)
    pieces = []
    for second in range(9):
        if second == 1:
            do(bench.world, "plug", "home")
        bench.world.run(1.0)
        pieces.append(bench.piece()[1])
    counts = np.concatenate(pieces)
    waves = []
    for n in range(CHANNELS):
        name = bench.client.query(f"SENS:CHAN{n + 1}:SOUR?").strip('"')
        scale, unit = (
            float(bench.client.query(f"SENS:CHAN{n + 1}:SCAL?")),
            bench.client.query(f"SENS:CHAN{n + 1}:UNIT?"),
        )
        waves.append(Waveform(name, (counts[:, n] * scale).astype(np.float32), 50e3, 0.0, unit))
    judgement = judge_alone(measure_recording(Recording(tuple(waves), "scope-csv")))
    assert judgement.outcome == "failed_to_start"
    assert judgement.causes[0].code == "lock_blocked"


def test_two_may_speak_to_it_and_one_that_goes_ends_nothing(bench: Bench) -> None:
    other = bench.opened()
    other.write("SENS:SWE:RATE 30000")
    assert float(other.query("SENS:SWE:RATE?")) == 30e3
    other.close()
    assert float(bench.client.query("SENS:SWE:RATE?")) == 30e3
