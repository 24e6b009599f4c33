"""Proving a mesh in the browser: asked for, stopped, gone on with, its results looked at."""

import contextlib
import csv
import io
import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, TimeoutError, expect

from tests.core.shapes import pipe
from tests.screens.conftest import source
from tests.screens.test_hand_over import CHANGE
from tests.screens.test_whole_path import drop, open_stage

pytestmark = pytest.mark.screens

SETTINGS = {
    "sizing": {"smallest": 2.5, "largest": 2.5},
    "case": {
        "closure": "laminar",
        "materials": [
            {"zones": ["*"], "is": "own_fluid", "density": 1000.0, "viscosity": 0.01}
        ],
        "conditions": [
            {"patches": ["opening_2"], "is": "developed", "speed": 0.01},
            {"patches": ["opening_1"], "is": "pressure", "pressure": 0.0},
            {"patches": ["*"], "is": "no_slip"},
        ],
    },
}  # fmt: skip


def test_a_mesh_is_proven_and_its_flow_looked_at(page: Page, tmp_path: Path):
    drop(page, "pipe.step", source(pipe(length=30.0), tmp_path, "pipe").data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    variant = int(re.search(r"/study/\d+/(\d+)", page.url)[1])
    assert page.evaluate(CHANGE, [variant, SETTINGS]) == 200
    page.reload()
    open_stage(page, "Case")
    proof = page.get_by_role("region", name="Proof")

    # a number that is none is said to be none, and what is proven comes with all before it
    iterations = proof.get_by_label("iterations of the flow")
    iterations.fill("many")
    expect(proof.get_by_role("alert")).to_contain_text("whole number")
    expect(proof.get_by_role("button", name="Prove it")).to_be_disabled()
    iterations.fill("3000")
    proof.get_by_role("button", name="Prove it").click()
    stop = proof.get_by_role("button", name="Stop and keep")
    expect(proof.get_by_role("img", name=re.compile("residuals of"))).to_be_visible(timeout=400_000)
    # it may have settled by itself before the hand was there
    with contextlib.suppress(TimeoutError):
        stop.click(timeout=3_000)
    expect(proof.get_by_text(re.compile(r"cells, [\d,]+ iterations"))).to_be_visible(
        timeout=400_000
    )
    expect(proof).to_contain_text("The exported file was read back")
    expect(proof).to_contain_text("it replaces no flow solver")

    iterations.fill("100")
    expect(proof.get_by_role("button", name=re.compile("^Prove it"))).to_be_visible()
    on = proof.get_by_role("button", name="Go on")
    if on.is_visible():
        on.click()
        expect(proof.get_by_role("button", name="Prove it anew")).to_be_visible(timeout=400_000)
    expect(proof).to_contain_text("Proven: a flow solver takes this mesh", timeout=400_000)
    expect(proof.get_by_role("row", name=re.compile("^opening_1"))).to_contain_text("10⁻⁶")

    # on a slice, and on the patches
    field = proof.get_by_label("field of the flow to show")
    model = page.get_by_role("region", name="Model")
    field.select_option(label="Speed")
    expect(model.get_by_text("Speed")).to_be_visible()
    field.select_option(label="Wall shear")
    expect(model.get_by_text("Wall shear")).to_be_visible()
    model.get_by_role("button", name="Take away").click()
    expect(model.get_by_text("Wall shear")).to_have_count(0)

    # across the pipe, with the parabola over it; a line of no length is none
    profile = page.get_by_role("region", name="Profile")
    profile.get_by_label("known solution").select_option(label="developed pipe or channel flow")
    expect(profile.get_by_role("img", name="speed along the line")).to_be_visible()
    expect(profile).to_contain_text("developed flow")
    profile.get_by_label("y of the line's end").fill("far")
    expect(profile.get_by_role("alert")).to_contain_text("three numbers")
    profile.get_by_label("y of the line's end").fill("7")
    with page.expect_download() as download:
        profile.get_by_role("link", name="Write as CSV").click()
    rows = list(csv.reader(io.StringIO(Path(download.value.path()).read_text())))
    speeds = [abs(float(row[3])) for row in rows[1:]]
    # twice the mean speed in the middle
    assert max(s for s in speeds if s == s) == pytest.approx(0.02, rel=0.1)

    # a solution of one's own, and what is none
    other = tmp_path / "known.csv"
    other.write_text("y,u\n" + "".join(f"{y},{0.02 * (1 - (y / 7 - 1) ** 2)}\n" for y in range(15)))
    page.set_input_files("input[aria-label='a solution along the line']", str(other))
    expect(profile).to_contain_text("from the file")
    other.write_text("nothing here")
    page.set_input_files("input[aria-label='a solution along the line']", str(other))
    expect(profile.get_by_role("alert")).to_contain_text("rows of two numbers")

    # another case: the flow is told to be of the earlier one
    change = {"case": {"gravity": [0.0, 0.0, -9.81]}}
    assert page.evaluate(CHANGE, [variant, change]) == 200
    page.reload()
    open_stage(page, "Case")
    expect(proof).to_contain_text("of an earlier hand-over", timeout=400_000)


def test_the_mesh_of_a_turbulent_case_is_tried_by_a_thicker_fluid(page: Page, tmp_path: Path):
    drop(page, "pipe.step", source(pipe(length=30.0), tmp_path, "pipe").data)
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    variant = int(re.search(r"/study/\d+/(\d+)", page.url)[1])
    assert page.evaluate(CHANGE, [variant, {"sizing": SETTINGS["sizing"]}]) == 200
    page.reload()
    open_stage(page, "Case")
    proof = page.get_by_role("region", name="Proof")
    proof.get_by_role("button", name="Prove it").click()
    expect(proof).to_contain_text("Proven: a flow solver takes this mesh", timeout=400_000)
    expect(proof).to_contain_text(re.compile(r"a fluid [\d,]+ times as viscous"))
    # what flowed through each patch instead of what was left
    over = proof.get_by_label("what is drawn over the iterations")
    over.select_option(label="flow out of each patch")
    expect(proof.get_by_role("img", name=re.compile("flow out of each patch of"))).to_be_visible()
    proof.get_by_label("field of the flow to show").select_option(label="Speed, with arrows")
    model = page.get_by_role("region", name="Model")
    expect(model.get_by_text("Speed, with arrows")).to_be_visible()
