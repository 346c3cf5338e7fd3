"""What a technician does, in a real browser on a real server."""

from __future__ import annotations

import re
import signal
import subprocess
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.lock_motor import LockScript, latch_volts
from gladwire.core.simulate.script import PilotScript, Scope
from tests.build import HEALTHY, pilot, session
from tests.ui.conftest import Server

FULL = "Drop a capture"


def capture(folder: Path, script: PilotScript, name: str, seed: int = 1) -> Path:
    wave = script.record(50e3, Scope(noise_v=0.05, bits=10), seed)
    rows = "".join(f"{i / 50e3:.6f};{v:.3f}\n".replace(".", ",") for i, v in enumerate(wave.samples))
    path = folder / name
    path.write_text("Zeit;CP\ns;V\n" + rows)
    return path


def bouncing() -> PilotScript:
    script = session(asking_ms=700)
    for gap in (4, 12):
        script.circuit(HEALTHY, "asking", 500, 26.7).circuit(HEALTHY, "none", gap, 26.7)
    return script.circuit(HEALTHY, "asking", 600, 26.7)


def drop(page: Page, path: Path) -> None:
    """Choosing the file is the one action; the verdict's page opens by itself."""
    page.goto("/")
    page.set_input_files("input[type=file]", path)
    page.wait_for_url("**/sessions/*")


def lane_is_drawn(page: Page) -> None:
    expect(page.locator("#lane")).to_have_attribute("data-ready", re.compile(r"\d"))


def drawn_range(page: Page) -> tuple[float, float]:
    """The range in sight, once its samples are drawn."""
    page.wait_for_function(
        "() => document.getElementById('lane').dataset.ready?.startsWith(gwLanes.view.range.join(' '))", timeout=60_000
    )
    ready = (page.locator("#lane").get_attribute("data-ready") or "").split()
    return float(ready[0]), float(ready[1])


def test_drop_a_file_and_read_the_verdict(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, bouncing(), "hotel post 2.csv"))
    expect(page.locator(".verdict")).to_contain_text("Dropped out")
    expect(page.locator(".verdict")).to_contain_text("interrupted")
    expect(page.get_by_role("listitem").filter(has_text="Hold").first).to_be_visible()
    expect(page.locator(".cause").first).to_contain_text("loose pilot contact")
    expect(page.locator(".next")).to_contain_text("It cannot be told here")


def test_zoom_from_the_whole_to_single_cycles_and_back(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, session(asking_ms=800), "zoom.csv"))
    lane_is_drawn(page)
    whole = drawn_range(page)
    page.get_by_role("button", name="Cycles").click()
    close = drawn_range(page)
    assert close[1] - close[0] == pytest.approx(0.005, rel=0.01)
    assert (page.locator("#lane").get_attribute("data-ready") or "").split()[3] in ("5", "6")
    page.get_by_role("button", name="All").click()
    assert drawn_range(page) == whole
    box = page.locator(".u-over").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 100, box["y"] + 50)
    page.mouse.down()
    page.mouse.move(box["x"] + 300, box["y"] + 60, steps=4)
    page.mouse.up()
    dragged = drawn_range(page)
    assert dragged[1] - dragged[0] == pytest.approx((whole[1] - whole[0]) * 200 / box["width"], rel=0.02)


def test_the_ribbon_shows_the_readings_of_a_segment(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, session(asking_ms=801), "ribbon.csv"))
    lane_is_drawn(page)
    page.locator(".ribbon button").nth(2).click()
    expect(page.locator("#readings")).to_contain_text("segment 3 of 7")
    expect(page.locator("#readings")).to_contain_text("Frequency")
    page.locator("#readings a").first.click()
    page.wait_for_url("**/limits#source-*")


def test_evidence_leads_to_its_moment(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, bouncing(), "evidence.csv", seed=2))
    lane_is_drawn(page)
    whole = drawn_range(page)
    page.locator(".evidence .jump").first.click()
    near = drawn_range(page)
    assert near[1] - near[0] < 0.1 * (whole[1] - whole[0])


def test_the_cursor_tells_values_with_units(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, session(asking_ms=802), "cursor.csv"))
    lane_is_drawn(page)
    box = page.locator(".u-over").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 60)
    expect(page.locator("#readout")).to_contain_text(" V")
    expect(page.locator("#readout")).to_contain_text("C2")


def test_proximity_and_lock_stand_below_on_one_clock(page: Page, tmp_path: Path) -> None:
    rate_hz = 10e3
    pilot_wave = pilot().hold(12, 800).hold(9, 5000).record(rate_hz, Scope(noise_v=0.05, bits=10))
    current, position = LockScript().drive(1.4, through=False).drive(2.6, through=False).record(6, rate_hz)
    latch = latch_volts([("absent", 0.7), ("latched", 6)], rate_hz)
    columns = zip(pilot_wave.samples, latch.samples, current.samples, position.samples, strict=False)
    rows = "".join(f"{i / rate_hz:.5f},{a:.2f},{b:.3f},{c:.3f},{d:.2f}\n" for i, (a, b, c, d) in enumerate(columns))
    path = tmp_path / "plug in.csv"
    path.write_text("Time (s),CP (V),PP (V),Lock current (A),Lock position (V)\n" + rows)
    drop(page, path)
    expect(page.locator(".verdict")).to_contain_text("The lock is driven twice")
    expect(page.locator(".basis")).to_have_count(0)
    lanes = page.locator(".lane")
    expect(lanes).to_have_count(4)
    for number in range(4):
        expect(lanes.nth(number).locator(".plot")).to_have_attribute("data-ready", re.compile(r"\d{2,}"))
    lanes.nth(3).scroll_into_view_if_needed()
    box = lanes.nth(2).locator(".u-over").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + 20)
    for words in ("pilot", "PP", "Lock current", "Lock position"):
        expect(page.locator("#readout")).to_contain_text(words)
    whole = drawn_range(page)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 25, steps=4)
    page.mouse.up()
    zoomed = drawn_range(page)
    assert zoomed[1] - zoomed[0] == pytest.approx(0.2 * (whole[1] - whole[0]), rel=0.05)


def test_by_keyboard_alone(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, session(asking_ms=803), "keys.csv"))
    lane_is_drawn(page)
    whole = drawn_range(page)
    for _ in range(60):
        if page.evaluate("document.activeElement.id") == "lane":
            break
        page.keyboard.press("Tab")
    assert page.evaluate("document.activeElement.id") == "lane"
    page.keyboard.press("+")
    page.keyboard.press("+")
    zoomed = drawn_range(page)
    assert zoomed[1] - zoomed[0] == pytest.approx((whole[1] - whole[0]) / 4, rel=0.01)
    page.keyboard.press("Shift+ArrowRight")
    assert drawn_range(page)[0] > zoomed[0]
    page.keyboard.press("ArrowRight")
    expect(page.locator("#readout")).to_contain_text(" s")
    page.keyboard.press("0")
    assert drawn_range(page) == whole
    page.keyboard.press("n")
    expect(page.locator("#readings")).to_contain_text("segment 1 of 7")


def test_settling_by_hand_is_kept_beside_the_machines_reading(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, session(asking_ms=804), "settle.csv"))
    page.get_by_text("Settle it by hand").click()
    page.fill("#offset_v", "0,2")
    page.fill("#by_name", "Runa Holt")
    page.fill("#why", "zero checked with a shorted probe")
    page.get_by_role("button", name="Read it again so").click()
    expect(page.locator("#reading")).to_contain_text("Runa Holt")
    expect(page.locator("#reading")).to_contain_text("+0.2 V added")
    page.get_by_text("Settle it by hand").click()
    expect(page.locator("#by_name")).to_have_value("Runa Holt")


def test_a_case_from_a_capture(page: Page, tmp_path: Path) -> None:
    drop(page, capture(tmp_path, session(asking_ms=805), "case.csv"))
    page.get_by_role("link", name="Make a case of it").click()
    page.fill("#title", "Hire car at the ferry queue")
    page.get_by_role("button", name="Open the case").click()
    page.wait_for_url("**/cases/*")
    page.goto("/find?q=hire+car+at+the+ferry")
    expect(page.get_by_role("link", name="Hire car at the ferry queue")).to_be_visible()


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("empty.csv", b"", "is empty. Nothing was stored"),
        ("diary.csv", b"dear diary\nnothing happened\ntoday\n", "rows of numbers were expected"),
        ("cut.csv.gz", b"\x1f\x8b\x08\x00junk", "damaged"),
    ],
)
def test_broken_files_get_one_clear_sentence(page: Page, tmp_path: Path, name: str, content: bytes, says: str) -> None:
    path = tmp_path / name
    path.write_bytes(content)
    page.goto("/")
    page.set_input_files("input[type=file]", path)
    expect(page.locator("main")).to_contain_text(says)
    page.goto("/")
    expect(page.get_by_text(FULL, exact=True)).to_be_visible()


@pytest.mark.parametrize("width", [360, 768, 1280])
def test_nothing_scrolls_sideways(page: Page, tmp_path: Path, width: int) -> None:
    drop(page, capture(tmp_path, session(PilotCircuit(series_ohm=200), asking_ms=806), "narrow.csv"))
    lane_is_drawn(page)
    page.set_viewport_size({"width": width, "height": 800})
    here = page.url
    for path in (here, "/", "/cases", "/bench", "/limits", "/styleguide"):
        page.goto(path)
        page.wait_for_timeout(150)
        assert page.evaluate("document.documentElement.scrollWidth") <= width, path


def test_dark_by_choice_and_remembered(page: Page) -> None:
    page.goto("/")
    page.get_by_role("button", name="Dark").click()
    page.goto("/cases")
    expect(page.locator("html")).to_have_attribute("data-bs-theme", "dark")


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGKILL])
def test_a_capture_is_there_again_after_a_restart(
    page: Page, server: Server, tmp_path: Path, how: signal.Signals
) -> None:
    drop(page, capture(tmp_path, pilot().hold(-12, 900 + int(how)), f"kept {int(how)}.csv"))
    expect(page.locator(".verdict")).to_contain_text("not available")
    address = page.url
    server.end(how)
    server.start()
    page.goto(address)
    expect(page.locator(".verdict")).to_contain_text("not available")
    lane_is_drawn(page)
    page.goto("/")
    expect(page.get_by_role("link", name=f"kept {int(how)}")).to_be_visible()


def test_a_second_instance_and_a_taken_port_are_refused_in_words(server: Server, tmp_path: Path) -> None:
    again = subprocess.run(server.command(), capture_output=True, text=True, timeout=60, check=False)
    assert again.returncode == 3
    assert "another instance is running already" in again.stderr
    other = Server(tmp_path / "home")
    taken = subprocess.run(other.command(server.port), capture_output=True, text=True, timeout=60, check=False)
    assert taken.returncode == 3
    assert f"port {server.port} is taken" in taken.stderr
