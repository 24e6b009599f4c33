"""The walk and the cavity against rational arithmetic over all cells; what insertion refuses."""

from fractions import Fraction
from itertools import permutations

import numpy as np
import pytest

from intaglio.quality.cells import tet_volumes
from intaglio.volume.cavity import BLOCKED, NOTHING, dig, empty_cavity, number_shell, walk
from intaglio.volume.complex import FACE, FREE, N_POINTS, N_TETS, STAMP, grown, live
from intaglio.volume.delaunay import delaunay_complex
from intaglio.volume.insertion import DUPLICATE, INSERTED, REFUSED, insert_node, insert_range

FAR = 10_000


def _determinant(rows):
    """Exact determinant by the sum over permutations."""
    n = len(rows)
    total = Fraction(0)
    for order in permutations(range(n)):
        sign = 1
        for i in range(n):
            for j in range(i):
                sign = -sign if order[j] > order[i] else sign
        product = Fraction(sign)
        for i in range(n):
            product *= rows[i][order[i]]
        total += product
    return total


def _rational(point):
    return [Fraction(float(x)) for x in point]


def _volume_sign(a, b, c, d):
    d = _rational(d)
    rows = [[x - y for x, y in zip(_rational(p), d, strict=True)] for p in (a, b, c)]
    # rows a-d, b-d, c-d: positive volume has a negative determinant
    value = -_determinant(rows)
    return (value > 0) - (value < 0)


def _holds(points, four, v):
    """Whether the point lies in a tetrahedron or on it."""
    a, b, c, d = points[four]
    p = points[v]
    turned = ((p, b, c, d), (a, p, c, d), (a, b, p, d), (a, b, c, p))
    return all(_volume_sign(*rows) >= 0 for rows in turned)


def _in_sphere(points, four, v):
    """Whether the point lies inside the sphere of a positive tetrahedron."""
    p = _rational(points[v])
    rows = []
    for node in four:
        d = [x - y for x, y in zip(_rational(points[node]), p, strict=True)]
        rows.append([*d, sum(x * x for x in d)])
    return _determinant(rows) < 0


def test_the_rational_signs_themselves():
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [0.5, 0.5, 0.5], [2, 2, 2.0]])
    assert _volume_sign(*corners[:4]) == 1 and _volume_sign(*corners[[1, 0, 2, 3]]) == -1
    assert _in_sphere(corners, [0, 1, 2, 3], 4) and not _in_sphere(corners, [0, 1, 2, 3], 5)
    assert _holds(np.array([*corners[:4], [0.1, 0.1, 0.1]]), [0, 1, 2, 3], 4)
    assert not _holds(corners, [0, 1, 2, 3], 4)


def _complex(points, extra):
    """A Delaunay complex of points, with room for the points to come behind them."""
    cx, _ = delaunay_complex(np.asarray(points, float), room=len(extra) + 8)
    cx = grown(cx, len(cx.tets) + 4000, len(cx.points))
    n = int(cx.tally[N_POINTS])
    cx.points[n : n + len(extra)] = extra
    cx.zone[:] = 0
    return cx, n


def _grid(n):
    """Points of a lattice: many on one sphere, many in one plane."""
    return np.stack(np.meshgrid(*[np.arange(float(n))] * 3), -1).reshape(-1, 3)


CASES = {
    "random": (np.random.default_rng(5).random((40, 3)), np.random.default_rng(6).random((10, 3))),
    # nodes of a lattice are co-spherical, and these points lie on planes, edges and spheres of it
    "lattice": (
        _grid(4),
        np.array(
            [[1.5, 1.5, 1.5], [1.0, 1.5, 2.25], [0.5, 1.0, 1.0], [1.5, 1.5, 1.0], [2, 2, 2.5]]
        ),
    ),
}


def _located(cx, v):
    start = int(live(cx)[0])
    return int(walk(cx.points, cx.tets, cx.nbr, cx.lock, FACE, start, v, FAR, True))


@pytest.mark.parametrize("case", CASES)
def test_a_walk_ends_in_a_tetrahedron_that_holds_the_point(case):
    points, extra = CASES[case]
    cx, n = _complex(points, extra)
    for v in range(n, n + len(extra)):
        inside = [t for t in live(cx) if _holds(cx.points, cx.tets[t], v)]
        at = _located(cx, v)
        # a point beyond the hull leads to a ghost
        assert at in inside if inside else (cx.tets[at] < 0).any()


@pytest.mark.parametrize("case", CASES)
def test_the_cavity_is_every_tetrahedron_whose_sphere_holds_the_point(case):
    points, extra = CASES[case]
    cx, n = _complex(points, extra)
    cavity = empty_cavity()
    for v in range(n, n + len(extra)):
        first = _located(cx, v)
        if (cx.tets[first] < 0).any():
            continue
        cx.tally[STAMP] += 2
        gone, shell = dig(
            cx.points, cx.tets, cx.nbr, cx.lock, cx.seen, cx.local, FACE, cavity, first, v,
            cx.tally[STAMP], NOTHING, False,
        )  # fmt: skip
        wanted = {int(t) for t in live(cx) if _in_sphere(cx.points, cx.tets[t], v)}
        # one that the point only lies on is dug where it holds the point
        assert wanted | {first} == set(cavity.gone[:gone].tolist())
        # each face of the shell is seen from the point, from inside
        for k in range(shell):
            a, b, c = cx.points[cavity.base[k]]
            assert _volume_sign(a, b, c, cx.points[v]) >= 0
            t, i = cavity.owner[k] >> 2, cavity.owner[k] & 3
            assert cx.nbr[t, i] == cavity.beyond[k]
        # Euler's count for a closed shell
        assert 2 * number_shell(cavity.base, shell, cx.local) == shell + 4


def test_a_walk_does_not_pass_a_locked_face():
    cx, n = _complex(np.random.default_rng(7).random((80, 3)), [[0.5, 0.5, 0.5]])
    at = _located(cx, n)
    start = next(int(t) for t in live(cx) if t != at and not (cx.tets[t] < 0).any())
    for i in range(4):
        cx.lock[at] |= 1 << i
        code = cx.nbr[at, i]
        cx.lock[code >> 2] |= 1 << (code & 3)
    assert walk(cx.points, cx.tets, cx.nbr, cx.lock, FACE, start, n, FAR, True) == BLOCKED
    assert insert_node(cx, n, start, 0.0) == REFUSED
    assert walk(cx.points, cx.tets, cx.nbr, cx.lock, FACE, at, n, FAR, True) == at


def test_a_walk_that_takes_too_long_is_given_up():
    cx, n = _complex(np.random.default_rng(8).random((300, 3)), [[0.95, 0.95, 0.95]])
    corner = np.array([0.05, 0.05, 0.05])
    middle = cx.points[cx.tets[live(cx)]].mean(axis=1)
    start = int(live(cx)[np.linalg.norm(middle - corner, axis=1).argmin()])
    assert walk(cx.points, cx.tets, cx.nbr, cx.lock, FACE, start, n, 2, True) == BLOCKED
    assert walk(cx.points, cx.tets, cx.nbr, cx.lock, FACE, start, n, FAR, True) >= 0


@pytest.mark.slow
@pytest.mark.parametrize("case", CASES)
def test_inserted_nodes_leave_a_delaunay_complex_of_the_same_volume(case):
    points, extra = CASES[case]
    cx, n = _complex(points, extra)
    before = tet_volumes(cx.points, cx.tets[live(cx)]).sum()
    came = np.zeros(len(extra), np.int8)
    hint = np.full(len(extra), int(live(cx)[0]), np.int32)
    reached = insert_range(cx, FACE, n, n + len(extra), hint, np.zeros(len(extra)), came)
    assert reached == n + len(extra)
    rows = cx.tets[live(cx)]
    volumes = tet_volumes(cx.points, rows)
    assert (volumes > 0).all() and volumes.sum() == pytest.approx(before)
    # points beyond the hull are not inserted, all others are nodes now
    used = set(rows.ravel().tolist())
    for k in range(len(extra)):
        assert (came[k] == INSERTED) == (n + k in used)
    assert (came == INSERTED).sum() >= 4
    for four in rows:
        for v in sorted(used - set(four.tolist())):
            assert not _in_sphere(cx.points, four, v)


def test_a_repeated_point_is_told_apart_from_one_that_is_too_near():
    points = np.random.default_rng(9).random((50, 3))
    inner = points[np.linalg.norm(points - 0.5, axis=1).argmin()]
    cx, n = _complex(points, [inner, inner + 1e-3, inner + 1e-3])
    start = int(live(cx)[0])
    assert insert_node(cx, n, start, 0.0) == DUPLICATE
    assert insert_node(cx, n + 1, start, 0.01) == REFUSED
    count = int((cx.tets[: cx.tally[N_TETS], 0] != FREE).sum())
    assert insert_node(cx, n + 2, start, 0.0) == INSERTED
    assert int((cx.tets[: cx.tally[N_TETS], 0] != FREE).sum()) > count


def test_insertion_stops_when_room_runs_out_and_says_where():
    cx, _ = delaunay_complex(np.random.default_rng(10).random((40, 3)), room=8)
    n = int(cx.tally[N_POINTS])
    cx.points[n : n + 3] = np.random.default_rng(11).uniform(0.3, 0.7, (3, 3))
    full = cx._replace(
        **{k: getattr(cx, k)[: cx.tally[N_TETS]] for k in ("tets", "nbr", "lock", "zone", "seen")}
    )
    before = full.tets.copy()
    came = np.full(3, 7, np.int8)
    assert insert_range(full, FACE, n, n + 3, np.zeros(3, np.int32), np.zeros(3), came) == n
    assert (came == 7).all() and np.array_equal(full.tets, before)
