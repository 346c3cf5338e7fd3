"""The stamp pad in a browser whose connection goes: every tap is stored once, in order, also across a reload and a restart of
the server."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.ui.conftest import Server


def test_taps_without_a_connection_are_kept_across_a_reload_and_sent_once(page: Page, server: Server) -> None:
    made = page.request.post("/cases", form={"title": "On the quay"}, headers={"Origin": server.address})
    case = made.url.removeprefix(server.address)
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{case}/pad")
    page.locator("#pad[data-ready=yes]").wait_for()
    page.reload()  # from here on the worker has the page
    page.fill("#pad-by", "Ines")
    page.click("text=Lamp goes steady")
    expect(page.locator("#pad-list li")).to_contain_text(["stored"])
    page.context.set_offline(True)
    page.click("text=One click of the lock")
    page.fill("#pad-text", "red, three blinks")
    page.click("text=Lamp shows an error")
    expect(page.locator("#pad-says")).to_contain_text("2 stamps are kept on this device")
    page.reload()
    expect(page.locator("#pad-list li").first).to_contain_text("“red, three blinks” kept on this device")
    server.end()
    page.context.set_offline(False)
    page.click("text=Clunk of a contactor")
    expect(page.locator("#pad-says")).to_contain_text("3 stamps are kept on this device")
    server.start()
    expect(page.locator("#pad-says")).to_have_text("", timeout=60_000)
    page.reload()
    rows = page.locator("#pad-list li")
    expect(rows).to_have_count(4)
    told = [row.inner_text() for row in rows.all()]
    assert ["Clunk" in told[0], "error" in told[1], "One click" in told[2], "steady" in told[3]] == [True] * 4, told
    assert all("stored" in row for row in told)


def test_the_pad_is_worked_by_keys_and_asks_for_words_first(page: Page, server: Server) -> None:
    made = page.request.post("/cases", form={"title": "By keys"}, headers={"Origin": server.address})
    page.goto(f"{made.url.removeprefix(server.address)}/pad")
    page.locator("button[data-kind=note]").press("Enter")
    expect(page.locator("#pad-says")).to_have_text("Write first what it says, then tap.")
    expect(page.locator("#pad-text")).to_be_focused()
    page.keyboard.type("smells burnt")
    page.locator("button[data-kind=note]").press("Enter")
    expect(page.locator("#pad-list li").first).to_contain_text("Note, “smells burnt” stored")
