"""A day on the phone: the network is cut in the middle and the server is restarted once; whatever was typed is stored
once, in order."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from gladwire.scenarios import ac
from tests.ui.conftest import Server


def typed(page: Page, kind: str, text: str) -> None:
    page.select_option("#kind", kind)
    page.fill("#text", text)
    page.fill("#note-by", "Runa Holt")
    page.locator("form[action$='/notes'] button").click()


def test_what_is_typed_without_a_connection_is_sent_once_and_in_order(page: Page, server: Server) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    made = page.request.post("/cases", form={"title": "Under the pier"}, headers={"Origin": server.address})
    case = made.url.removeprefix(server.address)
    page.request.post(f"{case}/checklist", form={"plan": "nowhere"}, headers={"Origin": server.address})
    page.goto(case)
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    for address in (f"{case}/checklist", f"{case}/swaps", case):
        page.goto(address)  # from here on the worker has it
    typed(page, "note", "with a connection")
    expect(page.locator("ul.noted")).to_contain_text("with a connection")

    page.context.set_offline(True)
    typed(page, "note", "the first without")
    expect(page.locator("#kept")).to_contain_text("1 entry is kept on this device")
    page.goto(f"{case}/checklist")
    expect(page.locator("#kept")).to_contain_text("this page is as it was when it was loaded")
    page.locator("#codes select[name=answer]").select_option("other")
    page.locator("#codes form[action$=entries] input[name=text]").fill("P0AA1")
    page.locator("#codes form[action$=entries] input[name=by_name]").fill("Runa Holt")
    page.locator("#codes button", has_text="Enter it").click()
    expect(page.locator("#kept")).to_contain_text("2 entries are kept on this device")
    server.end()
    page.context.set_offline(False)
    page.reload()
    expect(page.locator("#kept")).to_contain_text("2 entries are kept on this device")
    server.start()
    expect(page.locator("#codes")).to_contain_text("Codes of something else", timeout=60_000)
    expect(page.locator("#kept")).to_be_hidden()

    page.goto(case)
    told = page.locator("ul.noted li").all_inner_texts()
    order = [
        next(n for n, row in enumerate(told) if words in row) for words in ("with a", "the first without", "P0AA1")
    ]
    assert order == sorted(order)
    assert len(told) == 3


def test_two_people_on_one_case_see_what_the_other_noted(page: Page, server: Server) -> None:
    made = page.request.post("/cases", form={"title": "Two on one case"}, headers={"Origin": server.address})
    case = made.url.removeprefix(server.address)
    browser = page.context.browser
    assert browser is not None
    with browser.new_context(base_url=server.address) as other_device:
        other = other_device.new_page()
        for one in (page, other):
            one.goto(case)
        typed(page, "note", "Ida was at the post")
        expect(page.locator("ul.noted")).to_contain_text("Ida was at the post")
        typed(other, "repair", "Jon changed the lead")
        expect(other.locator("ul.noted")).to_contain_text("Ida was at the post")
        page.reload()
        expect(page.locator("ul.noted")).to_contain_text("Jon changed the lead")


def test_a_capture_and_a_photograph_wait_on_the_device_and_stand_at_their_step(page: Page, server: Server) -> None:
    made = page.request.post(
        "/cases", form={"title": "Behind the shed", "plan": "nowhere"}, headers={"Origin": server.address}
    )
    steps = made.url.removeprefix(server.address)
    page.goto(steps)
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    case = steps.removesuffix("/checklist")
    for address in (case, steps):
        page.goto(address)
    page.context.set_offline(True)
    page.locator(".is-now summary", has_text="Add photographs").click()
    picture = page.screenshot(type="jpeg")
    page.locator(".is-now input[name=pictures]").set_input_files(
        {"name": "seal.jpg", "mimeType": "image/jpeg", "buffer": picture}
    )
    page.locator(".is-now form[action$=photographs] input[name=by_name]").fill("Runa Holt")
    page.locator(".is-now form[action$=photographs] button").click()
    expect(page.locator("#kept")).to_contain_text("1 entry is kept on this device")
    page.goto(case)
    page.locator("form[data-drop] input[type=file]").set_input_files(
        {"name": "shed.csv", "mimeType": "text/csv", "buffer": ac.van_holds()}
    )
    expect(page.locator("#kept")).to_contain_text("2 entries are kept on this device")
    page.context.set_offline(False)
    expect(page.locator("#sessions + ul")).to_contain_text("shed", timeout=60_000)
    expect(page.locator("#kept")).to_be_hidden()
    page.goto(steps)
    expect(page.locator(".photos img")).to_have_count(1)
    page.goto(case)
    expect(page.locator("#sessions + ul > li")).to_have_count(1)
