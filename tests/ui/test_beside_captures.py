"""Key logs and buses in a real browser: dropped, opened, settled by keyboard, and on a phone."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from gladwire.scenarios import bus, tls


def drop(page: Page, *files: Path) -> None:
    page.goto("/")
    page.set_input_files("input[type=file]", [str(f) for f in files])
    page.wait_for_url("**/sessions/*")


def written(folder: Path, name: str, content: bytes) -> Path:
    path = folder / name
    path.write_bytes(content)
    return path


def test_a_sealed_capture_and_its_key_log_dropped_together_open(page: Page, tmp_path: Path) -> None:
    drop(page, written(tmp_path, "bus9.pcapng", tls.frames("contract")),
         written(tmp_path, "bus9.keys", tls.keys("contract")))  # fmt: skip
    expect(page.locator("#sealed")).to_contain_text("Opened with a key log.")
    expect(page.locator(".dialogue")).to_contain_text("May I charge, by contract?")
    expect(page.locator(".chain")).to_have_count(3)
    page.get_by_role("button", name="Remove, and close it again").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#sealed")).to_contain_text("Sealed.")
    expect(page.locator("#key-logs")).to_have_count(0)


def test_roles_of_a_bus_are_settled_by_keyboard(page: Page, tmp_path: Path) -> None:
    drop(page, written(tmp_path, "van.log", bus.retrofit("hot_pin")),
         written(tmp_path, bus.DBC_NAME, bus.dbc()))  # fmt: skip
    expect(page.locator(".verdict")).to_contain_text("PinTemperature2 reaches")
    expect(page.locator("svg.sequence")).to_contain_text("green, charges")
    page.locator("summary", has_text="signals and what they are for").focus()
    page.keyboard.press("Enter")
    page.get_by_label("Role of INLET_Pins.PinTemperature2").select_option("")
    page.get_by_label("Role of INLET_Pins.PinTemperature1").select_option("")
    page.locator("[id^=sig-by-]").fill("Lea Moen")
    page.keyboard.press("Enter")
    expect(page.locator("[id^=bus-]").first).to_contain_text("roles settled by Lea Moen")
    expect(page.locator(".verdict")).not_to_contain_text("PinTemperature2 reaches")


@pytest.mark.parametrize("width", [360, 1280])
def test_a_bus_and_its_descriptions_never_scroll_the_page_sideways(page: Page, tmp_path: Path, width: int) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    plan = bus.ConnectorPlan(hot_at_s=20.0 + width / 360, lasts_s=30.0)
    content = bus.log(plan.play(), bus.shipped()[0].text, "log")
    drop(page, written(tmp_path, f"adapter{width}.log", content))
    expect(page.locator("svg.sequence")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    page.goto("/buses")
    expect(page.get_by_role("heading", name="Buses")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= width
