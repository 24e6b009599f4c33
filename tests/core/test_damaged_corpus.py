"""Two hundred and forty seeded, damaged scans: each closes, or its findings name the damage."""

import resource
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from intaglio.errors import FileRejected
from intaglio.facets.part import FacetPart, joined, kept
from intaglio.formats.stl import stl_bytes
from intaglio.parts.operations import check_operations
from intaglio.parts.source import Source
from intaglio.stages.geometry.settings import Geometry
from intaglio.stages.geometry.step import geometry_step
from tests.core.scans import as_trimesh, fine_box, gapped, part_of, sphere

SHAPES = (
    lambda: sphere(fine=3),
    lambda: fine_box(edge=2.0),
    lambda: part_of(trimesh.creation.torus(8.0, 3.0, major_sections=48, minor_sections=24)),
    lambda: part_of(trimesh.creation.capsule(12.0, 4.0, count=(24, 24))),
    lambda: part_of(trimesh.creation.annulus(4.0, 7.0, 20.0).subdivide_to_size(3.0)),
)
# what each kind of damage must be told as, by one of these codes
TOLD = {
    "hole": {"holes", "free-edges", "gaps"},
    "flip": {"mixed-normals", "inverted"},
    "copy": {"duplicate-faces"},
    "gap": {"gaps"},
    "spike": {"spikes", "self-crossing", "overlapping-bodies", "high-curvature"},
    "cut": {"cut-short"},
    "debris": {"loose-pieces"},
    "inside out": {"inverted"},
}


def _hole(part: FacetPart, rng) -> FacetPart:
    middle = part.points[part.triangles].mean(axis=1)
    at = middle[rng.integers(len(middle))]
    gone = np.linalg.norm(middle - at, axis=1) < rng.uniform(0.5, 3.0)
    gone[rng.integers(len(gone))] = True
    return kept(part, ~gone)


def _flip(part: FacetPart, rng) -> FacetPart:
    which = rng.choice(len(part.triangles), rng.integers(1, 30), replace=False)
    triangles = part.triangles.copy()
    triangles[which] = triangles[which][:, ::-1]
    return replace(part, triangles=triangles)


def _copy(part: FacetPart, rng) -> FacetPart:
    which = np.zeros(len(part.triangles), bool)
    which[rng.choice(len(which), rng.integers(1, 20), replace=False)] = True
    return joined([part, kept(part, which)])


def _gap(part: FacetPart, rng) -> FacetPart:
    return gapped(part, rng.uniform(0.01, 0.15))


def _spike(part: FacetPart, rng) -> FacetPart:
    points = part.points.copy()
    mesh = as_trimesh(part)
    for v in rng.permutation(len(points)):
        ring = np.unique(part.triangles[(part.triangles == v).any(axis=1)])
        wide = np.linalg.norm(points[ring] - points[v], axis=1).max()
        if wide < 0.08 * np.linalg.norm(np.ptp(points, axis=0)):
            break
    points[v] += mesh.vertex_normals[v] * rng.uniform(5.0, 9.0) * wide
    return replace(part, points=points)


def _debris(part: FacetPart, rng) -> FacetPart:
    return joined([part, sphere(0.1, fine=1, at=(40, *rng.uniform(-5, 5, 2)))])


def _inside_out(part: FacetPart, rng) -> FacetPart:
    return replace(part, triangles=part.triangles[:, ::-1].copy())


DAMAGE = {
    "hole": _hole,
    "flip": _flip,
    "copy": _copy,
    "gap": _gap,
    "spike": _spike,
    "cut": lambda part, rng: part,
    "debris": _debris,
    "inside out": _inside_out,
}
REPAIRS = [
    {"do": "drop_duplicates"},
    {"do": "sew", "tolerance": 0.25},
    {"do": "drop_spikes"},
    {"do": "drop_fins"},
    {"do": "unify_normals"},
    {"do": "cap"},
    {"do": "untangle"},
    {"do": "unify_normals"},
    {"do": "drop_pieces", "smaller": 0.5},
]
PER_CHUNK = 24


def _file(kinds: list[str], shape: int, rng) -> bytes:
    part = SHAPES[shape]()
    for kind in kinds:
        part = DAMAGE[kind](part, rng)
    # single precision, as an STL file is
    data = stl_bytes(part.points, part.triangles, "damaged")
    if "cut" in kinds:
        data = data[: int(len(data) * rng.uniform(0.2, 0.95))]
    return data


@pytest.mark.slow
@pytest.mark.parametrize("chunk", range(10))
def test_damage_is_named_and_mostly_closed(chunk):
    closed = 0
    for n in range(PER_CHUNK):
        seed = 1000 * chunk + n
        rng = np.random.default_rng(seed)
        kinds = list(rng.choice(list(DAMAGE), rng.integers(1, 3), replace=False))
        data = _file(kinds, seed % len(SHAPES), rng)
        source = Source("damaged.stl", data)
        try:
            told = geometry_step(Geometry(unit="mm"), source, lambda share, doing: None).report
        except FileRejected as error:
            assert "cut" in kinds and error.message
            continue
        codes = {f["code"] for f in told["findings"]}
        for kind in kinds if len(kinds) == 1 else []:
            assert codes & TOLD[kind], (seed, kinds, codes)
        assert codes, (seed, kinds)
        settings = Geometry(unit="mm", repairs=check_operations("r", "repairs", REPAIRS, {}))
        after = geometry_step(settings, source, lambda share, doing: None).report
        if after["closed"]:
            closed += 1
            assert after["volume"] > 0, (seed, kinds)
        else:
            assert any(f["level"] == "error" for f in after["findings"]), (seed, kinds)
    assert closed >= 0.7 * PER_CHUNK
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    assert peak < 4e9
