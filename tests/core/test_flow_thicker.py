"""What drives a flow, and by how much thicker its fluid is to be so that it is laminar."""

import numpy as np
import pytest

from intaglio.flow.conditions import PRESSURE, RATE, TOTAL, VELOCITY, WALL, Conditions
from intaglio.flow.geometry import volumes_of
from intaglio.flow.momentum import Fluid
from intaglio.flow.thickening import LAMINAR, fastest, times_thicker
from tests.core.any_cells import flat_sided, hexahedra

DENSITY = 800.0


@pytest.fixture(scope="module")
def volumes():
    mesh = hexahedra((4, 4, 4), flat_sided)
    return volumes_of(mesh, 1.0, np.ones(mesh.cells, bool))


def driven(volumes, kind, patch_axis=0, **given):
    """Conditions with a kind on the low side of an axis, and walls elsewhere."""
    r = volumes.rim
    b = len(r.cell)
    at = r.area[:, patch_axis] < -0.5 * np.linalg.norm(r.area, axis=1)
    values = {"velocity": np.zeros((b, 3)), "pressure": np.zeros(b), "rate": np.zeros(b)}
    for name, value in given.items():
        values[name][at] = value
    kinds = np.where(at, kind, WALL).astype(np.int8)
    area = float(np.linalg.norm(r.area[at], axis=1).sum())
    return Conditions(kinds, **values, patch=at.astype(np.int64), names=("wall", "in")), area


def fluid(volumes, viscosity=1.0):
    return Fluid(np.full(volumes.count, DENSITY), np.full(volumes.count, viscosity))


def test_what_is_given_tells_the_fastest_speed(volumes):
    held, _ = driven(volumes, VELOCITY, velocity=[0.0, 3.0, -4.0])
    assert fastest(volumes, held, fluid(volumes)) == pytest.approx(5.0)
    held, area = driven(volumes, RATE, rate=-6.0)
    assert fastest(volumes, held, fluid(volumes)) == pytest.approx(6.0 / (DENSITY * area))


@pytest.mark.parametrize("kind", [PRESSURE, TOTAL])
def test_pressures_drive_by_their_difference(volumes, kind):
    held, _ = driven(volumes, kind, pressure=900.0)
    # one level alone drives nothing
    assert fastest(volumes, held, fluid(volumes)) == 0.0
    held.kind[np.flatnonzero(held.kind == WALL)[0]] = PRESSURE
    assert fastest(volumes, held, fluid(volumes)) == pytest.approx((2 * 900.0 / DENSITY) ** 0.5)


def test_a_fluid_gets_just_as_thick_as_it_must(volumes):
    held, _ = driven(volumes, VELOCITY, velocity=[2.0, 0.0, 0.0])
    surface = float(np.linalg.norm(volumes.rim.area, axis=1).sum())
    length = 4.0 * float(volumes.volume.sum()) / surface
    limit = DENSITY * 2.0 * length / LAMINAR
    assert times_thicker(volumes, held, fluid(volumes, limit / 7.0)) == pytest.approx(7.0)
    assert times_thicker(volumes, held, fluid(volumes, 2.0 * limit)) == 1.0
