"""Setting up a case and handing it over, as an analyst would who does it for the first time."""

import json
import re
import zipfile
from pathlib import Path

import pytest
import yaml
from playwright.sync_api import Locator, Page, expect

from intaglio.formats.cgns import read_case, read_cgns
from tests.screens.conftest import ROOT, wait_until
from tests.screens.test_whole_path import done, drop, open_stage

pytestmark = pytest.mark.screens

CHANGE = """async ([variant, change]) => {
  const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
  const answer = await fetch(`/api/variants/${variant}/settings`, {
    method: 'PATCH', body: JSON.stringify(change),
    headers: {'Content-Type': 'application/json', 'X-CSRFToken': token},
  });
  return answer.status;
}"""
# few cells: what is tried here is the case
COARSE = {
    "ejector": {"cells": 20000, "smallest": 3.0, "largest": 8.0},
    "buoy": {"cells": 20000},
    "cooler": {"cells": 75_000},
}


class Hand:
    """A hand that counts what it does: clicks, and fields that it fills in."""

    def __init__(self, page: Page) -> None:
        self.page, self.done = page, 0

    def click(self, thing: Locator) -> None:
        thing.click()
        self.done += 1

    def fill(self, label: str, value: str) -> None:
        field = self.page.get_by_label(label, exact=True)
        field.fill(value)
        field.press("Enter")
        expect(field).to_have_value(value)
        self._rest()

    def choose(self, label: str, value: str) -> None:
        self.page.get_by_label(label, exact=True).select_option(label=value)
        self._rest()

    def _rest(self) -> None:
        """No hand is at the next field before the page has drawn this one's change."""
        self.done += 1
        self.page.wait_for_timeout(300)


def begun(page: Page, name: str, suffix: str) -> Locator:
    """A study of a demo model with its recipe's patches and a coarse mesh to come, at Case."""
    recipe = yaml.safe_load((ROOT / f"demo/recipes/{name}.yaml").read_text())
    drop(page, f"{name}.{suffix}", (ROOT / f"demo/models/{name}.{suffix}").read_bytes())
    expect(page.get_by_role("heading", level=1, name="Geometry")).to_be_visible(timeout=400_000)
    brief = page.get_by_role("complementary", name="Brief")
    expect(brief.get_by_text("✓ up to date", exact=True)).to_be_visible(timeout=400_000)
    variant = int(re.search(r"/study/\d+/(\d+)/", page.url)[1])
    change = {k: recipe[k] for k in ("geometry", "domain", "patches") if k in recipe}
    change |= {"sizing": COARSE[name], "layers": {"layers": []}}
    assert page.evaluate(CHANGE, [variant, change]) == 200
    page.reload()
    open_stage(page, "Patches")
    # another study may have settled the same before
    settle = page.get_by_role("button", name="Settle the patches")
    expect(settle).to_be_visible()
    if settle.is_enabled():
        settle.click()
    done(page)
    open_stage(page, "Case")
    return brief


def row_of(page: Page, patch: str) -> int:
    """Which row of the conditions names a patch."""
    fields = page.get_by_label(re.compile(r"^patches of conditions on the patches \d+$"))

    def rows() -> list[int]:
        values = [field.input_value() for field in fields.all()]
        return [k for k, value in enumerate(values, 1) if patch in value]

    wait_until(rows, 30)
    return rows()[0]


def handed_over(page: Page, hand: Hand, folder: Path, seconds: float = 400) -> zipfile.ZipFile:
    hand.click(page.get_by_role("button", name="Set up the case"))
    done(page, seconds)
    with page.expect_download() as download:
        hand.click(page.get_by_role("link", name="Export mesh and case"))
    path = folder / "export.zip"
    download.value.save_as(path)
    archive = zipfile.ZipFile(path)
    assert archive.testzip() is None
    archive.extractall(folder)
    return archive


def test_the_cooler_is_set_up_in_fewer_than_forty_clicks_and_fields(page: Page, tmp_path: Path):
    """Two fluids at temperatures of their own, copper tubes, mass flows at two inlets."""
    brief = begun(page, "cooler", "step")
    hand = Hand(page)
    hand.fill("temperature of water of materials of the zones 1", "12")
    hand.fill("temperature of water with half glycol of materials of the zones 2", "70")
    hand.choose("kind of materials of the zones 3", "copper")
    # water and glycol come in each in its own way
    hand.fill("patches of conditions on the patches 1", "water_in")
    hand.choose("kind of conditions on the patches 1", "let a mass in")
    hand.fill("mass flow of conditions on the patches 1", "0.4")
    hand.fill("temperature of conditions on the patches 1", "12")
    expect(brief).to_contain_text("Nothing says what holds on glycol_in")
    hand.click(brief.get_by_role("button", name="Let it in at a speed normal to them"))
    row = f"conditions on the patches {row_of(page, 'glycol_in')}"
    hand.fill(f"speed of {row}", "1.5")
    if page.get_by_label(f"temperature of {row}", exact=True).count() == 0:
        hand.click(page.get_by_role("button", name="+ temperature").last)
    hand.fill(f"temperature of {row}", "70")
    expect(brief).to_contain_text("0.4 kg/s")
    expect(brief).not_to_contain_text("Nothing says what holds")
    hand.click(page.get_by_role("button", name="unit of length of the files"))
    hand.click(page.get_by_role("option", name="m", exact=True))
    archive = handed_over(page, hand, tmp_path)
    assert hand.done < 40
    case = yaml.safe_load(archive.read("case.yaml"))
    assert case["zones"]["tube_1"]["material"] == "copper" and case["heat"] is True
    water, glycol = (case["patches"][f"{n}_in"] for n in ("water", "glycol"))
    assert water["rate"] == {"value": 0.4, "unit": "kg/s"}
    assert water["temperature"]["value"] == 12.0 and glycol["temperature"]["value"] == 70.0
    assert glycol["speed"]["value"] == 1.5
    mesh = read_cgns(tmp_path / "mesh.cgns")
    assert mesh.unit == "m" and len(mesh.zones) == 8
    told = read_case(tmp_path / "mesh.cgns")
    assert told.zones["water"].state["Temperature"][0] == 12.0 + 273.15
    assert told.patches["water", "water_in"].fixed["MassFlowTotal"][0] == 0.4


def test_the_ejector_s_names_are_checked_against_a_list(page: Page, tmp_path: Path):
    brief = begun(page, "ejector", "step")
    hand = Hand(page)
    page.get_by_role("button", name="names that the solver's case expects").click()
    box = page.get_by_role("textbox", name="names that the solver's case expects")
    box.fill("MotiveIn\nAirIn\nOutlet\nBody_wall")
    page.get_by_role("button", name="Take 4 names").click()
    expect(brief).to_contain_text("The solver's case expects no patch called air_in")
    brief.get_by_role("button", name="Rename all 4 so").first.click()
    # the names change where they are used, once the patches are settled anew
    assert row_of(page, "MotiveIn") == row_of(page, "AirIn") == 1
    # worked back: 20,000 on the bore of the motive inlet
    page.get_by_role("button", name="Set up the case").click()
    done(page)
    expect(brief).not_to_contain_text("expects no patch called")
    page.get_by_role("button", name="Work back from a Reynolds number").click()
    page.get_by_label("Reynolds number wanted").fill("much")
    page.get_by_role("button", name="Set it").click()
    expect(brief.get_by_role("alert")).to_contain_text("must be numbers")
    page.get_by_label("Reynolds number wanted").fill("20000")
    page.get_by_label("inlet", exact=True).select_option("MotiveIn")
    page.get_by_role("button", name="Set it").click()
    # on the diameter of the coarse mesh's opening; the brief then tells that of the part's
    expect(brief).to_contain_text(re.compile(r"number, MotiveIn(19,[6-9]|20,[0-4])\d\d"))
    archive = handed_over(page, hand, tmp_path)
    assert set(yaml.safe_load(archive.read("case.yaml"))["patches"]) == {
        "MotiveIn", "AirIn", "Outlet", "Body_wall",
    }  # fmt: skip
    # one file alone
    with page.expect_download() as download:
        page.get_by_role("link", name="case.yaml").click()
    assert download.value.suggested_filename == "case.yaml"
    download.value.save_as(tmp_path / "alone.yaml")
    assert (tmp_path / "alone.yaml").read_bytes() == archive.read("case.yaml")


def test_the_buoy_is_handed_over_in_blocks_and_not_while_it_has_errors(page: Page, tmp_path: Path):
    brief = begun(page, "buoy", "stl")
    hand = Hand(page)
    page.get_by_role("button", name=re.compile("^files: ")).click()
    page.get_by_role("option", name="zones and patches as VTM").click()
    page.get_by_role("option", name="mesh.vtu").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name=re.compile("^files: ")).first).to_contain_text("VTM")
    # with nothing said of the walls it is computed, but not handed over
    page.get_by_label("remove conditions on the patches 2").click()
    expect(brief).to_contain_text("Nothing says what holds on buoy")
    page.get_by_role("button", name="Set up the case").click()
    done(page)
    expect(brief).to_contain_text("cannot be handed over")
    expect(page.get_by_role("link", name="Export mesh and case")).to_have_count(0)
    brief.get_by_role("button", name="Hold the fluid").click()
    archive = handed_over(page, hand, tmp_path)
    names = set(archive.namelist())
    assert "mesh.vtm" in names and "mesh/zone_1.vtu" in names and "mesh.vtu" not in names
    assert json.loads(archive.read("report.json"))["unit"] == "m"
