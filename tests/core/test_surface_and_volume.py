"""Surface and volume meshes against closed forms and the CAD kernel."""

import numpy as np
import pytest

from intaglio.cad.measures import area, volume
from intaglio.cad.step import read_step
from intaglio.facets.facets import enclosed_volume, open_edges, triangle_areas
from intaglio.mesh.validity import check
from intaglio.quality.cells import dihedral_angles, equiangle_skewness, tet_volumes
from intaglio.quality.triangles import triangle_angles
from intaglio.stages.volume import volume_mesh
from tests.core.shapes import SOLIDS, box, cut, cylinder, fuse, run, source

AS_IS = {"domain": {"where": "as-is"}}


@pytest.mark.parametrize("solid", SOLIDS, ids=lambda s: s.name)
def test_kernel_measures_agree_with_closed_forms(solid, tmp_path):
    source(solid.make(), tmp_path)
    part = read_step(tmp_path / "part.step")
    assert volume(part.shape) == pytest.approx(solid.volume, rel=1e-9)
    assert area(part.shape) == pytest.approx(solid.area, rel=1e-9)


@pytest.mark.parametrize("solid", SOLIDS, ids=lambda s: s.name)
def test_solid_to_valid_mesh(solid, tmp_path):
    states, store = run(source(solid.make(), tmp_path), "volume", AS_IS)
    surface = store.get(states["surface"].key)
    points, triangles = surface.arrays["points"], surface.arrays["triangles"]
    assert len(open_edges(triangles)) == 0
    # the mesh is inscribed: its volume tends to the closed form from chord errors alone
    assert enclosed_volume(points, triangles) == pytest.approx(solid.volume, rel=0.02)
    assert triangle_areas(points, triangles).sum() == pytest.approx(solid.area, rel=0.02)
    angles = triangle_angles(points, triangles)
    assert angles.min() > 20
    assert ((angles > 30) & (angles < 110)).mean() > 0.99
    mesh = volume_mesh(store.get(states["volume"].key))
    tets = mesh.tets
    volumes = tet_volumes(mesh.points, tets)
    assert (volumes > 0).all()
    # the cells fill what the surface mesh encloses
    rim = mesh.face_nodes.reshape(-1, 3)[mesh.neighbour < 0]
    within = enclosed_volume(mesh.points, rim)
    assert volumes.sum() == pytest.approx(within, rel=1e-9)
    assert within == pytest.approx(enclosed_volume(points, triangles), rel=1e-4)
    assert dihedral_angles(mesh.points, tets)[0].min() > 12
    assert equiangle_skewness(mesh.points, tets).max() < 0.85


@pytest.mark.slow
@pytest.mark.parametrize("solid", SOLIDS[1:4], ids=lambda s: s.name)
def test_surface_nodes_lie_on_the_exact_geometry(solid, tmp_path):
    states, store = run(source(solid.make(), tmp_path), "surface", AS_IS)
    p = store.get(states["surface"].key).arrays["points"]
    radius = np.hypot(p[:, 0], p[:, 1])
    off = {
        "cylinder": lambda: np.where(
            (np.abs(p[:, 2]) < 1e-9) | (np.abs(p[:, 2] - 5) < 1e-9), 0, radius - 1
        ),
        "sphere": lambda: np.linalg.norm(p, axis=1) - 1.5,
        "torus": lambda: np.hypot(radius - 3, p[:, 2]) - 1,
    }[solid.name]()
    assert np.abs(off).max() < 1e-6


HARD = {
    "thin slot": lambda: cut(box(0, 0, 0, 10, 10, 10), box(4.9, 2, 5, 5.1, 8, 10)),
    "pipes crossing at 20 degrees": lambda: fuse(
        cylinder((0, 0, 0), (1, 0, 0), 1, 10), cylinder((0, -1.5, 0), (0.94, 0.342, 0), 1, 10)
    ),
    "corner cut out": lambda: cut(box(0, 0, 0, 10, 10, 10), box(5, 5, -1, 11, 11, 11)),
    "hollow": lambda: cut(box(0, 0, 0, 10, 10, 10), box(3, 3, 3, 7, 7, 7)),
    "channel 1:100": lambda: box(0, 0, 0, 100, 1, 1),
}


@pytest.mark.parametrize("name", HARD)
def test_hard_shapes_become_valid_meshes(name, tmp_path):
    shape = HARD[name]()
    states, store = run(source(shape, tmp_path), "volume", AS_IS)
    product = store.get(states["volume"].key)
    mesh = volume_mesh(product)
    assert check(mesh) == []
    assert product.report["volume"] == pytest.approx(volume(shape), rel=0.02)
    assert product.report["quality"]["smallest_dihedral"]["min"] > 5


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(12))
def test_random_combinations_are_valid_or_refused_in_words(seed, tmp_path):
    """Random boolean combinations of primitives: a valid mesh, or an error that names a place."""
    from intaglio.errors import IntaglioError

    rng = np.random.default_rng(seed)
    shape = box(0, 0, 0, 10, 10, 10)
    for _ in range(rng.integers(1, 4)):
        at = rng.uniform(0, 10, 3)
        along = rng.normal(size=3)
        tool = (
            cylinder(tuple(at), tuple(along), rng.uniform(0.8, 2.5), rng.uniform(4, 14))
            if rng.random() < 0.6
            else box(*at, *(at + rng.uniform(1.5, 5, 3)))
        )
        shape = (cut if rng.random() < 0.5 else fuse)(shape, tool)
    given = {**AS_IS, "sizing": {"smallest": 0.25, "largest": 1.0}}
    try:
        states, _ = run(source(shape, tmp_path), "volume", given)
    except IntaglioError as error:
        assert error.message
        return
    assert states["volume"].report["volume"] == pytest.approx(volume(shape), rel=0.03)
