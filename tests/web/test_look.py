"""The vendored files are what the manifest says, the colours keep their contrast, the marks exist."""

from __future__ import annotations

import hashlib
import json
import re
from pathlib import Path

import pytest
from starlette.testclient import TestClient

from gladwire.core.findings import SEVERITIES
from gladwire.web.charts.stage_line import STATE_WORDS
from gladwire.web.palette import THEMES, contrast, uses
from gladwire.web.static_files import STATIC, address, modules

VENDOR = STATIC / "vendor"
TEMPLATES = STATIC.parent / "templates"


def test_vendored_files_match_the_manifest() -> None:
    listed = {}
    for package in json.loads((VENDOR / "manifest.json").read_text()):
        assert package["version"]
        assert package["licence"]
        listed.update(package["files"])
    present = {str(p.relative_to(VENDOR)) for p in VENDOR.rglob("*") if p.is_file()} - {"manifest.json"}
    assert set(listed) == present
    for name, digest in listed.items():
        assert hashlib.sha256((VENDOR / name).read_bytes()).hexdigest() == digest, name


def test_contrast_formula_against_published_values() -> None:
    """WCAG 2.1: black on white is 21; #777777 on white is 4.48, the well-known near miss."""
    assert contrast("#000000", "#ffffff") == pytest.approx(21)
    assert contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize("theme", THEMES)
def test_every_colour_keeps_its_contrast(theme: str) -> None:
    for use in uses(theme):
        assert use.contrast >= use.least, f"{theme}: {use.token} on {use.ground} has {use.contrast:.2f}"


def test_every_state_and_severity_has_its_mark() -> None:
    marks = set(re.findall(r'symbol id="([a-z_]+)"', (STATIC / "marks.svg").read_text()))
    assert set(STATE_WORDS) | set(SEVERITIES) <= marks


@pytest.mark.parametrize("path", ["/", "/cases", "/bench", "/limits", "/styleguide"])
def test_pages_ask_for_nothing_from_elsewhere(client: TestClient, path: str) -> None:
    html = client.get(path).text
    addresses = re.findall(r'(?:src|href|action|hx-get|hx-post)="([^"]*)"', html)
    assert addresses
    assert all(a.startswith(("/", "#")) for a in addresses)
    for static in (a for a in addresses if a.startswith("/static/")):
        assert client.get(static.split("#")[0]).status_code == 200, static


@pytest.mark.parametrize("path", sorted(TEMPLATES.rglob("*.html")), ids=lambda p: str(p.relative_to(TEMPLATES)))
def test_templates_are_wrapped(path: Path) -> None:
    assert max(map(len, path.read_text().splitlines())) <= 160


def test_static_addresses_carry_a_version_and_what_is_named_in_them_too(client: TestClient) -> None:
    script = address("lanes/main.js")
    answer = client.get(script)
    assert answer.content == (STATIC / "lanes" / "main.js").read_bytes()
    assert "immutable" in answer.headers["cache-control"]
    for named in re.findall(r'from "\./(\w+\.js)"', answer.text):
        assert f"{script.rsplit('/', 1)[0]}/{named}" in modules("lanes")
    plain = client.get("/static/lanes/main.js")
    assert (plain.status_code, plain.headers["cache-control"]) == (200, "no-cache")
    assert client.get("/static/v0123456789/../templates/base.html").status_code == 404
    with pytest.raises(FileNotFoundError):
        address("nothing.js")


@pytest.mark.parametrize("path", sorted(TEMPLATES.rglob("*.html")), ids=lambda p: str(p.relative_to(TEMPLATES)))
def test_every_drawing_says_what_it_shows_or_is_beside_what_does(path: Path) -> None:
    drawn = re.findall(r"<svg\b((?:[^>]|(?<=-)>)*?)>", path.read_text())
    assert all("aria-label=" in words or "aria-hidden=" in words for words in drawn)
