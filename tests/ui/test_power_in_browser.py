"""Typing readings by keyboard, from photographs and a film, the cursor of the power drawing, dragging on Expect."""

from __future__ import annotations

import os
import re
import struct
import zlib
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from gladwire.core.simulate.charge import Spell
from gladwire.formats import power_csv
from tests.core.power.build import POST, played, seen

PHONE = {"width": 390, "height": 800}


def png(shade: int) -> bytes:
    """A small grey picture."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = b"".join(b"\x00" + bytes([shade]) * 60 for _ in range(40))
    head = struct.pack(">IIBBBBB", 60, 40, 8, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def type_rows(page: Page, rows: list[tuple[str, str]]) -> None:
    """kW and SoC of each row, by keys alone; times fill themselves."""
    page.locator("#grid tbody tr").first.locator("input").nth(1).focus()
    for number, (kw, soc) in enumerate(rows):
        page.keyboard.type(kw)
        page.keyboard.press("Tab")
        page.keyboard.type(soc)
        if number < len(rows) - 1:
            page.keyboard.press("Tab")


def cell(page: Page, row: int, column: int) -> str:
    return page.locator("#grid tbody tr").nth(row).locator("input").nth(column).input_value()


def test_readings_are_typed_by_keys_with_only_the_digits_that_changed(page: Page) -> None:
    page.goto("/readings")
    type_rows(page, [("0", "21"), ("=98.4", "22"), ("9.1", "3"), ("101.5", "4"), ("4.0", "25"), ("4.0", "26")])
    page.keyboard.press("Enter")
    assert [cell(page, i, 0) for i in range(4)] == ["0", "30", "60", "90"]
    assert [cell(page, i, 1) for i in range(6)] == ["0", "98.4", "99.1", "101.5", "104.0", "104.0"]
    assert [cell(page, i, 2) for i in range(4)] == ["21", "22", "23", "24"]
    expect(page.locator("#so-far")).to_contain_text("6 readings over 2.5 min")
    expect(page.locator("#growing path")).to_have_count(2)
    page.reload()
    assert cell(page, 3, 1) == "101.5"
    page.fill("#r-title", "Typed at stall 9")
    page.fill("#r-by", "Runa Holt")
    page.get_by_role("button", name="Keep").click()
    page.wait_for_url(re.compile(r"/sessions/\d+$"))
    expect(page.locator("h1")).to_have_text("Typed at stall 9")
    expect(page.locator("svg[data-power]")).to_be_visible()


def test_a_record_opened_again_keeps_its_cells_and_the_draft_of_another(page: Page) -> None:
    page.goto("/readings")
    type_rows(page, [("=143.5", "21"), ("=89", "22"), ("=8.5", "23")])
    page.keyboard.press("Enter")
    page.fill("#r-title", "Falls fast")
    page.fill("#r-by", "Runa Holt")
    page.get_by_role("button", name="Keep").click()
    page.wait_for_url(re.compile(r"/sessions/\d+$"))
    again = page.get_by_role("link", name="Open what was typed again").get_attribute("href")
    page.goto("/readings")
    type_rows(page, [("=50", "40"), ("=51", "41")])
    page.keyboard.press("Enter")
    page.goto(str(again))
    page.locator("#grid tbody input").first.focus()
    for _ in range(8):
        page.keyboard.press("Tab")
    assert [cell(page, row, 1) for row in range(3)] == ["143.5", "89", "8.5"]
    page.goto("/readings")
    assert [cell(page, row, 1) for row in range(2)] == ["50", "51"]


def test_a_block_from_a_spreadsheet_fills_rows(page: Page) -> None:
    page.goto("/readings")
    page.locator("#grid tbody input").first.focus()
    page.evaluate(
        """() => { const data = new DataTransfer();
        data.setData("text", "0:00\\t10,5\\t20\\n0:30\\t80\\t21\\n1:00\\t81\\t22\\n");
        const pasted = new ClipboardEvent("paste", {clipboardData: data, bubbles: true, cancelable: true});
        document.activeElement.dispatchEvent(pasted); }"""
    )
    assert [cell(page, 2, i) for i in range(3)] == ["1:00", "81", "22"]
    expect(page.locator("#so-far")).to_contain_text("3 readings over 1.0 min")


def test_photographs_of_two_displays_give_time_and_evidence(page: Page, tmp_path: Path) -> None:
    files = []
    for number, shade in enumerate((40, 120, 200)):
        path = tmp_path / f"p{number}.png"
        path.write_bytes(png(shade))
        os.utime(path, (1_794_000_000 + 45 * number,) * 2)
        files.append(path)
    page.goto("/readings")
    page.set_input_files("#film-1", files)
    page.set_input_files("#film-2", files)
    expect(page.locator("#side-1 img")).to_be_visible()
    for number, kw in enumerate(("50", "60", "70")):
        page.get_by_role("button", name="Read this moment").click()
        expect(page.locator("#grid tbody tr").nth(number).locator(".kept")).to_have_text("kept")
        page.keyboard.type(kw)
        page.keyboard.press("Enter")
        page.get_by_role("button", name="to the next change").click()
        expect(page.get_by_role("button", name="to the next change")).to_be_enabled()
    assert [cell(page, i, 0) for i in range(3)] == ["0", "45", "90"]
    page.fill("#r-title", "Two displays")
    page.fill("#r-by", "Runa Holt")
    page.get_by_role("button", name="Keep").click()
    page.wait_for_url(re.compile(r"/sessions/\d+$"))
    expect(page.locator("#pictures img")).to_have_count(3)


def test_a_film_is_stepped_to_its_next_change(page: Page) -> None:
    """A film made in the browser itself: black, and white from 2 s on."""
    page.goto("/readings")
    page.evaluate(
        """async () => {
        const c = document.createElement("canvas"); c.width = 160; c.height = 90; const g = c.getContext("2d");
        const r = new MediaRecorder(c.captureStream(25), {mimeType: "video/webm"}), parts = [];
        r.ondataavailable = (e) => parts.push(e.data);
        const done = new Promise((d) => { r.onstop = d; });
        r.start(200); const begun = performance.now();
        await new Promise((d) => { (function draw() { const t = performance.now() - begun;
          g.fillStyle = t < 2000 ? "#000" : "#fff"; g.fillRect(0, 0, 160, 90);
          g.fillStyle = "#888"; g.fillRect(t % 3, 0, 1, 1);
          if (t < 4200) requestAnimationFrame(draw); else d(); })(); });
        r.stop(); await done;
        const data = new DataTransfer(); data.items.add(new File(parts, "display.webm", {type: "video/webm"}));
        const input = document.getElementById("film-1"); input.files = data.files; input.dispatchEvent(new Event("change"));
      }"""
    )
    expect(page.locator("#side-0 video")).to_be_visible()
    page.get_by_role("button", name="to the next change").click()
    expect(page.get_by_role("button", name="to the next change")).to_be_enabled(timeout=20_000)
    assert 1.5 < page.evaluate("document.querySelector('#side-0 video').currentTime") < 3.2
    page.fill("#film-zero", "0.5")
    page.get_by_role("button", name="Read this moment").click()
    expect(page.locator("#grid .kept").first).to_have_text("kept")
    assert 0.9 < float(cell(page, 0, 0)) < 2.8


@pytest.fixture
def shared(tmp_path: Path) -> Path:
    path = tmp_path / "browser_stall.csv"
    path.write_bytes(power_csv.write(seen(played(POST, spells=(Spell(5.0, 10.0, 52.0),), seed=77), 5)))
    return path


def test_the_cursor_reads_the_curve_and_a_limiter_leads_to_its_reasons(page: Page, shared: Path) -> None:
    page.goto("/")
    page.set_input_files("input[name=files]", shared)
    page.wait_for_url(re.compile(r"/sessions/\d+$"))
    drawing = page.locator("svg[data-power]").first
    drawing.focus()
    page.keyboard.press("End")
    readout = page.locator("[data-readout]").first
    expect(readout).to_contain_text("min")
    page.keyboard.press("Home")
    expect(readout).to_contain_text("0 s")
    page.locator("[data-why$='why-shared_cabinet']").first.click()
    expect(page.locator("[id$='why-shared_cabinet'] details")).to_have_attribute("open", "")
    expect(page.locator("[id$='why-shared_cabinet']")).to_contain_text("It comes back")


def test_expect_follows_what_is_dragged(page: Page) -> None:
    page.goto("/expect?post_kw=150&post_a=300&vehicle_kw=120&pack_kwh=60&pack_class_v=400")
    before = page.locator("#expectation .verdict").inner_text()
    slider = page.locator("input[data-slides='x-pack_c']")
    slider.fill("0")
    expect(page.locator("#expectation .verdict")).not_to_have_text(before)
    expect(page.locator("#expectation")).to_contain_text("Cold pack")


@pytest.mark.parametrize(
    "address",
    [
        "/readings",
        "/expect?post_kw=150&vehicle_kw=120&pack_kwh=60&pack_class_v=400",
        "/curves",
        "/equipment",
        "/equipment/new?kind=stall",
    ],
)
def test_no_page_scrolls_sideways_on_a_phone(page: Page, address: str) -> None:
    page.set_viewport_size(PHONE)
    page.goto(address)
    assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]
