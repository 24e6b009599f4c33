"""Contrast, names and roles as WCAG AA asks, light and dark; all of it by keyboard."""

from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.core.shapes import pipe
from tests.screens.conftest import ROOT, source
from tests.screens.test_whole_path import act, blank, drop, open_stage

pytestmark = pytest.mark.screens

AXE = ROOT / "web/node_modules/axe-core/axe.min.js"
RULES = """() => axe.run(document, {
  runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'],
  resultTypes: ['violations'],
})"""
STAGES = ("Geometry", "Domain", "Patches", "Sizing", "Surface", "Layers", "Volume", "Case")


def violations(page: Page) -> list[str]:
    """What the tool finds, a line each: rule and the elements concerned."""
    if not page.evaluate("() => Boolean(window.axe)"):
        # the page lets no script in that is not its own; the tool comes from without
        page.evaluate(AXE.read_text())
    told = page.evaluate(RULES)["violations"]
    return [
        f"{v['id']}: {n['target'][0]} {n['failureSummary']}" for v in told for n in v["nodes"][:3]
    ]


def both_themes(page: Page) -> list[str]:
    found = []
    for other in ("dark", "light"):
        page.get_by_role("button", name=f"{other} theme").click()
        expect(page.locator("html")).to_have_attribute("data-theme", other)
        found += [f"{other}: {line}" for line in violations(page)]
    return found


def test_every_screen_passes_the_tool_in_both_themes(page: Page, tmp_path: Path):
    found = [f"shelf, {line}" for line in both_themes(page)]
    drop(page, "seen.step", source(pipe(), tmp_path).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    open_stage(page, "Patches")
    act(page, "Settle the patches")
    open_stage(page, "Sizing")
    blank(page, "cells to aim at", "20000")
    open_stage(page, "Case")
    act(page, "Set up the case")
    for stage in STAGES:
        open_stage(page, stage)
        found += [f"{stage}, {line}" for line in both_themes(page)]
    open_stage(page, "Volume")
    page.keyboard.press("s")
    page.get_by_role("group", name="Slice").get_by_role("button", name="plane", exact=True).click()
    expect(page.get_by_label("Planes")).to_be_visible()
    page.get_by_label("worst cells").get_by_role("button").first.click()
    expect(page.get_by_label("The cell shown")).to_be_visible()
    found += [f"slice and worst cell, {line}" for line in both_themes(page)]
    page.keyboard.press("g")
    expect(page.get_by_label("go to", exact=True)).to_be_visible()
    found += [f"go to, {line}" for line in violations(page)]
    page.keyboard.press("Escape")
    page.get_by_role("button", name="New variant").click()
    page.get_by_label("Name of the new variant").fill("other")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="compare").click()
    expect(page.get_by_label("Settings and figures")).to_be_visible()
    found += [f"compare, {line}" for line in both_themes(page)]
    assert found == [], "\n".join(found)


def test_one_goes_anywhere_and_keeps_views_by_keyboard_alone(page: Page, tmp_path: Path):
    drop(page, "keyed.step", source(pipe(), tmp_path).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    open_stage(page, "Patches")
    act(page, "Settle the patches")

    def go_to(words: str) -> None:
        page.keyboard.press("g")
        field = page.get_by_label("go to", exact=True)
        expect(field).to_be_focused()
        page.keyboard.type(words)
        expect(page.locator("[role=option]").first).to_be_visible()
        page.keyboard.press("Enter")
        expect(field).to_be_hidden()

    go_to("wall patch")
    expect(page.get_by_text("1 face,")).to_be_visible()
    go_to("largest edge setting")
    expect(page.get_by_role("heading", level=1, name="Sizing")).to_be_visible()
    expect(page.get_by_label("largest edge", exact=True)).to_be_focused()
    page.keyboard.press("Escape")
    page.get_by_label("largest edge", exact=True).blur()

    # a view is named, left, and found again by its name
    page.get_by_role("button", name="views").focus()
    page.keyboard.press("Enter")
    name = page.get_by_label("name of the view at hand")
    name.focus()
    page.keyboard.type("from above")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="from above", exact=True)).to_be_visible()
    with page.expect_download() as saved:
        page.get_by_role("button", name="SVG lines").click()
    text = Path(saved.value.path()).read_text()
    assert text.startswith("<svg") and text.count("M") > 10
    with page.expect_download() as saved:
        page.get_by_role("button", name="PNG", exact=True).click()

    picture = Image.open(saved.value.path())
    assert picture.size == (1920, 1080)
    colours = picture.convert("RGB").resize((96, 54)).getcolors(96 * 54)
    assert colours and len(colours) > 20
    page.keyboard.press("Escape")
    page.reload()
    expect(page.get_by_role("heading", level=1, name="Sizing")).to_be_visible()
    go_to("from above")
    go_to("along x")
