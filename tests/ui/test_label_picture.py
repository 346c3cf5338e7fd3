"""A picture of a label, taken with the phone: read into figures, which are proposed."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server

POST = """Type: HP150-C2<br>Input: 400 V 3~ 50 Hz 240 A<br>Output: 150 - 920 V DC, max. 200 A<br>Rated power 150 kW"""
LEAD = """TYPE 2 MODE 3 LEAD 32 A 480 V~<br>7.5 m"""


def photographed(page: Page, words: str, style: str) -> bytes:
    page.set_content(
        f"<body style='margin:0;background:#777'><div style='margin:60px;width:700px;padding:24px;font:27px {style}'>{words}"
    )
    return page.screenshot(type="jpeg", quality=80)


@pytest.mark.parametrize(
    ("kind", "words", "style", "fields"),
    [
        ("stall", POST, "sans-serif;background:linear-gradient(120deg,#bbb,#eee,#aaa);transform:rotate(2deg)",
         {"announced_kw": "150", "post_v": "920", "post_min_v": "150"}),
        ("lead", LEAD, "monospace;background:#1c1c1c;color:#ddd;transform:rotate(-2deg)",
         {"cable_a": "32", "reach_m": "7.5"}),
    ],
)  # fmt: skip
def test_a_label_is_read_from_its_picture(
    page: Page, server: Server, kind: str, words: str, style: str, fields: dict[str, str]
) -> None:
    picture = photographed(page, words, style)
    page.goto(f"/equipment/new?kind={kind}")
    page.locator("summary", has_text="Read its label").click()
    page.set_input_files("#label-picture", {"name": "label.jpg", "mimeType": "image/jpeg", "buffer": picture})
    page.locator("[data-fill]").click(timeout=30_000)
    for field, value in fields.items():
        expect(page.locator(f"#q-{field}")).to_have_value(value)
    page.set_input_files("#label-picture", {"name": "x.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"})
    expect(page.locator("#label-read")).to_contain_text("could not be read")
