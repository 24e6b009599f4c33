"""A mesh of two zones in files: the standard's checker, and what is read back."""

import subprocess

import numpy as np
import pytest

from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.mesh.building import tet_mesh
from intaglio.mesh.mesh import Patch, Zone
from intaglio.mesh.validity import check
from intaglio.quality.cells import tet_volumes
from intaglio.quality.report import patch_rows
from intaglio.remeshing.remesh import remesh
from intaglio.sizing.octree import build_field
from intaglio.volume.fill import fill
from tests.core.test_surface_changes import _two_boxes


@pytest.fixture(scope="module")
def mesh():
    facets, curves, sides = _two_boxes()
    low, high = facets.points.min(axis=0), facets.points.max(axis=0)
    field = build_field(facets.points, np.full(len(facets.points), 0.3), 0.3, 1.2, low, high)
    out = remesh(facets, curves, field)
    made = fill(out.points, out.triangles, out.region, field, sides=sides[out.region])
    patch_of_region = np.array([0, 1, 2] + [3] * 8, np.int32)
    patches = (
        Patch("inlet", "inlet"),
        Patch("middle", "interface"),
        Patch("outlet", "outlet"),
        Patch("wall", "wall"),
    )
    return tet_mesh(
        made.points,
        made.tets,
        made.triangles,
        patch_of_region[out.region[made.origin]],
        patches,
        made.zone,
        (Zone("water"), Zone("steel", "solid")),
    )


def test_the_interface_is_a_patch_between_two_cells(mesh):
    assert check(mesh) == []
    inner = (mesh.patch == 1) & (mesh.neighbour >= 0)
    assert inner.sum() == (mesh.patch == 1).sum() > 10
    assert (mesh.zone[mesh.owner[inner]] != mesh.zone[mesh.neighbour[inner]]).all()
    rows = {r["name"]: r for r in patch_rows(mesh)}
    assert rows["middle"]["area"] == pytest.approx(1.0)
    assert rows["wall"]["area"] == pytest.approx(8.0)


def test_an_interface_without_a_patch_is_an_error(mesh):
    patch = np.where(mesh.patch == 1, -1, mesh.patch)
    from dataclasses import replace

    assert [f.code for f in check(replace(mesh, patch=patch))] == ["no-patch"]


def test_a_volume_in_the_wrong_zone_is_an_error(mesh):
    from dataclasses import replace

    zone = mesh.zone.copy()
    zone[np.flatnonzero(zone == 0)[0]] = 1
    found = {f.code for f in check(replace(mesh, zone=zone))}
    assert "no-patch" in found


def test_the_checker_accepts_zones_and_their_connectivity(mesh, tmp_path):
    path = tmp_path / "mesh.cgns"
    write_cgns(mesh, path)
    done = subprocess.run(["cgnscheck", str(path)], capture_output=True, text=True, check=False)
    told = done.stdout + done.stderr
    assert "checking complete" in told
    assert "WARNING" not in told.upper() and "ERROR" not in told.upper(), told
    again = read_cgns(path)
    assert [z.name for z in again.zones] == ["water", "steel"]
    for zone in (0, 1):
        volume = tet_volumes(again.points, again.tets)[again.zone == zone].sum()
        assert volume == pytest.approx(1.0, rel=1e-12)
    assert {p.name for p in again.patches} == {"inlet", "middle", "outlet", "wall"}
