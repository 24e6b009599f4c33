"""Surface and volume meshes against closed forms and the CAD kernel."""

import numpy as np
import pytest

from intaglio.cad.measures import area, volume
from intaglio.cad.step import read_step
from intaglio.quality.cells import dihedral_angles, equiangle_skewness, tet_volumes
from intaglio.quality.triangles import triangle_angles
from intaglio.stages.volume import volume_mesh
from intaglio.triangles.closure import open_edges
from intaglio.triangles.measures import enclosed_volume, triangle_areas
from tests.core.shapes import SOLIDS, run, source

AS_IS = {"domain": {"where": "as-is"}, "sizing": {"cells": 40_000}}


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
