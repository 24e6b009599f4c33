"""Flows whose exact solution is known everywhere, on meshes of tetrahedra with layers."""

from dataclasses import replace

import numpy as np
import pytest

import intaglio
from intaglio.flow.conditions import VELOCITY
from intaglio.flow.reading import read_flow
from intaglio.flow.solve import iterations, potential, problem_of
from tests.core.shapes import box, source

RHO, MU = 1.3, 0.05


def velocity(at):
    """Free of divergence; zero and constant nowhere."""
    x, y, z = at.T
    return np.stack([np.sin(x) * np.cos(y) * np.cos(z) + 0.5 * y,
                     np.cos(x) * np.sin(y) * np.cos(z),
                     -2.0 * np.cos(x) * np.cos(y) * np.sin(z)], 1)  # fmt: skip


def slope(at):
    """du_i/dx_j (k, 3, 3)."""
    x, y, z = at.T
    s, c = np.sin, np.cos
    return np.stack([
        np.stack([c(x) * c(y) * c(z), -s(x) * s(y) * c(z) + 0.5, -s(x) * c(y) * s(z)], 1),
        np.stack([-s(x) * s(y) * c(z), c(x) * c(y) * c(z), -c(x) * s(y) * s(z)], 1),
        np.stack([2 * s(x) * c(y) * s(z), 2 * c(x) * s(y) * s(z), -2 * c(x) * c(y) * c(z)], 1),
    ], 1)  # fmt: skip


def pressure(at):
    return np.cos(2.0 * at[:, 0]) * at[:, 1] + at[:, 2] ** 2


def force(at):
    """ρ (u·∇)u + ∇p − μ ∇²u."""
    x, y, z = at.T
    u = velocity(at)
    carried = np.einsum("kij,kj->ki", slope(at), u)
    pushed = np.stack([-2.0 * np.sin(2.0 * x) * y, np.cos(2.0 * x), 2.0 * z], 1)
    # all three parts have three times themselves as curvature, but what is linear
    spread = -3.0 * (u - np.stack([0.5 * y, 0 * y, 0 * y], 1))
    return RHO * carried + pushed - MU * spread


def test_the_manufactured_flow_is_one():
    """The force against differences of the field itself, and no divergence."""
    at, h = np.array([[0.3, 0.7, 0.2], [0.9, 0.1, 0.6]]), 1e-4
    step = np.eye(3) * h
    first = np.stack([(velocity(at + d) - velocity(at - d)) / (2 * h) for d in step], 2)
    np.testing.assert_allclose(first, slope(at), atol=1e-6)
    np.testing.assert_allclose(np.trace(first, axis1=1, axis2=2), 0.0, atol=1e-6)
    second = sum(velocity(at + d) - 2 * velocity(at) + velocity(at - d) for d in step) / h**2
    pushed = np.stack([(pressure(at + d) - pressure(at - d)) / (2 * h) for d in step], 1)
    exact = RHO * np.einsum("kij,kj->ki", first, velocity(at)) + pushed - MU * second
    np.testing.assert_allclose(force(at), exact, atol=1e-4)


def cube(size, folder):
    """The exported file of a cube of 1 m, meshed with this size and layers in its measure."""
    folder.mkdir()
    source(box(0, 0, 0, 1000, 1000, 1000), folder, "cube")
    layers = [{"patches": ["*"], "count": 3, "growth": 1.3, "total": 0.8 * size}]
    fluid = {"zones": ["*"], "is": "own_fluid", "density": RHO, "viscosity": MU}
    study = intaglio.open(folder / "cube.step", quiet=True).set(
        patches={"patches": [{"name": "wall", "kind": "wall", "faces": ["*"]}]},
        sizing={"largest": size, "smallest": size},
        layers={"layers": layers},
        case={"closure": "laminar", "materials": [fluid], "files": ["cgns"], "length": "m",
              "conditions": [{"patches": ["*"], "is": "no_slip"}]},
    )  # fmt: skip
    study.export(folder / "out")
    return folder / "out" / "mesh.cgns"


def errors(path):
    """Cells, and RMS errors of velocity and pressure."""
    given = read_flow(path)
    v = given.ops.volumes
    at_rim, size = velocity(v.rim.centre), np.linalg.norm(v.rim.area, axis=1)
    # what comes in by the middles of faces must leave by them to the last bit
    at_rim -= (at_rim * v.rim.area).sum() / (size**2).sum() * v.rim.area
    kind = np.full(len(v.rim.cell), VELOCITY, np.int8)
    held = replace(given.held, kind=kind, velocity=at_rim)
    problem = problem_of(given.ops, held, given.fluid, force(v.centroid))
    *_, (field, left) = iterations(problem, potential(problem), 300)
    assert left.worst < 1e-5
    off = field.velocity - velocity(v.centroid)
    p, exact = field.pressure, pressure(v.centroid)
    p, exact = (q - np.average(q, weights=v.volume) for q in (p, exact))
    shapes = np.bincount(given.mesh.shape, minlength=5)
    assert shapes[2:4].sum() > 0 or shapes.max() < shapes.sum()

    def mean(values):
        return float(np.sqrt(np.average(values, weights=v.volume)))

    return v.count, mean((off**2).sum(axis=1)), mean((p - exact) ** 2)


@pytest.mark.slow
def test_tetrahedra_with_layers_converge_by_nearly_second_order(tmp_path):
    made = [errors(cube(size, tmp_path / str(size))) for size in (200.0, 140.0, 100.0)]
    cells, speed, push = np.array(made).T
    finer = np.log(cells[1:] / cells[:-1]) / 3.0
    assert (np.log(speed[:-1] / speed[1:]) / finer > 1.6).all(), made
    assert np.log(push[0] / push[-1]) / finer.sum() > 1.3, made
