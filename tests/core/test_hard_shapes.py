"""Figures of surface and volume meshes on hard shapes, moved at random; random shapes at large."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer

from intaglio.cad.measures import volume
from intaglio.errors import IntaglioError
from intaglio.mesh.validity import check
from intaglio.stages.volume import volume_mesh
from tests.core.hard_shapes import HARD, moved, sphere
from tests.core.shapes import box, cut, cylinder, fuse, run, source

# least angle, least dihedral angle, largest and mean skewness where the sizes forbid the figures
WIDE = {
    "thin slot": (14, 6, 0.92, 0.34), "pocket": (14, 6, 0.92, 0.34),
    "thin plate": (15, 4, 0.95, 0.55),
}  # fmt: skip
AS_IS = {"where": "as-is"}


def _mesh(shape, smallest, largest, folder, **more):
    sizing = {"smallest": smallest, "largest": largest, **more}
    given = {"domain": AS_IS, "sizing": sizing}
    return run(source(shape, folder), "volume", given)


@pytest.mark.slow
@pytest.mark.parametrize("number", range(len(HARD)), ids=list(HARD))
def test_hard_shapes_keep_the_figures(number, tmp_path):
    make, smallest, largest = list(HARD.values())[number]
    shape, scale = moved(make(), number)
    states, store = _mesh(shape, smallest * scale, largest * scale, tmp_path)
    surface, filled = states["surface"].report, states["volume"].report
    # diagonals swapped between nearly flat triangles shift the surface by almost nothing
    assert filled["volume"] == pytest.approx(surface["volume"], rel=1e-5)
    assert surface["volume"] == pytest.approx(volume(shape), rel=0.02)
    angles = surface["quality"]
    # one cell across, or edges longer than the slot is wide: there shapes are what they can be
    least_angle, least_dihedral, worst, mean = WIDE.get(list(HARD)[number], (20, 12, 0.85, 0.31))
    assert angles["smallest_angle"]["min"] >= least_angle
    product = store.get(str(states["volume"].key))
    quality = filled["quality"]
    assert quality["smallest_dihedral"]["min"] >= least_dihedral
    assert quality["equiangle_skewness"]["max"] <= worst
    assert quality["equiangle_skewness"]["mean"] <= mean
    assert quality["volume_ratio"]["max"] <= 12
    # the forecast is made before any mesh exists
    expected = states["sizing"].report["forecast"]["cells"]
    if list(HARD)[number] not in (*WIDE, "long channel"):
        assert expected == pytest.approx(filled["cells"], rel=0.2)
    assert (product.arrays["zone"] == 0).all()
    assert check(volume_mesh(product)) == []


def _random_shape(seed):
    rng = np.random.default_rng(seed)

    def primitive():
        at = rng.uniform(-1, 1, 3)
        kind = rng.integers(3)
        if kind == 0:
            return box(*at, *(at + rng.uniform(0.6, 2, 3)))
        if kind == 1:
            return sphere(at, rng.uniform(0.5, 1.2))
        return cylinder(at, rng.normal(size=3), rng.uniform(0.3, 0.8), rng.uniform(0.8, 2.5))

    shape = primitive()
    for _ in range(3):
        other = primitive()
        how = rng.integers(3)
        if how == 0:
            made = cut(shape, other)
        elif how == 1:
            made = fuse(shape, other)
        else:
            made = BRepAlgoAPI_Common(shape, other).Shape()
        if TopExp_Explorer(made, TopAbs_ShapeEnum.TopAbs_SOLID).More():
            shape = made
    return shape


@pytest.mark.slow
@pytest.mark.parametrize("chunk", range(4))
def test_random_shapes_are_meshed_or_the_trouble_is_named(chunk, tmp_path):
    """Eight random combinations each: a mesh that fills them, or a typed error with its reason."""
    done = 0
    for seed in range(8 * chunk, 8 * chunk + 8):
        shape = _random_shape(seed)
        try:
            states, _ = _mesh(shape, 0.09, 0.35, tmp_path)
        except IntaglioError as error:
            assert str(error) and error.code
            continue
        report = states["volume"].report
        kernel = states["domain"].report
        # nowhere further from the shape than a twentieth of the longest edge
        error = abs(report["volume"] - kernel["volume"])
        assert error <= 0.05 * 0.35 * kernel["area"], seed
        assert report["quality"]["smallest_dihedral"]["min"] > 0, seed
        done += 1
    assert done >= 6
