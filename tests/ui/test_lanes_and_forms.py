"""Lanes, placing, stamping, correcting, tapping contacts and the calculators, in a real browser, wide and narrow."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from gladwire.core.simulate.lock_motor import LockScript, latch_volts
from gladwire.core.simulate.script import Scope
from gladwire.scenarios.files import table
from tests.build import pilot
from tests.ui.test_first_verdict import drawn_range

RATE = 10e3
PHONE = {"width": 390, "height": 800}


def plug_in(folder: Path, name: str, seed: int) -> Path:
    """Pilot, proximity, lock current and position of one plug-in; every seed is another file."""
    wave = (
        pilot()
        .hold(12, 800)
        .hold(9, 1200)
        .pwm(9, 26.7, 800)
        .pwm(6, 26.7, 2200)
        .record(RATE, Scope(0.05, bits=10), seed)
    )
    latch = latch_volts([("absent", 0.7), ("latched", 6)], RATE, seed)
    lock = LockScript().drive(1.4).record(6, RATE, seed)
    path = folder / name
    path.write_bytes(table([wave, latch, *lock], ["CP (V)", "PP (V)", "Lock current (A)", "Lock position (V)"]))
    return path


def logger(folder: Path, name: str) -> Path:
    rows = "".join(f"{i / 10:.1f},{231 + (i % 3) / 10:.1f}\n" for i in range(30))
    path = folder / name
    path.write_text("time_s,U L1 (V)\n" + rows)
    return path


def open_session(page: Page, *paths: Path) -> None:
    page.goto("/")
    page.set_input_files("input[type=file]", list(paths))
    page.wait_for_url("**/sessions/*")
    page.evaluate("localStorage.clear()")
    page.reload()
    expect(page.locator("#lane")).to_have_attribute("data-ready", re.compile(r"\d"))


def names(page: Page) -> list[str]:
    return page.locator(".lane .name b").all_inner_texts()


def test_lanes_are_folded_moved_and_given_height_and_stay_so(page: Page, tmp_path: Path) -> None:
    open_session(page, plug_in(tmp_path, "lanes.csv", 11))
    assert names(page) == ["Pilot", "PP", "Lock current", "Lock position"]
    page.get_by_role("button", name="Move up: Lock current").click()
    assert names(page) == ["Pilot", "Lock current", "PP", "Lock position"]
    before = page.locator(".lane").nth(1).locator(".plot").bounding_box()
    page.get_by_role("button", name="Change height: Lock current").click()
    after = page.locator(".lane").nth(1).locator(".plot").bounding_box()
    assert before is not None
    assert after is not None
    assert after["height"] > before["height"]
    page.get_by_role("button", name="Fold: PP").click()
    expect(page.locator(".lane.folded")).to_have_count(1)
    page.reload()
    expect(page.locator("#lane")).to_have_attribute("data-ready", re.compile(r"\d"))
    assert names(page) == ["Pilot", "Lock current", "PP", "Lock position"]
    expect(page.locator(".lane.folded")).to_have_count(1)
    page.get_by_role("button", name="Unfold: PP").press("Enter")
    expect(page.locator(".lane.folded")).to_have_count(0)


def test_a_stage_fits_the_lanes_to_its_time(page: Page, tmp_path: Path) -> None:
    open_session(page, plug_in(tmp_path, "stage.csv", 12))
    page.locator("svg.across a[data-stage=lock]").click()
    near = drawn_range(page)
    assert near[0] < 1.4 < near[1]
    assert near[1] - near[0] < 1.0


def test_a_note_is_kept_at_the_cursor_by_keyboard_alone(page: Page, tmp_path: Path) -> None:
    open_session(page, plug_in(tmp_path, "note.csv", 13))
    page.locator("#lane").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("m")
    expect(page.locator("#stamp-form")).to_be_visible()
    at = float(page.locator("#stamp-at").input_value())
    assert 2.0 < at < 3.0
    page.locator("#stamp-kind").select_option("contactor_clunk")
    page.fill("#stamp-by", "Runa Holt")
    page.keyboard.press("Enter")
    expect(page.locator("#stamp-strip button")).to_have_text("Clunk of a contactor")
    expect(page.locator("#recordings")).to_contain_text("Runa Holt")
    page.locator("#stamp-strip button").click()
    near = drawn_range(page)
    assert near[0] < at < near[1]


def test_a_reading_is_corrected_and_both_stay_visible(page: Page, tmp_path: Path) -> None:
    open_session(page, plug_in(tmp_path, "correct.csv", 14))
    # The segment shown first is this one too: what is filled in must be the panel that was asked for.
    with page.expect_response("**/readings/3"):
        page.locator(".ribbon button").nth(3).click()
    page.wait_for_function("!document.querySelector('#readings.htmx-request, #readings .htmx-swapping')")
    expect(page.locator("#readings h2")).to_have_text("C2")
    page.locator("#readings summary").click()
    page.fill("#c-high", "7,4")
    page.fill("#c-by", "Runa Holt")
    page.fill("#c-why", "read in the single cycle")
    page.get_by_role("button", name="Correct it").click()
    expect(page.locator(".basis").first).to_contain_text("corrected by hand")
    expect(page.locator(".ribbon button").nth(3)).to_contain_text("✎")
    expect(page.locator("#reading")).to_contain_text("the machine read")
    expect(page.locator("tr.amended")).to_have_count(1)
    expect(page.locator("#readings")).to_contain_text("segment 4 of")
    expect(page.get_by_role("button", name="Take the correction back")).to_be_visible()


def test_a_recording_is_dragged_into_place(page: Page, tmp_path: Path) -> None:
    open_session(page, plug_in(tmp_path, "scope.csv", 15), logger(tmp_path, "logger.csv"))
    expect(page.locator(".lane.aside")).to_have_count(1)
    page.locator("#recordings summary", has_text="Place it by hand").first.click()
    page.get_by_role("button", name="Drag its lanes").click()
    lane = page.locator(".lane").filter(has_text="U L1")
    lane.scroll_into_view_if_needed()
    box = lane.locator(".u-over").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 200, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + 300, box["y"] + 30, steps=5)
    page.mouse.up()
    field = page.locator("[data-offset]").first
    moved = float(field.input_value())
    assert moved == pytest.approx(100 / box["width"] * 5.0, rel=0.05)
    number = field.get_attribute("data-offset")
    page.fill(f"#pby-{number}", "Ola Brisk")
    page.fill(f"#pwhy-{number}", "the clunk")
    page.get_by_role("button", name="Place it so").click()
    expect(page.locator("#recordings")).to_contain_text("Placed by hand by Ola Brisk")
    expect(page.locator(".lane.aside")).to_have_count(0)


def test_a_contact_is_tapped_and_what_was_seen_recorded(page: Page, tmp_path: Path) -> None:
    open_session(page, plug_in(tmp_path, "pin.csv", 16))
    page.get_by_role("link", name="Record what was seen at a contact").click()
    page.set_viewport_size(PHONE)
    page.get_by_role("link", name="Inlet or socket").click()
    page.locator(".face").first.get_by_role("link", name=re.compile("^PP:")).click()
    expect(page.locator("h2").first).to_have_text("PP")
    page.locator("#condition").select_option("corroded")
    page.fill("#by_name", "Runa Holt")
    page.get_by_role("button", name="Record it").click()
    expect(page.get_by_text("Seen so far")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]


def test_duty_and_current_follow_each_other_and_the_edge_can_be_dragged(page: Page) -> None:
    page.goto("/bench")
    page.fill("#duty-amps", "32")
    expect(page.locator("#duty-duty")).to_have_value("53.33")
    page.fill("#duty-duty", "90")
    expect(page.locator("#duty-amps")).to_have_value("65")
    drawing = page.locator("[data-duty-edge]")
    box = drawing.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * (10 + 252) / 300, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * (10 + 140) / 300, box["y"] + 20, steps=4)
    page.mouse.up()
    expect(page.locator("#a-duty")).to_contain_text("50.0")
    assert float(page.locator("#duty-duty").input_value()) == pytest.approx(50, abs=0.6)
    expect(page.locator("#duty-amps")).to_have_value(re.compile(r"^(29\.[6-9]|30)"))


def test_the_divider_shows_a_worn_contact(page: Page) -> None:
    page.goto("/bench")
    page.fill("#divider-series", "900")
    page.locator("#divider-series").press("Enter")
    expect(page.locator("#a-divider")).to_contain_text("no state")
    page.locator("#divider-diode").select_option("shorted")
    expect(page.locator("#a-divider")).to_contain_text("out")


def test_the_checklist_is_walked_on_a_phone(page: Page) -> None:
    page.set_viewport_size(PHONE)
    page.goto("/cases")
    page.evaluate(
        "fetch('/cases', {method: 'POST', body: new URLSearchParams({title: 'Walk'})}).then(r => location.href = r.url)"
    )
    page.wait_for_url("**/cases/*")
    page.get_by_role("link", name="Start a checklist").click()
    page.get_by_role("button", name="Starts, then stops", exact=True).click()
    expect(page.locator(".is-now h2")).to_contain_text("Stored fault codes")
    page.fill("#by_name", "Runa Holt")
    page.locator(".is-now").get_by_role("button", name="Enter it").click()
    expect(page.locator(".is-now h2")).to_contain_text("Does this vehicle charge elsewhere?")
    while "Coding" not in (asked := page.locator(".is-now h2").inner_text()):
        page.locator(".is-now").get_by_role("button", name="Leave out").click()
        expect(page.locator(".is-now h2")).not_to_have_text(asked)
    expect(page.locator(".is-now h2")).to_contain_text("Coding of the loose lead")
    page.fill("#value", "218")
    page.locator(".is-now").get_by_role("button", name="Enter it").click()
    expect(page.locator("#coded")).to_contain_text("32 A cable")
    assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]


def test_two_captures_are_laid_over_each_other(page: Page, tmp_path: Path) -> None:
    open_session(page, plug_in(tmp_path, "good.csv", 17))
    open_session(page, plug_in(tmp_path, "other.csv", 18))
    page.get_by_role("link", name="Compare").click()
    page.locator("#b").select_option(index=1)
    page.get_by_role("button", name="Lay them over each other").click()
    expect(page.locator("#over > div[data-ready]").first).to_be_visible()
    page.locator("#over").focus()
    page.keyboard.press("+")
    expect(page.locator("tbody tr").first).to_be_visible()


@pytest.mark.parametrize("width", [390, 1280])
def test_nothing_of_a_session_of_many_scrolls_sideways(page: Page, tmp_path: Path, width: int) -> None:
    open_session(page, plug_in(tmp_path, f"wide{width}.csv", width), logger(tmp_path, f"log{width}.csv"))
    page.set_viewport_size({"width": width, "height": 800})
    page.wait_for_timeout(300)
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    assert np.isfinite(drawn_range(page)).all()


def test_a_long_page_is_found_in_by_words(page: Page) -> None:
    page.goto("/limits")
    everything = page.locator("tbody > tr:visible").count()
    page.fill("#filter", "duty table")
    expect(page.locator("[data-filter-says]")).to_contain_text(" of ")
    expect(page.locator("#rule-duty_forbidden")).to_be_visible()
    expect(page.locator("#rule-slac_weak")).to_be_hidden()
    page.fill("#filter", "")
    expect(page.locator("#rule-slac_weak")).to_be_visible()
    assert page.locator("tbody > tr:visible").count() == everything
    page.goto("/tests")
    page.fill("#filter", "no such word")
    expect(page.locator("tbody > tr:visible")).to_have_count(0)
