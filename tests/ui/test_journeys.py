"""Whole ways of a technician's days in a browser: a case of two faults from the telephone to its proof, and what is doubted
later."""

from __future__ import annotations

import base64
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from gladwire.scenarios import ac
from tests.ui.conftest import Server

PNG = base64.b64decode(
    "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
)
NAME = "Runa Holt"
MODE = "Post with socket and own lead (Mode 3)"


def drop(page: Page, case: str, name: str, content: Callable[[], bytes], says: str) -> str:
    """Drop a capture on a case, say in which mode it was; the address of its session."""
    page.goto(case)
    files = [{"name": name, "mimeType": "text/csv", "buffer": content()}]
    page.set_input_files("form[data-drop] input[type=file]", files)  # type: ignore[arg-type]
    page.wait_for_url("**/sessions/*", timeout=60_000)
    expect(page.locator("body")).to_contain_text(says, timeout=60_000)
    address = page.url
    page.locator("select[name=mode]").first.evaluate("e => e.closest('details')?.setAttribute('open', '')")
    page.locator("select[name=mode]").first.select_option(label=MODE)
    page.locator("form[action$='/mode'] button").click()
    return address


def repair(page: Page, case: str, text: str, part: str) -> None:
    page.goto(case)
    page.select_option("#kind", "repair")
    page.fill("#text", text)
    page.fill("#part", part)
    page.fill("#note-by", NAME)
    page.locator("form[action$='/notes'] button").click()
    expect(page.locator("ul.noted")).to_contain_text(f"Repair ({part})")


@pytest.mark.parametrize("size", [(1280, 800), (390, 844)], ids=["wide", "narrow"])
def test_a_case_of_two_faults_from_the_telephone_to_its_proof(
    page: Page, server: Server, size: tuple[int, int]
) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.goto("/")
    page.click("text=Open a case")
    page.fill(
        "#complaint", "It charges at home. Here the lock clatters and the post does not start. The plug smells burnt."
    )
    page.check("#mode-mode3_socket")
    page.select_option("#codes", "lock")
    page.fill("#codes_said", "P1C01")
    expect(page.locator("#warned")).to_contain_text("What was told speaks of burning")
    expect(page.locator("#beside")).to_contain_text("Posts only, not on the slow lead")
    expect(page.locator("#beside")).to_contain_text("scope with a differential probe")
    page.fill("#by_name", NAME)
    page.locator("main form button.btn-ink").click()
    page.wait_for_url("**/checklist")
    case = page.url.removesuffix("/checklist")

    # An odd reading is asked about as it is typed, and counts once somebody is sure.
    step = page.locator("#cp_core")
    if step.locator("details summary", has_text="Enter it now").count():
        step.locator("summary", has_text="Enter it now").click()
    step.locator("input[name=value]").fill("240")
    expect(step).to_contain_text("what mains has in volts")
    step.locator("input[name=value]").fill("0.3")
    expect(step).not_to_contain_text("what mains has in volts")
    step.locator("input[name=by_name]").first.fill(NAME)
    step.locator("button", has_text="Enter it").click()
    expect(page.locator("#cp_core")).to_contain_text("Entered 0.3 Ω")

    drop(page, case, "first.csv", ac.clatters, "its position never changes")
    repair(page, case, "Splinter taken out", "socket")
    drop(page, case, "second.csv", ac.locks_then_corroded, "in series with CP or PE")
    page.goto(case)
    expect(page.locator("body")).to_contain_text("failing")
    repair(page, case, "Contact renewed", "CP contact")
    drop(page, case, "third.csv", ac.both_mended, "ended in order")

    page.goto(case)
    expect(page.locator("body")).to_contain_text("Every reported mode is proven. Read the stored codes again")
    pairs = page.locator("section[aria-label^='Before and after']")
    expect(pairs).to_contain_text("is proven now")
    expect(pairs.locator("figure.plot").first).to_be_visible()
    page.locator("details", has_text="Add photographs").locator("summary").first.click()
    page.set_input_files("#pictures-", [{"name": "new.png", "mimeType": "image/png", "buffer": PNG}])  # type: ignore[list-item]
    page.fill("#photo-by-", NAME)
    page.locator("form[action$='/photographs'] button").click()
    expect(page.locator(".photos img")).to_have_count(1)

    page.fill("#close-by", NAME)
    page.locator("button[value=closed]").click()
    expect(page.locator("body")).to_contain_text("Nobody said whether the stored codes are gone")
    page.goto(case)
    page.fill("#close-by", NAME)
    page.select_option("#codes_after", "yes")
    page.select_option("#cause", "lock_blocked")
    page.locator("button[value=closed]").click()
    expect(page.locator("body")).to_contain_text("mended")
    expect(page.locator("button[value=open]")).to_be_visible()

    # A week later somebody doubts it: opened again, what was said stays, and so does what is struck out.
    page.locator("button[value=open]").click()
    page.goto(f"{case}/checklist")
    page.locator("#codes_after button", has_text="strike out").click()
    expect(page.locator("#codes_after")).to_contain_text("struck out by")
    page.goto(case)
    expect(page.locator("body")).to_contain_text("Read the stored codes again")
    assert page.evaluate("document.documentElement.scrollWidth") <= size[0]


def test_the_sign_of_a_reading_has_a_button_for_number_pads_have_no_minus(page: Page, server: Server) -> None:
    made = page.request.post(
        "/cases", form={"title": "By thumbs", "plan": "nowhere"}, headers={"Origin": server.address}
    )
    page.goto(made.url)
    post = page.locator("#post_alone")
    post.locator("summary", has_text="Enter it now").click()
    post.locator("input[name=value]").fill("12")
    post.get_by_label("Change the sign").click()
    expect(post.locator("input[name=value]")).to_have_value("-12")
