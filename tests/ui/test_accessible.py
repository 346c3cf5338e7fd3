"""Every main view looked over by axe-core (WCAG 2.2 A and AA among its rules): nothing serious or critical, wide and light,
narrow and dark, and nothing cut off."""

from __future__ import annotations

from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page

from gladwire.scenarios import ac, dc
from tests.ui.conftest import Server

AXE = Path(__file__).parents[1] / "fixtures" / "axe"


def test_axe_is_the_one_that_was_fetched() -> None:
    content = (AXE / "axe.min.js").read_bytes()
    assert sha256(content).hexdigest() in (AXE / "ORIGIN").read_text()


@pytest.fixture(scope="module")
def views(browser: Browser, server: Server, tmp_path_factory: pytest.TempPathFactory) -> list[str]:
    """Addresses of every main view, with something in each."""
    folder = tmp_path_factory.mktemp("captures")
    context = browser.new_context(base_url=server.address)
    page = context.new_page()

    def dropped(**files: bytes) -> str:
        paths = []
        for name, content in files.items():
            paths.append(folder / name.replace("__", "."))
            paths[-1].write_bytes(content)
        page.goto("/")
        page.set_input_files("input[type=file]", paths)
        page.wait_for_url("**/sessions/*")
        page.locator(".verdict").wait_for(timeout=60_000)
        return page.url.removeprefix(server.address)

    def post(path: str, **form: str) -> str:
        answer = page.request.post(path, form={"by_name": "Ines", **form}, headers={"Origin": server.address})
        assert answer.ok, answer.text()
        return answer.url.removeprefix(server.address).split("#")[0]

    van = dropped(van__csv=ac.bakery_logger(), van_cp__csv=ac.bakery_pilot())
    bus = dropped(bus__pcapng=dc.frames("wet_inlet"))
    case = post("/cases", title="Van stops", vehicle="van 7", post="Quay, Stall 1", session=van.rsplit("/", 1)[1])
    post(f"{case}/checklist", plan="nowhere")
    for software in ("1.4", "1.5"):
        post(f"{case}/attempts", vehicle="van 7", post="post 3", came="failed", software=software, stage="lock")
    stall = post("/equipment", kind="stall", name="Stall 1", site="Quay", label="1", model="Tern 22")
    post(f"{stall}/learnt", kind="lamp", shows="blue, blinking", stage="authorise", text="for a second")
    instrument = post("/equipment", kind="instrument", name="Tester", calibrated_until="2020-01-01")
    context.close()
    return [
        "/", "/cases", case, f"{case}/swaps", f"{case}/checklist", van, bus, "/sessions", "/find?q=van", "/equipment",
        instrument, "/sites/Quay", "/expect", "/bench", "/causes", "/causes/supply_missing", "/tests", "/limits",
        "/readings", "/curves", "/cases/new?post=Quay,+Stall+1", "/visits", "/visits/Quay",
        f"{case}/before-after", f"{case}/pad", stall,
        f"/connectors?case={case.rsplit('/', 1)[1]}", "/buses", "/words", "/styleguide",
    ]  # fmt: skip


@pytest.mark.parametrize(("width", "theme"), [(1280, "light"), (390, "dark")])
def test_nothing_serious_on_any_main_view(
    browser: Browser, server: Server, views: list[str], width: int, theme: str
) -> None:
    context = browser.new_context(
        base_url=server.address, viewport={"width": width, "height": 844}, bypass_csp=True
    )  # fmt: skip
    context.add_init_script(f"localStorage.setItem('theme', '{theme}')")
    page = context.new_page()
    wrong = [f"{path}: {told}" for path in views for told in found(page, path)]
    context.close()
    assert wrong == []


def found(page: Page, path: str) -> list[str]:
    answer = page.goto(path)
    assert answer is not None
    assert answer.status == 200, path
    page.evaluate((AXE / "axe.min.js").read_text())
    told: dict[str, Any] = page.evaluate("axe.run(document, {resultTypes: ['violations']})")
    grave = (v for v in told["violations"] if v["impact"] in ("serious", "critical"))
    cut = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
    return [f"{v['id']}: {v['nodes'][0]['html'][:200]}" for v in grave] + ([f"{cut} px cut off"] if cut > 0 else [])
