"""The interface driven as an analyst would: from a dropped file to a downloaded case."""

import base64
import json
import os
import re
import signal
import subprocess
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.core.shapes import box, pipe
from tests.core.test_standing_sheets import BAFFLED, step
from tests.core.world import SET
from tests.core.world.model import source as world_source
from tests.screens.conftest import source, wait_until

pytestmark = pytest.mark.screens

DROP = """([name, data]) => {
  const bytes = Uint8Array.from(atob(data), c => c.charCodeAt(0));
  const transfer = new DataTransfer();
  transfer.items.add(new File([bytes], name));
  const at = document.querySelector('main');
  for (const kind of ['dragenter', 'dragover', 'drop'])
    at.dispatchEvent(new DragEvent(kind, {dataTransfer: transfer, bubbles: true}));
}"""


def drop(page: Page, name: str, data: bytes) -> None:
    page.evaluate(DROP, [name, base64.b64encode(data).decode()])


def open_stage(page: Page, title: str) -> None:
    page.get_by_role("navigation", name="Stages").get_by_role("button", name=title).click()
    expect(page.get_by_role("heading", level=1, name=title)).to_be_visible()


def blank(page: Page, label: str, value: str) -> None:
    field = page.get_by_label(label, exact=True)
    field.fill(value)
    field.press("Enter")


def done(page: Page, seconds: float = 400) -> None:
    brief = page.get_by_role("complementary", name="Brief")
    expect(brief.get_by_text("✓ up to date", exact=True)).to_be_visible(timeout=1000 * seconds)


def act(page: Page, action: str) -> None:
    page.get_by_role("button", name=action).click()
    done(page)


def test_the_demo_study_is_on_the_shelf_with_its_picture(page: Page):
    link = page.get_by_role("link", name=re.compile("ejector")).first
    expect(link).to_be_visible()
    picture = link.get_by_role("img")
    expect(picture).to_be_visible(timeout=400_000)
    assert picture.evaluate("e => e.complete && e.naturalWidth > 100")


def test_from_a_dropped_file_to_a_downloaded_zip(page: Page, tmp_path: Path):
    drop(page, "riser.step", source(pipe(), tmp_path).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    brief = page.get_by_role("complementary", name="Brief")
    expect(brief).to_contain_text("60 × 20 × 20 mm")

    open_stage(page, "Domain")
    expect(brief).to_contain_text("the fluid is inside the part")
    # leave one end open first: the finding names it
    page.get_by_label("close opening_2").click()
    expect(page.get_by_label("close opening_2")).not_to_be_checked()
    page.get_by_role("button", name="Extract the fluid").click()
    expect(brief).to_contain_text("still open at opening_2", timeout=400_000)
    page.get_by_label("close opening_2").click()
    expect(page.get_by_label("close opening_2")).to_be_checked()
    act(page, "Extract the fluid")
    expect(brief).to_contain_text("9,236.28 mm³")

    open_stage(page, "Patches")
    page.get_by_label("name of patch opening_1").fill("inflow")
    page.get_by_label("name of patch opening_1").press("Enter")
    page.get_by_label("kind of inflow").select_option("inlet")
    page.get_by_label("kind of opening_2").select_option("outlet")
    act(page, "Settle the patches")

    open_stage(page, "Sizing")
    blank(page, "smallest edge", "9")
    expect(page.get_by_role("alert")).to_contain_text("larger than the largest")
    blank(page, "largest edge", "3")
    blank(page, "smallest edge", "2")
    expect(page.get_by_label("smallest edge", exact=True)).to_have_class(re.compile("changed"))
    # the forecast follows the settings
    expect(brief).to_contain_text("up to date", timeout=400_000)
    expect(brief).to_contain_text("Forecast, cells")

    open_stage(page, "Surface")
    act(page, "Mesh the surface")
    expect(brief).to_contain_text("Triangles")
    open_stage(page, "Volume")
    act(page, "Fill the volume")
    expect(brief).to_contain_text("Equiangle skewness")
    page.get_by_role("button", name="slice", exact=True).click()
    with page.expect_response(re.compile(r"/slice\?nx=1")) as answer:
        page.get_by_role("button", name="slice across x").click()
    assert answer.value.status == 200

    open_stage(page, "Case")
    blank(page, "speed of conditions on the patches 1", "2.5")
    expect(brief).to_contain_text("Reynolds number, inflow")
    # what does not fit is told at once, with what would mend it
    page.get_by_label("remove conditions on the patches 2").click()
    expect(brief).to_contain_text("Nothing says what holds on opening_2")
    brief.get_by_role("button", name="Let it out at a static pressure").click()
    expect(brief).not_to_contain_text("Nothing says what holds")
    act(page, "Set up the case")
    with page.expect_download() as download:
        page.get_by_role("link", name="Export mesh and case").click()
    path = tmp_path / "riser.zip"
    download.value.save_as(path)
    archive = zipfile.ZipFile(path)
    told = json.loads(archive.read("report.json"))
    assert told["valid"] and set(told["patches"]) == {"inflow", "opening_2", "wall"}
    archive.extract("mesh.cgns", tmp_path)
    checked = subprocess.run(
        ["cgnscheck", str(tmp_path / "mesh.cgns")], capture_output=True, text=True, check=False
    )
    assert checked.returncode == 0 and "WARNING" not in checked.stdout

    # an earlier setting makes what follows out of date; setting it back finds the old results
    open_stage(page, "Sizing")
    blank(page, "largest edge", "4")
    strip = page.get_by_role("navigation", name="Stages")
    expect(strip.get_by_text("out of date")).to_have_count(4, timeout=400_000)
    expect(brief).to_contain_text("up to date")
    page.get_by_role("button", name="Undo").click()
    expect(strip.get_by_text("out of date")).to_have_count(0)
    expect(strip.get_by_text("up to date")).to_have_count(8)


def test_an_unknown_part_becomes_a_mesh_by_one_button(page: Page):
    part = world_source(SET["split by edges 0"].make())
    drop(page, "unknown.step", part.data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    open_stage(page, "Volume")
    page.get_by_role("button", name="Fill the volume").click()
    done(page)
    brief = page.get_by_role("complementary", name="Brief")
    angle = brief.locator("tr, dl > div").filter(has_text="Smallest dihedral angle").first
    numbers = re.findall(r"\d+(?:\.\d+)?", angle.inner_text())
    assert float(numbers[0]) > 12, angle.inner_text()
    # its faces were cut 0.05 mm apart: those edges are walked over, and told
    open_stage(page, "Sizing")
    expect(brief).to_contain_text("edges are walked over: dotted in the model")
    page.get_by_role("button", name="Keep every edge").click()
    expect(page.get_by_label("seam", exact=True)).to_have_value("0")
    strip = page.get_by_role("navigation", name="Stages")
    expect(strip.get_by_text("out of date").first).to_be_visible(timeout=400_000)
    page.get_by_role("button", name="Undo").click()
    expect(strip.get_by_text("out of date")).to_have_count(0, timeout=400_000)


def test_a_large_part_is_turned_while_its_faults_are_looked_for(page: Page):
    part = world_source(SET["assembly of 200"].make())
    drop(page, "crowd.step", part.data)
    model = page.get_by_role("region", name="Model")
    looking = model.get_by_text("faults are still looked for")
    expect(looking).to_be_visible(timeout=400_000)
    brief = page.get_by_role("complementary", name="Brief")
    expect(brief).to_contain_text("being looked at")
    expect(brief.get_by_role("heading", name=re.compile("Findings so far"))).to_be_visible()
    expect(page.get_by_role("complementary", name="Ledger")).to_contain_text("Faces 594")
    # turned meanwhile, it stays turned when the last finding is in
    compass = model.locator("svg", has=page.get_by_label("look along x"))
    first = compass.inner_html()
    page.keyboard.press("ArrowLeft")
    wait_until(lambda: compass.inner_html() != first, 60)
    done(page)
    expect(looking).to_have_count(0)
    expect(brief).to_contain_text("✓ yes")
    assert compass.inner_html() != first


def test_layers_grow_from_the_walls_of_a_pipe(page: Page, tmp_path: Path):
    drop(page, "layered.step", source(pipe(), tmp_path).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    done(page)
    brief = page.get_by_role("complementary", name="Brief")
    open_stage(page, "Layers")
    # nothing to ask for before the patches are there; then everything up to here is run at once
    act(page, "Grow the layers")
    # they are proposed, and may be taken out
    expect(brief).to_contain_text("5 layers")
    expect(brief).to_contain_text("all on 100 %")
    page.get_by_label("remove layers 1").click()
    expect(brief.get_by_role("img", name="5 layers to scale")).to_have_count(0)
    act(page, "Grow the layers")
    expect(brief).to_contain_text("No layers: the volume is filled from the walls on.")
    page.get_by_role("button", name="Layers on all walls").click()
    expect(brief.get_by_role("img", name="8 layers to scale")).to_be_visible()
    blank(page, "growth of layers 1", "0.5")
    expect(brief.get_by_role("alert")).to_contain_text("at least 1")
    blank(page, "number of layers 1", "5")
    # each value is taken before the next is typed, as by a hand
    expect(brief.get_by_role("img", name="5 layers to scale")).to_be_visible()
    blank(page, "height of layers 1", "0.3")
    expect(brief).to_contain_text("last 0.3")
    act(page, "Grow the layers")
    expect(brief).to_contain_text("all on 100 %")
    expect(page.get_by_text("from earlier settings, out of date")).to_have_count(0)
    # two rows for one patch contradict each other
    page.get_by_role("button", name="+ layers").click()
    page.get_by_role("button", name="Grow the layers").click()
    expect(brief).to_contain_text("both ask for layers on", timeout=400_000)
    page.get_by_role("button", name="Undo").click()
    done(page)
    expect(page.get_by_role("button", name="jobs", exact=True)).to_be_visible(timeout=400_000)
    # the layers at one place of the wall, and the wall by their first height
    model = page.get_by_role("region", name="Model")
    area = model.bounding_box()
    assert area
    middle = (area["x"] + area["width"] / 2, area["y"] + area["height"] / 2)
    stack = model.get_by_role("figure", name="layers at the place clicked")

    def clicked() -> bool:
        page.mouse.click(*middle)
        page.wait_for_timeout(1000)
        return stack.count() > 0

    # the model may just be drawn anew
    wait_until(clicked, 30)
    expect(stack.get_by_role("img", name="5 of 5 layers, to scale")).to_be_visible()
    expect(stack).to_contain_text("y⁺, estimated")
    for way in ("first height", "y⁺, estimated", "what stands"):
        page.get_by_role("button", name=way).click()
        expect(page.get_by_role("button", name=way)).to_have_attribute("aria-pressed", "true")
    page.get_by_label("close the layers here").click()
    expect(stack).to_have_count(0)
    # a finding offers what mends it
    page.get_by_role("button", name="Let layers grow on until they meet the core").click()
    act(page, "Grow the layers")
    expect(brief).not_to_contain_text("Let layers grow on until they meet the core")
    page.get_by_role("button", name="Undo").click()
    done(page)
    open_stage(page, "Volume")
    act(page, "Fill the volume")
    expect(brief).to_contain_text("Prisms")
    expect(brief).to_contain_text("Tetrahedra")
    page.get_by_role("button", name="slice", exact=True).click()
    alone = page.get_by_label("layers alone, behind the plane")
    with page.expect_response(lambda r: "peel=true" in r.url and r.ok):
        alone.click()
    expect(alone).to_have_attribute("aria-pressed", "true")
    # divided again the core stays as it is, and nothing is filled again
    tets, prisms = _fact(brief, "Tetrahedra"), _fact(brief, "Prisms")
    page.get_by_role("button", name="Divide them again").click()
    blank(page, "number of layers divided again 1", "3")
    page.get_by_role("button", name="Fill the volume").click()
    expect(brief).to_contain_text("There are 5 layers", timeout=400_000)
    blank(page, "number of layers divided again 1", "10")
    act(page, "Fill the volume")
    assert _fact(brief, "Tetrahedra") == tets
    assert _fact(brief, "Prisms") == 2 * prisms
    open_stage(page, "Case")
    act(page, "Set up the case")


def _fact(brief: Locator, name: str) -> int:
    """A number of the facts in the brief."""
    row = brief.get_by_text(name, exact=True).locator("xpath=..")
    return int("".join(c for c in row.inner_text() if c.isdigit()))


def test_a_sheet_in_a_duct_gets_two_sides(page: Page):
    """Dropped, named by a note, ticked by default; its sides are patches, told apart."""
    drop(page, "baffled.step", step(*BAFFLED).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    brief = page.get_by_role("complementary", name="Brief")
    expect(brief).to_contain_text("Walls without a thickness: baffle, guide")
    open_stage(page, "Domain")
    act(page, "Extract the fluid")
    ledger = page.get_by_role("complementary", name="Ledger")
    expect(ledger.get_by_label("keep baffle")).to_be_checked()
    open_stage(page, "Sizing")
    blank(page, "cells to aim at", "20000")
    open_stage(page, "Volume")
    page.get_by_role("button", name="Fill the volume").click()
    done(page)
    for name in ("baffle", "baffle_back", "guide", "guide_back"):
        expect(ledger.get_by_role("button", name=name, exact=True)).to_be_visible()
    # seen from ahead and from behind another side of it is touched
    model = page.get_by_label("Model", exact=True)
    middle = model.bounding_box()
    for side in ("baffle_back", "baffle"):
        # the second time it looks the other way
        page.get_by_role("button", name="look along x", exact=True).click()
        model.click(position={"x": middle["width"] / 2, "y": middle["height"] * 0.66})
        row = page.get_by_role("button", name=side, exact=True)
        expect(ledger.get_by_role("listitem").filter(has=row)).to_have_attribute(
            "aria-current", "true"
        )
    # left out, it is gone
    open_stage(page, "Domain")
    ledger.get_by_label("keep guide").click()
    act(page, "Extract the fluid")
    open_stage(page, "Patches")
    act(page, "Settle the patches")
    expect(ledger.get_by_role("button", name="guide_back", exact=True)).to_have_count(0)


@pytest.mark.parametrize(
    "name, data, words",
    [
        ("notes.step", b"dear colleague", "notes.step is not a STEP file"),
        ("void.step", b"", "void.step is empty"),
        ("half.step", b"ISO-10303-21;\nHEADER;", "half.step is cut short"),
    ],
)
def test_bad_files_get_a_clear_message(page: Page, name: str, data: bytes, words: str):
    page.get_by_role("link").first.wait_for()
    before = page.get_by_role("link").count()
    drop(page, name, data)
    # the worker may be busy with a demo study
    expect(page.get_by_role("alert")).to_contain_text(words, timeout=400_000)
    assert page.get_by_role("link").count() == before


def _begin_long_run(page: Page, tmp_path: Path, name: str) -> None:
    drop(page, name, source(box(0, 0, 0, 10, 10, 10), tmp_path).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    # the sizing's blanks are derived once the domain is known
    open_stage(page, "Domain")
    act(page, "Extract the fluid")
    open_stage(page, "Sizing")
    blank(page, "smallest edge", "0.2")
    expect(page.get_by_label("smallest edge", exact=True)).to_have_class(re.compile("changed"))
    blank(page, "largest edge", "0.4")
    expect(page.get_by_label("largest edge", exact=True)).to_have_class(re.compile("changed"))
    open_stage(page, "Volume")
    page.get_by_role("button", name="Fill the volume").click()
    expect(page.get_by_role("button", name="Cancel").first).to_be_visible()


def test_a_reload_during_a_job_keeps_it(page: Page, tmp_path: Path):
    _begin_long_run(page, tmp_path, "tank.step")
    page.reload()
    expect(page.get_by_role("button", name="Cancel").first).to_be_visible()
    expect(page.get_by_role("status").first).to_contain_text("%")
    done(page)
    expect(page.get_by_role("complementary", name="Brief")).to_contain_text("Tetrahedra")


def test_cancel(page: Page, tmp_path: Path):
    _begin_long_run(page, tmp_path, "basin.step")
    page.get_by_role("button", name="Cancel").first.click()
    expect(page.get_by_role("button", name="Fill the volume")).to_be_visible(timeout=20_000)
    expect(page.get_by_role("button", name="Fill the volume")).to_be_enabled()


@pytest.mark.slow
def test_a_killed_worker_is_replaced_and_the_job_runs_again(
    page: Page, tmp_path: Path, application
):
    _begin_long_run(page, tmp_path, "sump.step")
    found = subprocess.run(
        ["pgrep", "-P", str(application.process.pid), "-f", "queues jobs"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    (worker,) = map(int, found.stdout.split())
    wait_until(lambda: "%" in page.get_by_role("status").first.inner_text(), 20)
    os.kill(worker, signal.SIGKILL)
    expect(page.get_by_role("complementary", name="Brief")).to_contain_text(
        "Tetrahedra", timeout=400_000
    )


def test_faces_are_selected_and_put_on_a_patch(page: Page, tmp_path: Path):
    drop(page, "block.step", source(box(0, 0, 0, 4, 4, 4), tmp_path).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    open_stage(page, "Domain")
    act(page, "Extract the fluid")
    open_stage(page, "Patches")
    model = page.get_by_role("region", name="Model")
    area = model.bounding_box()
    assert area
    middle = (area["x"] + area["width"] / 2, area["y"] + area["height"] / 2)
    page.mouse.click(*middle)
    expect(model).to_contain_text("1 face, 16 mm²")
    page.keyboard.down("Shift")
    page.mouse.click(middle[0] + 90, middle[1])
    page.keyboard.up("Shift")
    expect(model).to_contain_text("2 faces, 32 mm²")
    page.get_by_role("button", name="New patch from 2 faces").click()
    page.get_by_label("name of patch patch_1").fill("2 bad")
    page.get_by_label("name of patch patch_1").press("Enter")
    page.get_by_role("button", name="Settle the patches").click()
    brief = page.get_by_role("complementary", name="Brief")
    expect(brief).to_contain_text("“2 bad” cannot be a patch name")
    page.get_by_label("name of patch 2 bad").fill("screen")
    page.get_by_label("name of patch 2 bad").press("Enter")
    act(page, "Settle the patches")
    expect(brief).not_to_contain_text("cannot be a patch name")


def test_keys_and_variants(page: Page):
    page.get_by_role("link", name=re.compile("ejector")).first.click()
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    page.keyboard.press("4")
    expect(page.get_by_role("heading", level=1, name="Sizing")).to_be_visible()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("open a stage")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="New variant").click()
    page.get_by_label("Name of the new variant").fill("finer")
    page.get_by_label("Name of the new variant").press("Enter")
    expect(page.get_by_role("button", name="finer")).to_have_attribute("aria-pressed", "true")
    no_scroll = "document.documentElement.scrollHeight <= innerHeight"
    assert page.evaluate(no_scroll)
