"""Flows with published measures: lengths behind a step and a cylinder, drag, through exported
files."""

from dataclasses import replace

import numpy as np
import pytest

from intaglio.flow.geometry import face_vectors
from intaglio.flow.results import along_line, patch_results
from intaglio.mesh.building import with_patches
from intaglio.mesh.mesh import Patch
from tests.core import any_cells
from tests.core.test_flow import RIGHT_OUT, WALLS, exported, solved

SIDES = {"front": "wall", "bottom": "symmetry", "top": "symmetry"}


def named(mesh, kinds):
    return replace(
        mesh, unit="m", patches=tuple(Patch(p.name, kinds[p.name]) for p in mesh.patches)
    )


def cylinder(around, out, far):
    """Half the plane around a cylinder of diameter 1, up to a radius."""

    def place(u):
        radius, angle = 0.5 * (2.0 * far) ** u[:, 1], np.pi * u[:, 0]
        return np.stack([-radius * np.cos(angle), radius * np.sin(angle), 0.1 * u[:, 2]], axis=1)

    unit = any_cells.hexahedra((around, out, 1), lambda u: u)
    kinds = {**SIDES, "left": "symmetry", "right": "symmetry", "back": "far_field"}
    return named(replace(unit, points=place(unit.points)), kinds)


@pytest.mark.slow
def test_the_flow_around_a_cylinder_at_40(tmp_path):
    """Drag and length of the wake from its rear, in diameters: S. C. R. Dennis, G.-Z. Chang,
    J. Fluid Mech. 42 (1970) 471: 1.522, 2.345; B. Fornberg, J. Fluid Mech. 98 (1980) 819: 1.498,
    2.24."""
    stream = {"patches": ["back"], "is": "stream", "velocity": [1, 0, 0], "pressure": 0.0}
    mesh = cylinder(64, 100, 40.0)
    done = solved(exported(mesh, tmp_path, [stream, WALLS], viscosity=1 / 40), 300)
    drag = patch_results(done.problem, done.field)["front"]["force"][0] / (0.5 * 0.1 * 0.5)
    assert drag == pytest.approx(1.522, rel=0.07) and drag == pytest.approx(1.498, rel=0.07)
    x = np.linspace(1.0, 5.0, 401)
    line = np.stack([x, 0 * x + 1e-6, 0 * x + 0.05], axis=1)
    speed = along_line(done.problem, done.field, line)[0][:, 0]
    wake = np.interp(0.0, speed, x) - 0.5
    assert wake == pytest.approx(2.24, rel=0.07) and wake == pytest.approx(2.345, rel=0.07)


def step(cells, ahead, behind):
    """A channel of height 1 that widens downwards to 2 at x = 0: blocks of squares, those before
    the step and below taken away."""
    nx, ny = round((ahead + behind) * cells), 2 * cells
    points, hexes = any_cells.block(
        (nx, ny, 1), lambda u: u * [ahead + behind, 2.0, 0.1] - [ahead, 1, 0]
    )
    middle = points[hexes].mean(axis=1)
    kept = hexes[(middle[:, 0] > 0) | (middle[:, 1] > 0)]
    used, cells_ = np.unique(kept, return_inverse=True)
    mesh = any_cells.of_hexahedra(points[used], cells_.reshape(kept.shape).astype(np.int32))
    # the step's own face looks as the inlet does, and is a wall
    centre = face_vectors(mesh)[1]
    patch = mesh.patch.copy()
    patch[(patch == 0) & (centre[:, 1] < 0)] = 2
    kinds = {**SIDES, "left": "inlet", "right": "outlet", "back": "wall"}
    patches = tuple(Patch(p.name, kinds[p.name]) for p in mesh.patches)
    return replace(with_patches(mesh, patch, patches), unit="m")


@pytest.mark.slow
@pytest.mark.parametrize(("number", "length"), [(100, 2.922), (200, 4.982)])
def test_the_flow_behind_a_step_lies_on_again_where_published(number, length, tmp_path):
    """Lengths in heights of a step that doubles the channel, Reynolds number on the inlet's
    hydraulic diameter as in B. F. Armaly, F. Durst, J. C. F. Pereira, B. Schönung, J. Fluid Mech.
    127 (1983) 473: E. Erturk, Computers & Fluids 37 (2008) 633, table 2, who agrees with what they
    measured."""
    mesh = step(14, 2.0, 14.0)
    enters = {"patches": ["left"], "is": "developed", "speed": 1.0}
    done = solved(exported(mesh, tmp_path, [enters, RIGHT_OUT, WALLS], viscosity=2.0 / number), 500)
    x = np.linspace(0.3, 13.0, 800)
    # where the flow along the floor turns
    floor = np.stack([x, 0 * x - 1.0 + 0.25 / 14, 0 * x + 0.05], axis=1)
    speed = along_line(done.problem, done.field, floor)[0][:, 0]
    at = np.flatnonzero((speed[:-1] < 0) & (speed[1:] >= 0))[-1]
    assert x[at] == pytest.approx(length, rel=0.07)
