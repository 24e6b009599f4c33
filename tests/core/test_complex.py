"""Local changes of a complex keep volume and adjacency; surfaces that Delaunay lacks."""

import numpy as np
import pytest

from intaglio.errors import StepFailed
from intaglio.quality.cells import tet_volumes
from intaglio.sizing.octree import build_field
from intaglio.triangles.measures import enclosed_volume
from intaglio.volume.complex import FREE, N_POINTS, N_TETS, grown, live, place, star
from intaglio.volume.delaunay import delaunay_complex
from intaglio.volume.fill import fill
from intaglio.volume.flips import edge_ring, flip23, remove_edge
from intaglio.volume.improve import swap_pass
from intaglio.volume.insertion import INSERTED, REFUSED, insert_node
from intaglio.volume.ordering import in_order
from intaglio.volume.recover import SurfaceEdit, recover_surface
from intaglio.volume.shapes import least_sine, volume_length
from intaglio.volume.smoothing import smooth_pass


def _sound(cx):
    """Neighbours name each other and share three nodes."""
    m = int(cx.tally[N_TETS])
    for t in np.flatnonzero(cx.tets[:m, 0] != FREE):
        for i in range(4):
            code = cx.nbr[t, i]
            u, j = code >> 2, code & 3
            assert cx.nbr[u, j] == 4 * t + i
            assert cx.tets[u, 0] != FREE
            mine = set(cx.tets[t]) - {cx.tets[t, i]}
            assert mine == set(cx.tets[u]) - {cx.tets[u, j]}


def _complex(n=120, seed=0):
    cx, _ = delaunay_complex(np.random.default_rng(seed).random((n, 3)), room=200)
    cx = grown(cx, len(cx.tets) + 4000, len(cx.points))
    cx.zone[:] = 0
    return cx


def _volume(cx):
    v = tet_volumes(cx.points, cx.tets[live(cx)])
    assert (v > 0).all()
    return v.sum()


def test_face_swaps_keep_volume_and_adjacency():
    cx = _complex()
    before, count = _volume(cx), len(live(cx))
    done = sum(flip23(cx, t, 1, 0.0) for t in live(cx)[:200] if cx.tets[t, 0] >= 0)
    assert done > 10
    assert len(live(cx)) == count + done
    assert _volume(cx) == pytest.approx(before)
    _sound(cx)


def test_edge_removals_keep_volume_and_adjacency():
    cx = _complex(seed=1)
    before = _volume(cx)
    nodes, rows = np.empty(10, np.int32), np.empty(10, np.int32)
    done = 0
    for t in live(cx)[:150]:
        if cx.tets[t, 0] < 0:
            continue
        n = edge_ring(cx.tets, cx.nbr, cx.lock, t, 0, 1, nodes, rows)
        a, b = cx.tets[t, 0], cx.tets[t, 1]
        if n >= 3:
            for k in range(n):
                four = np.array([[a, b, nodes[k], nodes[(k + 1) % n]]])
                assert tet_volumes(cx.points, four)[0] > 0
        done += remove_edge(cx, t, 0, 1, 0.0)
    assert done > 5
    assert _volume(cx) == pytest.approx(before)
    _sound(cx)


def test_locked_faces_stay():
    cx = _complex(seed=2)
    inner = [t for t in live(cx) if all((cx.tets[cx.nbr[t, i] >> 2] >= 0).all() for i in range(4))]
    held = set()
    for t in inner[:40:4]:
        for i in range(4):
            code = cx.nbr[t, i]
            cx.lock[t] |= 1 << i
            cx.lock[code >> 2] |= 1 << (code & 3)
            held.add(tuple(sorted(set(cx.tets[t].tolist()) - {int(cx.tets[t, i])})))
    for t in live(cx):
        if cx.tets[t, 0] < 0:
            continue
        for i in range(4):
            if cx.tets[t, 0] >= 0:
                flip23(cx, t, i, 0.0)
        if cx.tets[t, 0] >= 0:
            remove_edge(cx, t, 0, 1, 0.0)
    for p in np.random.default_rng(9).uniform(0.2, 0.8, (60, 3)):
        v = int(cx.tally[N_POINTS])
        cx.points[v] = p
        if insert_node(cx, v, int(cx.tally[3]), 0.0) == INSERTED:
            cx.tally[N_POINTS] += 1
    _volume(cx)
    _sound(cx)
    now = {
        tuple(sorted(set(cx.tets[t].tolist()) - {int(cx.tets[t, i])}))
        for t in live(cx)
        for i in range(4)
    }
    assert held <= now


def test_a_point_too_near_is_refused():
    cx = _complex()
    v = int(cx.tally[N_POINTS])
    cx.points[v] = cx.points[5] + 1e-4
    assert insert_node(cx, v, int(cx.tally[3]), 0.05) == REFUSED
    assert insert_node(cx, v, int(cx.tally[3]), 0.0) == INSERTED


def test_star_and_place():
    cx = _complex()
    out = np.empty(4096, np.int32)
    for v in range(20):
        n = star(cx, v, out)
        m = int(cx.tally[N_TETS])
        rows = np.flatnonzero((cx.tets[:m] == v).any(axis=1) & (cx.tets[:m, 0] != FREE))
        assert set(out[:n]) == set(rows)
        assert all(place(cx.tets, t, v) >= 0 for t in out[:n])
    assert star(cx, 0, np.empty(2, np.int32)) == -1


def test_improvement_only_improves():
    cx = _complex(300, 4)
    free = np.ones(len(cx.points), bool)
    hull = {int(v) for t in range(cx.tally[N_TETS]) if -1 in cx.tets[t] for v in cx.tets[t]}
    free[[v for v in hull if v >= 0]] = False
    for t in range(cx.tally[N_TETS]):
        if (cx.tets[t] < 0).any():
            cx.zone[t] = -1
            for i in range(4):
                if cx.tets[t, i] < 0:
                    code = cx.nbr[t, i]
                    cx.lock[t] |= 1 << i
                    cx.lock[code >> 2] |= 1 << (code & 3)

    def worst():
        return min(volume_length(cx.points, *cx.tets[t]) for t in live(cx))

    before, volume = worst(), _volume(cx)
    for _ in range(4):
        active = np.ones(len(cx.points), bool)
        swap_pass(cx, 0.7, active, active)
        smooth_pass(cx, free, active, active.copy(), 2, 0.7)
    assert worst() >= before - 1e-12
    assert _volume(cx) == pytest.approx(volume)
    _sound(cx)


def test_shape_measures_of_known_tetrahedra():
    regular = np.array([[1, 1, 1], [1, -1, -1], [-1, 1, -1], [-1, -1, 1]], float)[[1, 0, 2, 3]]
    assert volume_length(regular, 0, 1, 2, 3) == pytest.approx(1.0)
    assert volume_length(regular, 1, 0, 2, 3) == pytest.approx(-1.0)
    assert least_sine(regular, 0, 1, 2, 3) == pytest.approx(np.sin(np.arccos(1 / 3)))
    flat = regular.copy()
    flat[3] = flat[:3].mean(axis=0)
    assert volume_length(flat, 0, 1, 2, 3) == pytest.approx(0.0, abs=1e-12)


def _schoenhardt(turn=np.pi / 6):
    """E. Schönhardt's twisted prism (1928): no tetrahedra fill it without a further point."""
    corner = np.radians([90, 210, 330])
    low = np.stack([np.cos(corner), np.sin(corner), np.zeros(3)], 1)
    high = np.stack([np.cos(corner + turn), np.sin(corner + turn), np.ones(3)], 1)
    triangles = [[0, 2, 1], [3, 4, 5]]
    for i in range(3):
        j = (i + 1) % 3
        triangles += [[i, j, 3 + i], [j, 3 + j, 3 + i]]
    # turned towards the reflex diagonals
    points = np.concatenate([low, high])
    faces = np.array(triangles, np.int32)
    return points, faces


def _coarse(points, h=5.0):
    low, high = points.min(axis=0), points.max(axis=0)
    return build_field(points[:1], np.array([h]), h, 1.5, low, high)


@pytest.mark.parametrize("turn", [30, -30, 20, -50])
def test_the_twisted_prism_is_filled(turn):
    points, triangles = _schoenhardt(np.radians(turn))
    volume = enclosed_volume(points, triangles)
    region = np.arange(len(triangles), dtype=np.int32)
    out = fill(points, triangles, region, _coarse(points))
    v = tet_volumes(out.points, out.tets)
    assert (v > 0).all()
    assert v.sum() == pytest.approx(volume, rel=1e-9)
    # each final triangle lies within the one it came from
    a, b, c = (points[triangles[out.origin]][:, k] for k in range(3))
    normal = np.cross(b - a, c - a)
    off = np.einsum("kij,kj->ki", out.points[out.triangles] - a[:, None], normal)
    assert np.abs(off).max() < 1e-9


def test_crossing_surfaces_are_refused_with_places():
    cube = np.array([[(k >> i) & 1 for i in range(3)] for k in range(8)], float)
    faces = np.array(
        [
            [0, 2, 1], [1, 2, 3], [4, 5, 6], [5, 7, 6], [0, 1, 4], [1, 5, 4],
            [2, 6, 3], [3, 6, 7], [0, 4, 2], [2, 4, 6], [1, 3, 5], [3, 7, 5],
        ],
        np.int32,
    )  # fmt: skip
    points = np.concatenate([cube, cube * 0.8 + [0.55, 0.13, 0.07]])
    triangles = np.concatenate([faces, faces + 8])
    with pytest.raises(StepFailed) as caught:
        fill(points, triangles, np.arange(24, dtype=np.int32), _coarse(points))
    assert caught.value.code in ("surface-not-recovered", "leak")


def test_nodes_that_coincide_are_refused_with_their_place():
    points, triangles = _schoenhardt()
    doubled = np.concatenate([points, points + np.array([5.0, 0, 0])])
    doubled[6] = doubled[0]
    both = np.concatenate([triangles, triangles + 6])
    with pytest.raises(StepFailed) as caught:
        fill(doubled, both, np.arange(len(both), dtype=np.int32), _coarse(doubled))
    assert caught.value.code == "repeated-points" and len(caught.value.places) == 1


def test_a_surface_edit_keeps_its_edges():
    points, triangles = _schoenhardt()
    edit = SurfaceEdit(triangles)
    edit.split(0, 1, 6)
    array = edit.triangles
    assert len(array) == len(triangles) + 2
    assert len(edit.edges()) == len(points) - 1 + len(array)  # Euler: V + F - 2, one node more
    assert edit.origin[-1] in (0, 2)


def test_recovery_across_flat_sides_keeps_the_volume():
    points, triangles = _schoenhardt(0.0)
    box = np.array([[(k >> i) & 1 for i in range(3)] for k in range(8)]) * 8.0 - 3.0
    cx, _ = delaunay_complex(np.concatenate([points, box]))
    found = recover_surface(cx, triangles, np.arange(len(triangles), dtype=np.int32))
    # the straight prism's sides are flat squares: the complex may hold their other diagonals
    assert found.splits <= 3
    assert enclosed_volume(found.complex.points, found.triangles) == pytest.approx(
        enclosed_volume(points, triangles), rel=1e-12
    )


def test_order_keeps_the_complex_and_puts_near_nodes_near():
    cx = _complex(3000, 5)
    # some rows freed, some locks, some tetrahedra of no zone
    for t in live(cx)[:300]:
        if cx.tets[t, 0] >= 0:
            flip23(cx, t, 2, 0.0)
    rows = live(cx)
    cx.lock[rows[::7]] |= 2
    cx.zone[rows[::5]] = -1
    first = 1000
    before = cx.points.copy()

    def told():
        """Every tetrahedron by the places of its nodes, turned as it is, with lock and zone."""
        return sorted(
            (*cx.points[cx.tets[t]].ravel().tolist(), int(cx.lock[t]), int(cx.zone[t]))
            for t in live(cx)
        )

    held, n = told(), int(cx.tally[N_POINTS])
    ahead = np.abs(np.diff(cx.points[first:n], axis=0)).sum()
    cx = in_order(cx, first)
    assert told() == held and cx.tally[1] == 0
    _sound(cx)
    np.testing.assert_array_equal(cx.points[:first], before[:first])
    assert {tuple(p) for p in cx.points[first:n]} == {tuple(p) for p in before[first:n]}
    assert np.abs(np.diff(cx.points[first:n], axis=0)).sum() < 0.3 * ahead
    out = np.empty(4096, np.int32)
    assert all(star(cx, v, out) > 3 and (cx.tets[out[0]] == v).any() for v in range(n))
    zone = cx.zone[live(cx)]
    assert (np.diff((zone < 0).astype(int)) >= 0).all()
