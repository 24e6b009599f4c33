"""Recipes of earlier releases are read, and run to a mesh and a case that can be handed over."""

import pytest

import intaglio
from tests.core.shapes import pipe, source

RELEASES = {
    # one fluid, one speed and one pressure for the whole case
    "0.3": """
recipe: 1
part: pipe.step
name: pipe
numbers: {edge: 3.0}
domain: {where: inside, closed: [opening_1, opening_2], pin: [30, 0, 0]}
patches:
  patches:
    - {name: feed, kind: inlet, faces: [opening_1]}
    - {name: drain, kind: outlet, faces: [opening_2]}
    - {name: shell, kind: wall, faces: rest}
sizing: {smallest: edge, largest: 1.5*edge, growth: 1.2, gap_cells: 2}
surface: {passes: 9}
layers: {layers: []}
volume: {target: 20, passes: 8}
case: {density: 1.2, viscosity: 1.8e-5, velocity: 3.0, pressure: 0.0, files: [cgns]}
""",
    # rows of materials and conditions, layers with what they go on to, limits, a way of hand-over
    "0.4": """
recipe: 1
part: pipe.step
name: pipe
numbers: {edge: 3.0}
geometry: {unit: mm, repairs: []}
domain:
  where: inside
  closed: [opening_1, opening_2]
  pin: [{name: fluid, at: [30, 0, 0], kind: fluid}]
patches:
  patches:
    - {name: feed, kind: inlet, faces: [opening_1]}
    - {name: drain, kind: outlet, faces: [opening_2]}
    - {name: shell, kind: wall, faces: rest}
sizing:
  smallest: edge
  largest: 1.5*edge
  walk_over: 5
  sizes: [{patches: [feed], size: 3.0}]
  regions: [{name: near, shape: sphere, size: 3.5, start: [30, 0, 0], radius: 6}]
surface: {passes: 9, mend: 0.25, limits: general}
layers: {layers: [{patches: [shell], count: 2, growth: 1.2, last: 0.4}], lowest: 0.2}
volume: {cells: tetrahedra, target: 20, passes: 8, limits: strict}
case:
  materials: [{zones: ["*"], is: own_fluid, density: 1.2, viscosity: 1.8e-5}]
  conditions:
    - {patches: [feed], is: speed, speed: 3.0}
    - {patches: [drain], is: pressure, pressure: 0}
    - {patches: ["*"], is: no_slip}
  files: [cgns]
  numbering: narrow
  length: m
""",
}


@pytest.mark.parametrize("release", RELEASES)
def test_recipes_of_earlier_releases_run(release, tmp_path):
    source(pipe(), tmp_path, "pipe")
    (tmp_path / "r.yaml").write_text(RELEASES[release])
    study = intaglio.open(tmp_path / "r.yaml", quiet=True)
    files = study.export(tmp_path / "out")
    assert {f.name for f in files} == {"README.txt", "case.yaml", "mesh.cgns", "report.json"}
    case = study.case()
    (zone,) = case["zones"].values()
    assert zone["density"]["value"] == 1.2 and case["patches"]["feed"]["condition"] == "speed"
    assert case["patches"]["feed"]["speed"]["value"] == 3.0
    assert (study.run("volume")["layer_cells"] > 0) == (release == "0.4")
