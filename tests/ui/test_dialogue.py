"""The dialogue of vehicle and post in a real browser: frames lane, opening, searching, keyboard and phone."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from gladwire.core.simulate.plc.peers import Post
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng


def open_frames(page: Page, folder: Path, seed: int) -> None:
    path = folder / f"fast-{seed}.pcapng"
    plan = Plan(post=Post(fails={"PowerDelivery": "FAILED_PowerDeliveryNotApplied"}), seed=seed)
    path.write_bytes(pcapng.write(play(plan).frames, 1_790_000_000.0))
    page.goto("/")
    page.set_input_files("input[type=file]", str(path))
    page.wait_for_url("**/sessions/*")
    expect(page.locator("#lane")).to_have_attribute("data-ready", re.compile(r"\d"))


def test_from_drop_to_the_breaking_point_and_into_a_message(page: Page, tmp_path: Path) -> None:
    open_frames(page, tmp_path, 11)
    expect(page.locator(".verdict")).to_contain_text("FAILED_PowerDeliveryNotApplied")
    row = page.locator(".dialogue .breaks")
    expect(row).to_have_count(1)
    expect(row).to_contain_text("Switch on.")
    answer = row.get_by_role("button", name="answer")
    answer.focus()
    page.keyboard.press("Enter")
    message = row.locator(".message")
    expect(message).to_contain_text("PowerDeliveryRes")
    expect(message).to_contain_text("the post could not switch its output")
    message.get_by_role("button", name="Message before").click()
    expect(row.locator(".message")).to_contain_text("PowerDeliveryReq")


def test_messages_are_searched_and_lead_to_their_moment(page: Page, tmp_path: Path) -> None:
    open_frames(page, tmp_path, 12)
    page.locator(".talk summary", has_text="Search every message").click()
    page.locator("[id^=find-]").fill("PresentVoltage>100")
    page.keyboard.press("Enter")
    found = page.locator("[id^=found-]")
    expect(found).to_contain_text("PreChargeRes")
    before = page.locator("#lane").get_attribute("data-ready")
    found.locator("tr .jump").first.click()
    expect(page.locator("#lane")).not_to_have_attribute("data-ready", before or "")
    found.get_by_role("button", name="PreChargeRes").first.click()
    expect(page.locator("[id^=opened-] .message")).to_contain_text("EVSEPresentVoltage")


def test_the_dialogue_fits_a_phone_and_speaks_in_turns(page: Page, tmp_path: Path) -> None:
    page.set_viewport_size({"width": 390, "height": 800})
    open_frames(page, tmp_path, 13)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    ev, post = page.locator(".dialogue .line").first.locator("q").all()
    assert post.bounding_box()["y"] > ev.bounding_box()["y"]
    assert post.bounding_box()["x"] > ev.bounding_box()["x"]
