"""Geometry, Domain and Patches driven as an analyst would: distrust, repair, measure, enclose."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.core.shapes import box
from tests.screens.conftest import source
from tests.screens.test_whole_path import act, blank, done, drop, open_stage

pytestmark = pytest.mark.screens

MODELS = Path(__file__).parents[2] / "demo/models"


def brief(page: Page):
    return page.get_by_role("complementary", name="Brief")


def canvas(page: Page):
    """Middle of the model view, in pixels of the page."""
    area = page.get_by_role("region", name="Model").bounding_box()
    assert area
    return area["x"] + area["width"] / 2, area["y"] + area["height"] / 2


def test_a_bad_bracket_is_distrusted_and_repaired(page: Page):
    drop(page, "bracket_bad.step", (MODELS / "bracket_bad.step").read_bytes())
    expect(page.get_by_role("heading", name="Findings (6)")).to_be_visible(timeout=400_000)
    expect(brief(page)).to_contain_text("✕ not yet")
    expect(brief(page)).to_contain_text("Gaps between edges that nearly meet. (4)")
    # showing goes from place to place, and selects the faces concerned
    show = brief(page).get_by_role("listitem").filter(has_text="Gaps between")
    show.get_by_role("button", name="Show").click()
    expect(show.get_by_role("button", name="Next, 2 of 4")).to_be_visible()
    page.get_by_role("button", name="None", exact=True).click()

    brief(page).get_by_role("button", name="Repair all that is safe").click()
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    act(page, "Read the part")
    expect(brief(page)).to_contain_text(re.compile("repairs done: [23]"))
    expect(page.get_by_role("heading", name="Findings (2)")).to_be_visible()
    brief(page).get_by_role("button", name="Cap the holes flat").click()
    expect(brief(page)).to_contain_text("out of date")
    act(page, "Read the part")
    expect(brief(page)).to_contain_text("✓ yes")
    expect(brief(page)).to_contain_text("holes capped: 1")
    expect(page.get_by_role("heading", name=re.compile("Findings"))).to_have_count(0)

    # before and after
    page.get_by_role("button", name="as read").click()
    expect(page.get_by_role("button", name="as read")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="as read").click()
    # a repair switched off is out of date, and back on finds the old result again
    page.get_by_label("repair 2 on").click()
    expect(brief(page)).to_contain_text("out of date")
    page.get_by_role("button", name="Undo").click()
    done(page)
    # a wrong value is refused at the blank, and the earlier one stays
    blank(page, "tolerance", "-3")
    expect(brief(page).get_by_role("alert")).to_contain_text("greater than 0")
    expect(page.get_by_label("tolerance", exact=True)).not_to_have_value("-3")


def test_the_ruler_measures_and_corrects_the_unit(page: Page, tmp_path: Path):
    drop(page, "block.step", source(box(0, 0, 0, 40, 30, 20), tmp_path).data)
    expect(brief(page)).to_contain_text("40 × 30 × 20 mm", timeout=400_000)
    page.get_by_role("button", name="ruler").click()
    x, y = canvas(page)
    model = page.get_by_role("region", name="Model")
    said = model.get_by_role("status")
    for _ in range(30):
        # as long as nothing is drawn yet nothing is hit
        page.mouse.click(x - 40, y + 30)
        page.wait_for_timeout(1000)
        if said.count():
            break
    expect(said).to_contain_text("wall")
    page.mouse.click(x + 60, y + 10)
    expect(model).to_contain_text("Distance")
    expect(model.get_by_role("status")).to_contain_text(re.compile(r"[\d.]+ mm"))
    length = float(said.inner_text().split()[0].replace(",", ""))
    page.get_by_label("what this length should be").fill(str(2 * length))
    page.get_by_role("button", name="Scale", exact=True).click()
    expect(brief(page)).to_contain_text("Make it")
    act(page, "Read the part")
    # twice as large, to the digits that the ruler showed
    expect(page.get_by_title("Overall size of the part")).to_contain_text(
        re.compile(r"(79\.99|80)[\d.]* × (59\.99|60)")
    )


def _standing(page: Page, handle):
    """Where something in the model is once the view has come to rest."""
    last = None
    for _ in range(40):
        at = handle.bounding_box()
        if at and at == last:
            return at
        last = at
        page.wait_for_timeout(300)
    raise AssertionError("the view does not come to rest")


def test_around_a_body_with_handles_and_named_sides(page: Page, tmp_path: Path):
    drop(page, "block.step", source(box(0, 0, 0, 40, 30, 20), tmp_path).data)
    expect(brief(page)).to_contain_text("40 × 30 × 20 mm", timeout=400_000)
    open_stage(page, "Domain")
    brief(page).get_by_role("button", name="where the fluid is").click()
    page.get_by_role("option", name="the fluid is around the part").click()
    handle = page.get_by_label("distance behind: drag, or type it in the brief")
    expect(handle).to_contain_text("behind 10")
    at = _standing(page, handle)
    page.mouse.move(at["x"] + 10, at["y"] + 8)
    page.mouse.down()
    page.mouse.move(at["x"] - 90, at["y"] - 20, steps=6)
    page.mouse.up()
    field = page.get_by_label("distance behind", exact=True)
    expect(field).not_to_have_value("10")
    assert 0.05 <= float(field.input_value()) < 10
    blank(page, "distance ahead", "1")
    act(page, "Extract the fluid")
    expect(brief(page)).to_contain_text("reaches only 1 body lengths ahead")
    blank(page, "distance ahead", "5")
    blank(page, "distance behind", "10")
    act(page, "Extract the fluid")

    open_stage(page, "Patches")
    act(page, "Settle the patches")
    for name in ("ahead", "behind", "far_field", "wall"):
        expect(page.get_by_label(f"name of patch {name}", exact=True)).to_be_visible()
    # four faces of the far field in two halves, then renamed together
    page.get_by_label("split or merge far_field").select_option(
        label="split in its middle across z"
    )
    expect(page.get_by_label("name of patch far_field_2")).to_be_visible()
    page.get_by_label("name pattern to rename").fill("far_*")
    page.get_by_label("new name pattern").fill("open_*")
    page.get_by_role("button", name="Rename 2").click()
    expect(page.get_by_label("name of patch open_field_2")).to_be_visible()
    act(page, "Settle the patches")
    expect(brief(page)).not_to_contain_text("Findings")


def test_selections_grow_in_the_model(page: Page):
    drop(page, "bracket_bad.step", (MODELS / "bracket_bad.step").read_bytes())
    expect(page.get_by_role("heading", name="Findings (6)")).to_be_visible(timeout=400_000)
    ledger = page.get_by_role("complementary", name="Ledger")
    ledger.get_by_role("button", name="face_4 cylinder", exact=True).click()
    model = page.get_by_role("region", name="Model")
    expect(model).to_contain_text("1 face, 314")
    model.get_by_role("button", name="radius").click()
    expect(model).to_contain_text("2 faces")
    model.get_by_role("button", name="All but").click()
    expect(model).to_contain_text("15 faces")
    model.get_by_role("button", name="Only this").click()
    expect(model).to_contain_text("Show 2 hidden")
    model.get_by_role("button", name="Show 2 hidden").click()
    page.keyboard.press("Escape")
    # a box over everything selects everything
    page.keyboard.press("b")
    area = model.bounding_box()
    assert area
    page.mouse.move(area["x"] + 5, area["y"] + 5)
    page.mouse.down()
    page.mouse.move(area["x"] + area["width"] - 5, area["y"] + area["height"] - 60, steps=4)
    page.mouse.up()
    expect(model).to_contain_text("17 faces")


def test_a_pin_is_placed_by_pointing(page: Page):
    page.get_by_role("link", name=re.compile("ejector")).first.click()
    open_stage(page, "Domain")
    done(page)
    before = [page.get_by_label(f"pin fluid, {a}").input_value() for a in "xyz"]
    page.get_by_role("button", name="place", exact=True).click()
    x, y = canvas(page)
    field = page.get_by_label("pin fluid, x")
    for _ in range(100):
        # on the body of the ejector, which lies across the frame, once it is drawn
        page.mouse.click(x - 150, y - 150)
        page.wait_for_timeout(500)
        if field.input_value() != before[0]:
            break
    expect(field).not_to_have_value(before[0])
    act(page, "Extract the fluid")
    page.get_by_role("button", name="Undo").click()
    for axis, value in zip("xyz", before, strict=True):
        expect(page.get_by_label(f"pin fluid, {axis}")).to_have_value(value)
    done(page)


def test_files_are_written_and_added(page: Page, tmp_path: Path):
    drop(page, "block.step", source(box(0, 0, 0, 40, 30, 20), tmp_path).data)
    expect(brief(page)).to_contain_text("40 × 30 × 20 mm", timeout=400_000)
    brief(page).get_by_text("Files: write it, add to it").click()
    page.get_by_label("file format").select_option("obj")
    with page.expect_download() as download:
        brief(page).get_by_role("link", name="Write").click()
    assert download.value.suggested_filename == "block_geometry.obj"
    text = Path(download.value.path()).read_text()
    assert text.count("\nf ") == 12 and "in mm" in text
    more = tmp_path / "second.step"
    more.write_bytes(source(box(60, 0, 0, 80, 10, 10), tmp_path, "second").data)
    page.set_input_files("input[aria-label='files to add to the geometry']", str(more))
    ledger = page.get_by_role("complementary", name="Ledger")
    expect(ledger).to_contain_text("2,000 mm³", timeout=400_000)
    expect(brief(page)).to_contain_text("80 × 30 × 20 mm")
    # a pattern selects what it finds
    ledger.get_by_placeholder("filter, for example wall*").fill("face_1*")
    ledger.get_by_role("button", name="select").click()
    expect(page.get_by_role("region", name="Model")).to_contain_text("4 faces")
