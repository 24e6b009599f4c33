"""Materials, similarity and profiles, against tables and worked examples of textbooks."""

import math

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.spatial import Delaunay

from intaglio.case.materials import MATERIALS, properties, water
from intaglio.case.profile import laminar_profile, over_faces, turbulent_profile
from intaglio.case.similarity import (
    entrance_length,
    mach,
    pipe_intensity,
    reynolds,
    speed_for,
    turbulence,
    viscosity_for,
)
from intaglio.errors import SettingRejected

# Incropera and DeWitt, table A.6: °C, 1000/ρ·, μ, cp, k; CRC Handbook: speed of sound
WATER = [
    (6.85, 1.000e-3, 1422e-6, 4198, 0.582),
    (16.85, 1.001e-3, 1080e-6, 4184, 0.598),
    (26.85, 1.003e-3, 855e-6, 4179, 0.613),
    (46.85, 1.011e-3, 577e-6, 4180, 0.640),
    (76.85, 1.027e-3, 365e-6, 4195, 0.668),
    (96.85, 1.041e-3, 289e-6, 4214, 0.679),
]
# the same, table A.4: K, ρ, μ, cp, k
AIR = [
    (250, 1.3947, 159.6e-7, 1006, 22.3e-3),
    (300, 1.1614, 184.6e-7, 1007, 26.3e-3),
    (400, 0.8711, 230.1e-7, 1014, 33.8e-3),
    (500, 0.6964, 270.1e-7, 1030, 40.7e-3),
]


@pytest.mark.parametrize("celsius, volume, viscosity, heat, conductivity", WATER)
def test_water_is_that_of_the_table(celsius, volume, viscosity, heat, conductivity):
    own = properties("x", "water", celsius)
    assert own.density == pytest.approx(1.0 / volume, rel=1e-3)
    assert own.viscosity == pytest.approx(viscosity, rel=0.02)
    assert own.heat_capacity == pytest.approx(heat, rel=1e-3)
    assert own.conductivity == pytest.approx(conductivity, rel=0.02)


def test_water_at_twenty_degrees_to_all_digits_of_the_standard_values():
    own = water(20.0)
    assert own.density == pytest.approx(998.206, abs=5e-3)
    assert own.viscosity == pytest.approx(1.002e-3, rel=1e-6)
    assert own.sound == pytest.approx(1482.34, abs=0.1)


@pytest.mark.parametrize("kelvin, density, viscosity, heat, conductivity", AIR)
def test_air_is_that_of_the_table(kelvin, density, viscosity, heat, conductivity):
    own = properties("x", "air", kelvin - 273.15)
    # the table's density is at the same pressure, of real air
    assert own.density == pytest.approx(density, rel=0.015)
    assert own.viscosity == pytest.approx(viscosity, rel=0.015)
    assert own.heat_capacity == pytest.approx(heat, rel=1e-3)
    assert own.conductivity == pytest.approx(conductivity, rel=0.015)
    assert own.prandtl == pytest.approx(0.7, abs=0.03)


def test_sea_water_is_that_of_the_towing_tanks():
    # ITTC recommended procedures 7.5-02-01-03, 35 g/kg: density and kinematic viscosity
    for celsius, density, kinematic in (
        (5.0, 1027.7, 1.5635e-6),
        (15.0, 1026.0, 1.1892e-6),
        (25.0, 1023.6, 0.9402e-6),
    ):
        own = properties("x", "sea_water", celsius)
        assert own.density == pytest.approx(density, rel=1e-3)
        assert own.viscosity / own.density == pytest.approx(kinematic, rel=0.01)
    assert own.heat_capacity == pytest.approx(3995, rel=0.01)


def test_the_mixture_lies_between_its_parts():
    for celsius in (5.0, 20.0, 60.0, 90.0):
        mixed, one, two = (
            properties("x", key, celsius) for key in ("glycol_mixture", "water", "glycol")
        )
        for name in ("density", "viscosity", "heat_capacity", "conductivity"):
            low, high = sorted((getattr(one, name), getattr(two, name)))
            assert low < getattr(mixed, name) < high
    # half by mass at 20 °C
    assert properties("x", "glycol_mixture", 20.0).viscosity == pytest.approx(4.0e-3, rel=0.05)


def test_what_the_library_does_not_know_is_refused():
    with pytest.raises(SettingRejected, match=r"0 to 100 °C"):
        properties("case.materials", "water", 120.0)
    with pytest.raises(SettingRejected, match="water, sea_water"):
        properties("case.materials", "mercury", 20.0)
    for material in MATERIALS:
        for celsius in (material.least, material.most):
            own = properties("x", material.key, celsius)
            assert own.density > 0 and own.heat_capacity > 0 and own.conductivity > 0
            assert (own.viscosity > 0) == (material.kind == "fluid")


def test_reynolds_and_back():
    # White, Fluid Mechanics, example 6.1 kind: 2 m/s of water in a bore of 25 mm, ν = 1.0038e-6
    number = reynolds(998.2, 2.0, 0.025, 1.002e-3)
    assert number == pytest.approx(2 * 0.025 / 1.0038e-6, rel=1e-3)
    assert reynolds(998.2, -2.0, 0.025, 1.002e-3) == number
    assert speed_for(number, 998.2, 0.025, 1.002e-3) == pytest.approx(2.0, rel=1e-12)
    assert viscosity_for(number, 998.2, 2.0, 0.025) == pytest.approx(1.002e-3, rel=1e-12)
    assert mach(-34.3, 343.0) == pytest.approx(0.1)


def test_turbulence_of_an_inlet_hangs_together():
    # 10 m/s, 5 %, eddies of 7 mm: k = 1.5 · 0.25
    t = turbulence(10.0, 0.05, 0.007)
    assert t.energy == pytest.approx(0.375, rel=1e-12)
    assert t.dissipation == pytest.approx(0.09**0.75 * 0.375**1.5 / 0.007, rel=1e-12)
    # two ways to the same eddy viscosity: Cμ k²/ε and k/ω
    assert t.eddy_viscosity == pytest.approx(0.09 * t.energy**2 / t.dissipation, rel=1e-12)
    assert t.eddy_viscosity == pytest.approx(t.energy / t.rate, rel=1e-12)
    assert turbulence(0.0, 0.05, 0.007).eddy_viscosity == 0.0
    # Re = 1e5: 0.16 · 1e5^(-1/8) = 3.8 %
    assert pipe_intensity(1e5) == pytest.approx(0.0379, abs=1e-4)
    # White, 6.2: laminar at 2000 120 diameters; turbulent at 1e5 30
    assert entrance_length(2000) == pytest.approx(120)
    assert entrance_length(1e5) == pytest.approx(30, rel=0.01)


def disc(rings, inner=0.0):
    """A disc of radius 1, perhaps with a hole, in triangles; nodes, triangles, those on walls."""
    points = [(0.0, 0.0)] if inner == 0 else []
    first = 1 if inner == 0 else 0
    for k in range(first, rings + 1):
        r = inner + (1 - inner) * k / rings
        count = 6 * rings if inner else 6 * k
        turn = 2 * np.pi * (np.arange(count) + 0.5 * (k % 2)) / count
        points += list(zip(r * np.cos(turn), r * np.sin(turn), strict=True))
    p = np.array(points)
    t = Delaunay(p).simplices
    if inner:
        t = t[np.linalg.norm(p[t].mean(axis=1), axis=1) > inner]
    radius = np.linalg.norm(p, axis=1)
    wall = (radius > 1 - 1e-9) | ((inner > 0) & (radius < inner + 1e-9))
    return np.column_stack([p, np.zeros(len(p))]), t.astype(np.int32), wall


def test_a_laminar_profile_in_a_pipe_is_the_parabola():
    errors = []
    for rings in (10, 20, 40):
        points, triangles, wall = disc(rings)
        speed = laminar_profile(points, triangles, wall)
        exact = 2.0 * (1.0 - (points**2).sum(axis=1))
        errors.append(np.abs(speed - exact).max())
    assert errors[-1] < 2e-3
    # of second order
    assert errors[1] < errors[0] / 3 and errors[2] < errors[1] / 3


def test_a_laminar_profile_between_two_pipes():
    # White, Viscous Fluid Flow, 3-3.3: u ~ 1 - r² + (b² - 1) ln r / ln b
    inner = 0.4
    points, triangles, wall = disc(40, inner)
    speed = laminar_profile(points, triangles, wall)

    def shape(r):
        return 1.0 - r**2 + (inner**2 - 1.0) * np.log(r) / np.log(inner)

    mean = quad(lambda r: shape(r) * 2 * r, inner, 1.0)[0] / (1 - inner**2)
    exact = shape(np.linalg.norm(points, axis=1)) / mean
    assert np.abs(speed - exact).max() < 5e-3


def test_a_square_duct_and_its_half_with_a_plane_of_symmetry():
    x = np.linspace(0, 1, 81)
    a, b = np.meshgrid(x, x)
    points = np.column_stack([a.ravel(), b.ravel(), np.zeros(a.size)])
    triangles = Delaunay(points[:, :2]).simplices.astype(np.int32)
    rim = (np.abs(points[:, :2] - 0.5) > 0.5 - 1e-9).any(axis=1)
    # Shah and London: the largest over the mean is 2.0962
    whole = laminar_profile(points, triangles, rim)
    assert whole.max() == pytest.approx(2.0962, rel=2e-3)
    half = points * [0.5, 1, 1]
    open_side = half[:, 0] > 0.5 - 1e-9
    walls = rim & ~(open_side & (half[:, 1] > 1e-9) & (half[:, 1] < 1 - 1e-9))
    assert laminar_profile(half, triangles, walls).max() == pytest.approx(2.0962, rel=2e-3)


def test_a_turbulent_profile_is_flatter_and_flatter():
    points, triangles, wall = disc(60)
    largest = []
    for number, n in ((4e3, 6.0), (1.1e5, 7.0), (2e6, 10.0)):
        speed = turbulent_profile(points, triangles, wall, number)
        assert (speed[wall] == 0).all()
        # largest over mean of the power law in a pipe: (n+1)(2n+1)/(2n²)
        assert speed.max() == pytest.approx((n + 1) * (2 * n + 1) / (2 * n * n), rel=0.02)
        largest.append(speed.max())
    assert largest == sorted(largest, reverse=True)


def test_without_walls_the_profile_is_even():
    points, triangles, wall = disc(6)
    none = np.zeros(len(wall), bool)
    for speed in (
        laminar_profile(points, triangles, none),
        turbulent_profile(points, triangles, none, 1e5),
    ):
        assert speed == pytest.approx(np.ones(len(points)))


def test_over_faces_the_mean_is_kept():
    points, triangles, wall = disc(20)
    speed = laminar_profile(points, triangles, wall)
    p = points[triangles]
    areas = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    face = np.arange(len(triangles)) // 2
    of_face = over_faces(speed, triangles, areas, face, int(face.max()) + 1)
    size = np.bincount(face, areas)
    assert (of_face * size).sum() / size.sum() == pytest.approx(1.0, rel=1e-12)
    assert math.isclose(size.sum(), np.pi, rel_tol=5e-3)
