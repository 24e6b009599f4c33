"""Looking at meshes as an analyst would: slices, worst cells, variants side by side, a report."""

import io
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import vtk
from PIL import Image
from playwright.sync_api import Locator, Page, expect

from intaglio.mesh.mesh import Mesh
from intaglio.quality.values import Values
from tests.core import any_cells
from tests.core.shapes import pipe
from tests.core.test_any_cells import vtk_grid
from tests.screens.conftest import source, wait_until
from tests.screens.test_whole_path import act, blank, done, drop, open_stage

pytestmark = pytest.mark.screens

PAPER = np.array([247, 243, 234])


def spoiled_block() -> tuple[Mesh, int]:
    """Tetrahedra with one inner node pushed far towards a side of its cells; the worst cell."""
    mesh = any_cells.tetrahedra((8, 5, 5))
    rim = mesh.face_nodes[mesh.face_start[mesh.interior_faces] :]
    inner = np.setdiff1d(np.arange(len(mesh.points)), rim)
    v = int(inner[len(inner) // 2])
    own = np.flatnonzero((mesh.tets == v).any(axis=1))
    others = np.setdiff1d(mesh.tets[own[0]], [v])
    points = mesh.points.copy()
    points[v] += 0.985 * (points[others].mean(axis=0) - points[v])
    made = replace(mesh, points=points)
    return made, int(np.argmin(Values(made).of_cells("smallest_dihedral")))


def written_by_vtk(mesh: Mesh, folder: Path) -> bytes:
    """The mesh as VTK's own writer writes it, without patches, zones or a unit."""
    writer = vtk.vtkXMLUnstructuredGridWriter()
    writer.SetFileName(str(folder / "brought.vtu"))
    writer.SetInputData(vtk_grid(mesh))
    writer.Write()
    return (folder / "brought.vtu").read_bytes()


def pixels(thing: Locator) -> np.ndarray:
    """Colours (h, w, 3) of what is seen."""
    return np.asarray(Image.open(io.BytesIO(thing.screenshot())).convert("RGB")).astype(int)


def drawn(thing: Locator) -> int:
    """Pixels that are not paper."""
    return int((np.abs(pixels(thing) - PAPER).sum(axis=2) > 40).sum())


def dark(thing: Locator) -> int:
    """Pixels in the ramp's darkest colour, that of the worst cells: blue, not the ink's grey."""
    p = pixels(thing)
    return int(((p[..., 2] > p[..., 0] + 22) & (p.sum(axis=2) < 190)).sum())


def test_a_foreign_mesh_is_opened_judged_and_its_worst_cell_shown(page: Page, tmp_path: Path):
    mesh, worst = spoiled_block()
    drop(page, "brought.vtu", written_by_vtk(mesh, tmp_path))
    expect(page.get_by_role("heading", level=1, name="Volume")).to_be_visible(timeout=400_000)
    frames = page.get_by_role("navigation", name="Stages").get_by_role("button")
    expect(frames).to_have_count(3)
    brief = page.get_by_role("complementary", name="Brief")
    expect(brief).to_contain_text(f"{mesh.cells:,}")
    # judged: by other limits at once, without a run
    expect(brief).to_contain_text("the limit of the general set")
    before = frames.nth(0).inner_text()
    page.get_by_label("limits that the mesh is judged by").click()
    page.get_by_role("option", name="the strict").click()
    expect(brief).to_contain_text("the limit of the strict set")
    assert frames.nth(0).inner_text() != before
    done(page)

    brief.get_by_role("button", name="Smallest dihedral angle").click()
    listed = brief.get_by_label("worst cells")
    model = page.get_by_label("Model", exact=True)
    canvas = model.locator("canvas")
    wait_until(lambda: drawn(canvas) > 20_000, 20)
    assert dark(canvas) < 50
    # the list is that of the metric before until the new one is there
    first = listed.get_by_role("button").first
    expect(first).to_have_attribute("title", re.compile(rf"cell {worst} at"), timeout=400_000)
    first.click()
    shown = page.get_by_label("The cell shown")
    expect(shown).to_contain_text(f"Cell {worst:,}")
    wait_until(lambda: dark(canvas) > 300, 20)
    near = drawn(canvas)
    shown.get_by_role("button", name="fewer cells around it").click()
    # the cell alone: what was around it is gone
    wait_until(lambda: drawn(canvas) < near, 20)
    assert dark(canvas) > 300
    shown.get_by_role("button", name="Whole mesh").click()
    wait_until(lambda: dark(canvas) < 50, 20)

    # bars: drawing over the worst two lights up their cells
    bars = brief.get_by_role("button", name=re.compile(r"cells from"))
    values = Values(mesh).of_cells("smallest_dihedral")
    edges = np.histogram_bin_edges(values, 24)
    first, second = bars.nth(0).bounding_box(), bars.nth(1).bounding_box()
    assert first and second
    page.mouse.move(first["x"] + 3, first["y"] + 60)
    page.mouse.down()
    page.mouse.move(second["x"] + 4, second["y"] + 60, steps=6)
    page.mouse.up()
    count = int((values <= edges[2]).sum())
    expect(brief).to_contain_text(f"{count} cells from")
    wait_until(lambda: dark(canvas) > 100, 20)
    page.get_by_role("button", name="Whole mesh").click()

    # sliced: by a key, moved on by a cell, turned by numbers
    page.keyboard.press("s")
    rail = page.get_by_role("group", name="Slice")
    expect(rail.get_by_role("button", name="slice", exact=True)).to_have_attribute(
        "aria-pressed", "true"
    )
    at = rail.get_by_label("position of the slice")
    start = float(at.input_value())
    wait_until(lambda: dark(canvas) != -1 and drawn(canvas) > 10_000, 20)
    page.keyboard.press(".")
    wait_until(lambda: float(at.input_value()) > start, 5)
    expect(rail).to_have_attribute("aria-busy", "false", timeout=60_000)
    # what is under the pointer is told, and left alone by a double click
    frame = canvas.bounding_box()
    assert frame
    x, y = frame["x"] + 0.47 * frame["width"], frame["y"] + 0.42 * frame["height"]
    page.mouse.move(x, y)
    told = model.get_by_text(re.compile(r"^cell [\d,]+, smallest dihedral angle"))
    expect(told).to_be_visible()
    number = told.inner_text().split(", smallest")[0].removeprefix("cell ")
    page.mouse.dblclick(x, y)
    expect(page.get_by_label("The cell shown")).to_contain_text(f"Cell {number}")
    page.keyboard.press("Escape")
    expect(page.get_by_label("The cell shown")).to_be_hidden()
    rail.get_by_role("button", name="plane", exact=True).click()
    blank(page, "normal x", "1")
    expect(page.get_by_role("button", name="1 free")).to_be_visible()
    blank(page, "normal x", "nonsense")
    expect(page.get_by_role("alert").get_by_text("normal needs three numbers")).to_be_attached()

    # named and handed over
    open_stage(page, "Patches")
    act(page, "Settle the patches")
    open_stage(page, "Case")
    act(page, "Set up the case")
    expect(page.get_by_role("complementary", name="Brief")).to_contain_text("mesh.cgns")


def test_a_trial_of_three_values_is_made_run_and_compared(page: Page, tmp_path: Path):
    drop(page, "tried.step", source(pipe(), tmp_path).data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    open_stage(page, "Patches")
    act(page, "Settle the patches")
    open_stage(page, "Sizing")
    blank(page, "cells to aim at", "20000")
    expect(page.get_by_label("cells to aim at", exact=True)).to_have_class(re.compile("changed"))
    open_stage(page, "Layers")
    act(page, "Grow the layers")
    blank(page, "growth of layers 1", "1.1, 1.15, 1.25")
    trial = page.get_by_label("Trial")
    expect(trial).to_contain_text("Try growth 1.1, 1.15, 1.25")
    trial.get_by_role("button", name="Make and run them").click()
    page.wait_for_url(re.compile(r"/compare/\d+,\d+,\d+$"))
    panes = [page.get_by_label(f"Mesh of growth {g}", exact=True) for g in ("1.1", "1.15", "1.25")]
    for pane in panes:
        expect(pane.get_by_text(re.compile(r"[\d,]+ cells"))).to_be_visible(timeout=400_000)
    table = page.get_by_label("Settings and figures")
    row = table.get_by_role("row").filter(has_text="layers on walls")
    expect(row).to_contain_text("differs")
    assert [c.inner_text() for c in row.get_by_role("cell").all()] == ["1.1", "1.15", "1.25"]
    expect(page.get_by_label("Histograms of Equiangle skewness")).to_be_visible()
    for pane in panes:
        wait_until(lambda pane=pane: drawn(pane.locator("canvas")) > 4_000, 20)
    # one camera: what is turned in one pane turns in all
    before = [pixels(pane.locator("canvas")) for pane in panes]
    box = panes[0].bounding_box()
    assert box
    page.mouse.move(box["x"] + 120, box["y"] + 120)
    page.mouse.down()
    page.mouse.move(box["x"] + 200, box["y"] + 160, steps=5)
    page.mouse.up()
    for pane, old in zip(panes, before, strict=True):
        wait_until(
            lambda pane=pane, old=old: (
                (np.abs(pixels(pane.locator("canvas")) - old).sum(axis=2) > 60).sum() > 1_000
            ),
            20,
        )
    # one slice: the flat cut is drawn in each
    whole = [drawn(pane.locator("canvas")) for pane in panes]
    page.get_by_label("only the cells of the plane").click()
    for pane, old in zip(panes, whole, strict=True):
        wait_until(lambda pane=pane, old=old: drawn(pane.locator("canvas")) < 0.9 * old, 20)
    page.get_by_role("button", name="Bench").click()
    expect(page.get_by_role("heading", level=1, name="Volume")).to_be_visible()
    _the_surface_is_looked_at(page)


def _the_surface_is_looked_at(page: Page):
    """Its triangles are coloured by a metric, the worst is shown alone, what it says accepted."""
    open_stage(page, "Surface")
    brief = page.get_by_role("complementary", name="Brief")
    model = page.get_by_label("Model", exact=True)
    canvas = model.locator("canvas")
    wait_until(lambda: drawn(canvas) > 20_000, 20)
    before = pixels(canvas)
    brief.get_by_label("colour the model by the metric chosen").check()
    expect(model.get_by_label("colour triangles by")).to_be_visible()
    # the colour of most of the part is another
    wait_until(lambda: (np.abs(pixels(canvas) - before).sum(axis=2) > 30).sum() > 10_000, 20)
    brief.get_by_label("worst triangles").get_by_role("button").first.click()
    shown = model.get_by_label("The triangle shown")
    expect(shown).to_contain_text("Smallest angle")
    shown.get_by_role("button", name="fewer triangles around it").click()
    expect(shown).to_contain_text("0 rings")
    # alone it has one colour, which fills the frame
    wait_until(lambda: dark(canvas) > 10_000, 20)
    shown.get_by_role("button", name="Whole mesh").click()
    page.get_by_label("limits that the surface is judged by").click()
    page.get_by_role("option", name="my own").click()
    blank(page, "value of limit 1", "59.5")
    finding = brief.get_by_role("listitem").filter(has_text="Triangles with smallest angle")
    finding.get_by_role("button", name="Accept …").click()
    finding.get_by_label("why this is accepted").fill("a trial")
    finding.get_by_role("button", name="Accept", exact=True).click()
    expect(finding).to_contain_text("accepted: a trial")


def test_a_report_is_opened_and_printed(page: Page, tmp_path: Path):
    mesh, _ = spoiled_block()
    drop(page, "told.vtu", written_by_vtk(mesh, tmp_path))
    expect(page.get_by_role("heading", level=1, name="Volume")).to_be_visible(timeout=400_000)
    with page.expect_popup() as opened:
        page.get_by_role("link", name="report").click()
    report = opened.value
    expect(report.get_by_role("heading", level=1, name="told")).to_be_visible()
    expect(report.get_by_role("heading", name="Quality")).to_be_visible()
    expect(report.get_by_text("Some cells are beyond the general limits")).to_be_visible()
    pictures = report.get_by_role("img").and_(report.locator("img"))
    for picture in pictures.all():
        assert picture.evaluate("e => e.complete && e.naturalWidth > 100")
    printed = report.pdf(prefer_css_page_size=True)
    assert printed.startswith(b"%PDF")
    pages = len(re.findall(rb"/Type\s*/Page[^s]", printed))
    assert 2 <= pages <= 12
    report.emulate_media(media="print")
    kept = "e => getComputedStyle(e).breakInside"
    for selector in ("figure", "tr", ".block"):
        assert report.locator(selector).first.evaluate(kept) == "avoid"
    report.close()
