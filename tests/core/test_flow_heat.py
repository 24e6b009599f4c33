"""Heat in flows and solids against closed forms; all of it through exported files."""

from dataclasses import replace

import numpy as np
import pytest

from intaglio.flow import heat
from intaglio.flow.conditions import COUPLED, HELD
from intaglio.flow.heat import SETTLED, Warmth, warm
from intaglio.flow.reading import read_flow
from intaglio.flow.results import patch_heat
from intaglio.flow.run import run_flow, told
from intaglio.flow.sweeps import heat_through
from intaglio.mesh.building import with_patches
from intaglio.mesh.mesh import Patch, Zone
from tests.core import any_cells
from tests.core.test_any_cells import MADE
from tests.core.test_flow import RIGHT_OUT, SLIPPING, WALLS, block, exported

ZERO = 273.15
FLUID = {"zones": ["fluid"], "is": "own_fluid", "density": 1.0, "viscosity": 1e-2,
         "heat_capacity": 500.0, "conductivity": 0.7}  # fmt: skip
SOLID = {"zones": ["wall"], "is": "own_solid", "density": 8000.0, "heat_capacity": 400.0,
         "conductivity": 3.0}  # fmt: skip
HOT = {"patches": ["front"], "is": "temperature", "temperature": 80.0}
COLD = {"patches": ["back"], "is": "temperature", "temperature": 20.0}


def two_zones(counts, share, place, kinds=("symmetry",) * 2 + ("wall",) * 2 + ("symmetry",) * 2):
    """A block whose cells are fluid up to a share of y and solid beyond, placed anywhere."""
    nx, ny, nz = counts
    row = np.tile(np.repeat(np.arange(ny), nz), nx)
    zone = (row >= round(share * ny)).astype(np.int32)
    zones = (Zone("fluid"), Zone("wall", "solid"))
    mesh = replace(any_cells.hexahedra(counts, lambda u: u, zones=zones, zone=zone), unit="m")
    between = (mesh.neighbour >= 0) & (mesh.zone[mesh.owner] != mesh.zone[mesh.neighbour])
    patches = [Patch(p.name, k) for p, k in zip(mesh.patches, kinds, strict=True)]
    mesh = with_patches(mesh, np.where(between, 6, mesh.patch).astype(mesh.patch.dtype),
                        (*patches, Patch("between", "interface")))  # fmt: skip
    return replace(mesh, points=place(mesh.points))


def warmed(mesh, path, warmth, conditions=(WALLS,), materials=(FLUID, SOLID), most=60):
    file = exported(mesh, path, list(conditions), heat="with", warmth=warmth,
                    materials=list(materials))  # fmt: skip
    done = run_flow(file, most)
    assert done.warmth is not None and done.warmth.residual < 1e-6
    return done


def sheared(u):
    x, y, z = u.T
    return np.stack([x + 0.3 * y + 0.05 * np.sin(5 * x), y, z + 0.2 * y], 1)


def test_a_wall_of_two_materials_conducts_as_its_resistances_in_series(tmp_path):
    mesh = two_zones((6, 8, 3), 0.5, lambda u: u)
    around = {"patches": ["back"], "is": "transfer", "coefficient": 4.0, "temperature": 20.0}
    done = warmed(mesh, tmp_path, [HOT, around])
    flux = 60.0 / (0.5 / 0.7 + 0.5 / 3.0 + 1.0 / 4.0)
    heat = patch_heat(done.given, done.warmth)
    assert heat["front"]["heat"] == pytest.approx(flux, rel=1e-4)
    assert heat["back"]["heat"] == pytest.approx(-flux, rel=1e-4)
    y = done.given.heat.ops.volumes.centroid[:, 1]
    exact = 80.0 - flux * np.where(y < 0.5, y / 0.7, 0.5 / 0.7 + (y - 0.5) / 3.0)
    np.testing.assert_allclose(done.warmth.temperature - ZERO, exact, atol=1e-3)
    assert heat["between"]["mean_temperature"] - ZERO == pytest.approx(80 - flux * 0.5 / 0.7)
    assert heat["between"]["heat"] == pytest.approx(flux, rel=1e-4)


def test_what_one_zone_gives_the_other_takes_on_leaning_cells(tmp_path):
    """To rounding, however far the cells' centroids lie beside the faces between them."""
    done = warmed(two_zones((6, 8, 3), 0.5, sheared), tmp_path, [HOT, COLD])
    held, conducted = done.given.heat.held, done.warmth.conducted
    pairs = np.flatnonzero((held.kind == COUPLED) & (held.other >= 0))
    assert len(pairs) == 2 * 6 * 3
    passed = np.abs(conducted[pairs]).sum() / 2
    np.testing.assert_allclose(
        conducted[pairs] + conducted[held.other[pairs]], 0.0, atol=1e-12 * passed
    )
    out = told(done)
    assert out["patches"]["between"]["heat"] == pytest.approx(
        out["patches"]["front"]["heat"], rel=1e-5
    )


def linear(problem, slope, height=None, share=1.0):
    """The problem with every outer face held at a field that is linear, or kinked where y reaches
    a height so that what flows to it flows on; and that field at places (k, 3)."""

    def field(at):
        out = 300.0 + at @ slope
        return out if height is None else out + (share - 1) * slope[1] * np.maximum(
            at[:, 1] - height, 0.0)  # fmt: skip

    held, r = problem.held, problem.ops.volumes.rim
    outer = held.kind != COUPLED
    kind = np.where(outer, HELD, held.kind).astype(np.int8)
    given = np.where(outer, field(r.centre), held.temperature)
    return replace(problem, held=replace(held, kind=kind, temperature=given)), field


def solved_at_rest(problem, most=200):
    v = problem.ops.volumes
    done = warm(problem, np.zeros(len(v.links.left) + len(v.rim.cell)), most)
    assert done.residual < SETTLED
    return done.temperature


def test_a_kink_between_two_materials_is_exact_through_faces_that_stand_obliquely(tmp_path):
    mesh = two_zones((6, 8, 3), 0.5, sheared)
    given = read_flow(exported(mesh, tmp_path, [WALLS], heat="with", materials=[FLUID, SOLID]))
    problem, field = linear(given.heat, np.array([0.0, -40.0, 0.0]), 0.5, 0.7 / 3.0)
    exact = field(problem.ops.volumes.centroid)
    np.testing.assert_allclose(solved_at_rest(problem), exact, atol=1e-4)


@pytest.mark.parametrize("name", ["hexahedra", "tetrahedra", "prisms", "pyramids", "mixed",
                                  "polyhedra"])  # fmt: skip
def test_a_linear_field_is_exact_on_any_cells(name, tmp_path):
    mesh = replace(MADE[name](), unit="m")
    mesh = replace(mesh, patches=tuple(Patch(p.name, "wall") for p in mesh.patches))
    file = exported(mesh, tmp_path, [WALLS], heat="with", materials=[{**FLUID, "zones": ["*"]}])
    problem, field = linear(read_flow(file).heat, np.array([5.0, -40.0, 12.0]))
    exact = field(problem.ops.volumes.centroid)
    np.testing.assert_allclose(solved_at_rest(problem), exact, atol=1e-4)


def around_axis(u, inner, outer):
    radius = inner * (outer / inner) ** u[:, 1]
    angle = 0.5 * np.pi * u[:, 0]
    return np.stack([radius * np.sin(angle), radius * np.cos(angle), 0.3 * u[:, 2]], 1)


def test_a_tube_conducts_by_the_logarithm_of_its_radii(tmp_path):
    mesh = two_zones((24, 16, 2), 0.5, lambda u: around_axis(u, 1.0, 3.0))
    around = {"patches": ["back"], "is": "transfer", "coefficient": 2.5, "temperature": 20.0}
    done = warmed(mesh, tmp_path, [HOT, around])
    middle = np.sqrt(3.0)
    resistance = (np.log(middle) / 0.7 + np.log(3.0 / middle) / 3.0 + 1 / (3.0 * 2.5)) / (
        0.5 * np.pi * 0.3
    )
    heat = patch_heat(done.given, done.warmth)
    assert heat["front"]["heat"] == pytest.approx(60.0 / resistance, rel=0.01)
    assert heat["back"]["heat"] == pytest.approx(-60.0 / resistance, rel=0.01)
    v = done.given.heat.ops.volumes
    radius = np.linalg.norm(v.centroid[:, :2], axis=1)
    flow = 60.0 / resistance / (0.5 * np.pi * 0.3)
    exact = 80.0 - flow * np.where(
        radius < middle, np.log(radius) / 0.7,
        np.log(middle) / 0.7 + np.log(radius / middle) / 3.0)  # fmt: skip
    assert np.abs(done.warmth.temperature - ZERO - exact).max() < 0.01 * 60.0


@pytest.mark.parametrize(
    ("row", "number"),
    [({"is": "flux", "flux": 50.0}, 8.235), ({"is": "temperature", "temperature": 60.0}, 7.541)],
)
def test_a_channel_takes_up_heat_as_the_tables_say(row, number, tmp_path):
    """Nusselt numbers of developed flow between plates on twice their distance: R. K. Shah, A. L.
    London, Laminar Flow Forced Convection in Ducts (1978), 140/17 and 7.541."""
    place = lambda u: u * [6.0, 1.0, 0.1]  # noqa: E731
    mesh = block((60, 24, 1), place, ("inlet", "outlet", "wall", "wall", "symmetry", "symmetry"))
    fluid = {**FLUID, "heat_capacity": 40.0, "conductivity": 1.0, "viscosity": 1.0}
    enters = {"patches": ["left"], "is": "developed", "speed": 1.0, "temperature": 20.0}
    done = warmed(mesh, tmp_path, [{"patches": ["front", "back"], **row}],
                  (enters, RIGHT_OUT, WALLS), ({**fluid, "zones": ["*"]},), 300)  # fmt: skip
    heat = patch_heat(done.given, done.warmth)
    taken = heat["front"]["heat"] + heat["back"]["heat"]
    # what comes in leaves
    assert heat["left"]["heat"] + heat["right"]["heat"] + taken == pytest.approx(
        0.0, abs=1e-5 * abs(taken)
    )
    v, field = done.given.ops.volumes, done.field
    x = np.unique(np.round(v.centroid[:, 0], 6))[48]
    at = np.flatnonzero(np.abs(v.centroid[:, 0] - x) < 1e-4)
    speed, warm = field.velocity[at, 0], done.warmth.temperature[at]
    mixed = (speed * warm).sum() / speed.sum()
    r = done.given.heat.ops.volumes.rim
    wall = np.flatnonzero((np.abs(r.centre[:, 0] - x) < 1e-4) & (r.centre[:, 1] < 1e-6))
    size = np.linalg.norm(r.area[wall[0]])
    flux = done.warmth.conducted[wall[0]] / size
    assert flux * 2.0 / (done.warmth.rim[wall[0]] - mixed) == pytest.approx(number, rel=0.01)


def test_what_flows_in_mixes_and_leaves_with_the_heat_it_took_up(tmp_path):
    """A stream that slips past walls that take up a flux leaves warmer by Q over its capacity."""
    mesh = block((12, 5, 4), lambda u: u * [3.0, 1.0, 1.0], ("inlet", "outlet", "wall", "wall",
                                                             "wall", "wall"))  # fmt: skip
    enters = {"patches": ["left"], "is": "speed", "speed": 0.5, "temperature": 15.0}
    slip = {"patches": ["*"], "is": "slip"}
    done = warmed(mesh, tmp_path, [{"patches": ["top"], "is": "flux", "flux": 700.0}],
                  (enters, RIGHT_OUT, slip), ({**FLUID, "zones": ["*"]},), 200)  # fmt: skip
    report = told(done)
    # a little is conducted out against the stream
    lost = report["patches"]["left"]["heat"]
    assert -5.0 < lost <= 0.0
    assert report["patches"]["right"]["mixed_temperature"] == pytest.approx(
        ZERO + 15.0 + (2100.0 + lost) / (0.5 * 500.0), abs=1e-4
    )
    assert report["patches"]["top"]["heat"] == pytest.approx(2100.0)
    assert abs(report["heat_imbalance"]) < 1e-6


def test_heat_that_nothing_lets_out_is_told(tmp_path):
    mesh = two_zones((3, 4, 2), 0.5, lambda u: u)
    file = exported(mesh, tmp_path, [WALLS], heat="with", materials=[FLUID, SOLID],
                    warmth=[{"patches": ["front"], "is": "flux", "flux": 5.0}])  # fmt: skip
    trouble = run_flow(file, 3).trouble
    assert trouble is not None and trouble.code == "heat-nowhere" and trouble.places


def test_a_region_that_nothing_warms_has_its_material_s_temperature(tmp_path):
    mesh = block((3, 3, 3), kinds=SLIPPING[:1] + ("outlet",) + ("wall",) * 4)
    mesh = replace(mesh, patches=tuple(Patch(p.name, "wall") for p in mesh.patches))
    done = warmed(mesh, tmp_path, [], materials=({**FLUID, "zones": ["*"], "temperature": 55.0},),
                  most=3)  # fmt: skip
    np.testing.assert_allclose(done.warmth.temperature, ZERO + 55.0, atol=1e-6)


@pytest.mark.parametrize("factor, rounds", [(0.7, 30), (0.98, heat._ROUNDS + heat._STANDS + 1)])
def test_corrections_that_hardly_help_are_not_made_for_ever(factor, rounds, monkeypatch):
    none = np.zeros(0)

    def slow(problem, flux, most, stop):
        for k in range(most):
            yield Warmth(none, none, none, none, none, 300.0, factor**k)

    monkeypatch.setattr(heat, "warmed", slow)
    told = []
    last = warm(None, none, 30, tell=lambda number, left: told.append((number, left)))
    assert told == [(k + 1, factor**k) for k in range(rounds)]
    assert last.residual == factor ** (rounds - 1)


def test_heat_through_a_link_does_not_depend_on_which_end_is_called_left():
    rng = np.random.default_rng(1)
    cells, links = 20, 200
    left, right = rng.integers(0, cells, (2, links))
    way, area, beside = rng.normal(size=(3, links, 3))
    share, over, conductivity, shares = rng.random((4, links))
    carried = rng.normal(size=links)
    temperature, slope = rng.normal(size=cells), rng.normal(size=(cells, 3))
    forth = heat_through(
        left, right, way, area, share, beside, over, carried, conductivity, temperature, slope,
        shares,
    )  # fmt: skip
    back = heat_through(
        right, left, -way, -area, 1.0 - share, beside, over, -carried, conductivity, temperature,
        slope, shares,
    )  # fmt: skip
    assert (carried < 0).any() and (carried > 0).any()
    np.testing.assert_allclose(back, -forth, rtol=1e-12, atol=1e-12)
