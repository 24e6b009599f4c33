"""Passes over the links between cells in compiled code: slopes, fluxes, terms of the momentum.

Arrays as in `geometry`: left, right (i,) int64, way, area, beside (i, 3), share (i,); of the rim
cell (b,), way (b, 3); values (n, m) of cells and (b, m) of the rim, several at once.
"""

import numpy as np
from numba import njit

_LEAST = 1e-300


@njit(cache=True, nogil=True, error_model="numpy")
def slopes(left, right, way, rim_cell, rim_way, inverse, values, rim):
    """Slopes (n, m, 3) by least squares with weights of one over the squared ways; inverse (n, 6):
    of the moments, xx, xy, xz, yy, yz, zz."""
    n, m = values.shape
    out = np.zeros((n, m, 3))
    for k in range(len(left)):
        a, b = left[k], right[k]
        x, y, z = way[k, 0], way[k, 1], way[k, 2]
        w = 1.0 / max(x * x + y * y + z * z, _LEAST)
        for c in range(m):
            d = w * (values[b, c] - values[a, c])
            out[a, c, 0] += d * x
            out[a, c, 1] += d * y
            out[a, c, 2] += d * z
            out[b, c, 0] += d * x
            out[b, c, 1] += d * y
            out[b, c, 2] += d * z
    for k in range(len(rim_cell)):
        a = rim_cell[k]
        x, y, z = rim_way[k, 0], rim_way[k, 1], rim_way[k, 2]
        w = 1.0 / max(x * x + y * y + z * z, _LEAST)
        for c in range(m):
            d = w * (rim[k, c] - values[a, c])
            out[a, c, 0] += d * x
            out[a, c, 1] += d * y
            out[a, c, 2] += d * z
    for a in range(n):
        for c in range(m):
            _times(inverse[a], out[a, c])
    return out


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _times(i, v):
    """A symmetric matrix (6,) times a vector (3,), in its place."""
    x, y, z = v[0], v[1], v[2]
    v[0] = i[0] * x + i[1] * y + i[2] * z
    v[1] = i[1] * x + i[3] * y + i[4] * z
    v[2] = i[2] * x + i[4] * y + i[5] * z


@njit(cache=True, nogil=True, error_model="numpy")
def tilts(left, right, way, rim_cell, rim_way, apart, inverse):
    """Slopes (n, 3) that a value of one cell alone, one less than all others, makes in that cell;
    apart (b,): how much of the step its rim's values do not go along with."""
    out = np.zeros((len(inverse), 3))
    for k in range(len(left)):
        x, y, z = way[k, 0], way[k, 1], way[k, 2]
        w = 1.0 / max(x * x + y * y + z * z, _LEAST)
        for i in range(3):
            out[left[k], i] += w * way[k, i]
            out[right[k], i] -= w * way[k, i]
    for k in range(len(rim_cell)):
        x, y, z = rim_way[k, 0], rim_way[k, 1], rim_way[k, 2]
        w = apart[k] / max(x * x + y * y + z * z, _LEAST)
        for i in range(3):
            out[rim_cell[k], i] += w * rim_way[k, i]
    for a in range(len(out)):
        _times(inverse[a], out[a])
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def steepest(left, right, way, share, inverse, tilt):
    """Of links (i,) the mean slope along them over the step, for the value of one of their cells
    alone that makes more of it; one at least. tilt: see `tilts`."""
    out = np.ones(len(left))
    beyond = np.empty(3)
    for k in range(len(left)):
        x, y, z = way[k, 0], way[k, 1], way[k, 2]
        w = 1.0 / max(x * x + y * y + z * z, _LEAST)
        for side in range(2):
            one, other = (left[k], right[k]) if side == 0 else (right[k], left[k])
            weight, sign = (1.0 - share[k], 1.0) if side == 0 else (share[k], -1.0)
            for i in range(3):
                beyond[i] = w * way[k, i]
            _times(inverse[other], beyond)
            own, there = 0.0, 0.0
            for i in range(3):
                own += sign * tilt[one, i] * way[k, i]
                there += beyond[i] * way[k, i]
            out[k] = max(out[k], weight * own + (1.0 - weight) * there)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def leaving(left, right, links, rim_cell, rim, count):
    """What leaves each cell (count,) through links (i,) and rim (b,)."""
    out = np.zeros(count)
    for k in range(len(left)):
        out[left[k]] += links[k]
        out[right[k]] -= links[k]
    for k in range(len(rim_cell)):
        out[rim_cell[k]] += rim[k]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def through(left, right, area, share, beside, values, slope):
    """Flux (i,) of a vector (n, 3) with slopes (n, 3, 3) through the middles of links."""
    out = np.empty(len(left))
    for k in range(len(left)):
        a, b, s = left[k], right[k], share[k]
        total = 0.0
        for i in range(3):
            at = (1.0 - s) * values[a, i] + s * values[b, i]
            for j in range(3):
                at += ((1.0 - s) * slope[a, i, j] + s * slope[b, i, j]) * beside[k, j]
            total += at * area[k, i]
        out[k] = total
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _bounded(step, along, share):
    """Share of the step from the cell upwind that the bounded value is above that cell's; along:
    the upwind slope along the way. Linear between the cells, limited where the slopes before and
    behind differ by more than twice or in sign (P. K. Sweby, SIAM J. Numer. Anal. 21 (1984) 995:
    within the region of second order), with the ratio of slopes on irregular meshes of M. Darwish
    and F. Moukalled, Int. J. Heat Mass Transfer 46 (2003) 599."""
    if step == 0.0:
        return 0.0
    return share * min(max(2.0 * (2.0 * along - step) / step, 0.0), 1.0)


@njit(cache=True, nogil=True, error_model="numpy")
def bounded_shares(left, right, way, share, flux, values, slope):
    """Shares (i,) of the steps of values (n,) with slopes (n, 3), see _bounded."""
    out = np.empty(len(left))
    for k in range(len(left)):
        forth = flux[k] >= 0.0
        up, down = (left[k], right[k]) if forth else (right[k], left[k])
        along = 0.0
        for i in range(3):
            along += slope[up, i] * way[k, i]
        step = values[down] - values[up]
        own = share[k] if forth else 1.0 - share[k]
        out[k] = _bounded(step, along if forth else -along, own)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def beside_upwind(
    left,
    right,
    way,
    area,
    share,
    beside,
    over,
    flux,
    viscosity,
    velocity,
    slope,
    shares,
    taken,
    source,
):
    """Add to source (n, 3) what links bring that is not implicit: friction along the part of their
    areas that the ways miss, and what convection carries beyond the upwind values. shares (i, 3)
    are brought on to those that follow by the part `taken`. viscosity (n,), over (i,)."""
    for k in range(len(left)):
        a, b, s, f = left[k], right[k], share[k], flux[k]
        forth = f >= 0.0
        up, down = (a, b) if forth else (b, a)
        sign = 1.0 if forth else -1.0
        own = s if forth else 1.0 - s
        friction = (1.0 - s) * viscosity[a] + s * viscosity[b]
        for c in range(3):
            along, tilted, aside = 0.0, 0.0, 0.0
            for i in range(3):
                along += slope[up, c, i] * way[k, i]
                mean = (1.0 - s) * slope[a, c, i] + s * slope[b, c, i]
                tilted += mean * (area[k, i] - over[k] * way[k, i])
                aside += mean * beside[k, i]
            step = velocity[down, c] - velocity[up, c]
            now = shares[k, c] + taken * (_bounded(step, sign * along, own) - shares[k, c])
            shares[k, c] = now
            # to the face's middle in full: a step near to nothing has no ratio to bound it by
            extra = friction * tilted - f * (now * step + aside)
            source[a, c] += extra
            source[b, c] -= extra


@njit(cache=True, nogil=True, error_model="numpy")
def heat_through(
    left, right, way, area, share, beside, over, carried, conductivity, temperature, slope, shares
):
    """Heat (i,) through links from left to right: carried by a capacity that flows, in W/K, at a
    value above the upwind one by shares of the step and by the slopes (n, 3) to the face's middle;
    conducted along the way by the step, the rest by the slopes. over, conductivity, shares (i,)."""
    out = np.empty(len(left))
    for k in range(len(left)):
        a, b, s = left[k], right[k], share[k]
        along, through_face, aside = 0.0, 0.0, 0.0
        for i in range(3):
            mean = (1.0 - s) * slope[a, i] + s * slope[b, i]
            along += mean * way[k, i]
            through_face += mean * area[k, i]
            aside += mean * beside[k, i]
        step = temperature[b] - temperature[a]
        if carried[k] >= 0.0:
            value = temperature[a] + step * shares[k] + aside
        else:
            value = temperature[b] - step * shares[k] + aside
        spread = over[k] * (step - along) + through_face
        out[k] = carried[k] * value - conductivity[k] * spread
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def link_fluxes(
    left, right, way, share, over, density, ease, counts, carried, pressure, slope, lag
):
    """Mass fluxes (i,) with the pressure's own step in place of its mean slope, see `pressure`;
    carried (i,): by the cells' velocities; ease (i,); counts (i,): how much of the mean slope
    does."""
    out = np.empty(len(left))
    for k in range(len(left)):
        a, b, s = left[k], right[k], share[k]
        mean = 0.0
        for i in range(3):
            mean += ((1.0 - s) * slope[a, i] + s * slope[b, i]) * way[k, i]
        pulled = ease[k] * over[k] * (pressure[b] - pressure[a] - counts[k] * mean)
        out[k] = ((1.0 - s) * density[a] + s * density[b]) * (carried[k] - pulled) + lag[k]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def moments(left, right, way, rim_cell, rim_way, known, count):
    """Moments (count, 6) of the ways, weighed by one over their squares: xx, xy, xz, yy, yz, zz;
    of the rim's ways those that are known (b,)."""
    out = np.zeros((count, 6))
    for k in range(len(left)):
        x, y, z = way[k, 0], way[k, 1], way[k, 2]
        w = 1.0 / max(x * x + y * y + z * z, _LEAST)
        for a in (left[k], right[k]):
            _add(out[a], w, x, y, z)
    for k in range(len(rim_cell)):
        if known[k]:
            x, y, z = rim_way[k, 0], rim_way[k, 1], rim_way[k, 2]
            _add(out[rim_cell[k]], 1.0 / max(x * x + y * y + z * z, _LEAST), x, y, z)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _add(moment, w, x, y, z):
    moment[0] += w * x * x
    moment[1] += w * x * y
    moment[2] += w * x * z
    moment[3] += w * y * y
    moment[4] += w * y * z
    moment[5] += w * z * z


@njit(cache=True, nogil=True, error_model="numpy")
def flattest(left, right, area, rim_cell, rim_area, volume):
    """Of each cell the unit normal (n, 3) of its largest face, and its height over it (n,): volume
    over area."""
    n = len(volume)
    largest, normal, height = np.zeros(n), np.zeros((n, 3)), np.zeros(n)
    for k in range(len(left)):
        _larger(largest, normal, left[k], area[k])
        _larger(largest, normal, right[k], area[k])
    for k in range(len(rim_cell)):
        _larger(largest, normal, rim_cell[k], rim_area[k])
    for c in range(n):
        if largest[c] > 0.0:
            size = np.sqrt(largest[c])
            normal[c] /= size
            height[c] = volume[c] / size
    return normal, height


@njit(cache=True, nogil=True, error_model="numpy")
def _larger(largest, normal, cell, area):
    square = area[0] * area[0] + area[1] * area[1] + area[2] * area[2]
    if square > largest[cell]:
        largest[cell] = square
        normal[cell] = area


@njit(cache=True, nogil=True, error_model="numpy")
def kept_within(left, right, normal, height, share, beside):
    """Shorten beside (i, 3) along the normals of both cells to `share` of their heights."""
    for k in range(len(left)):
        for c in (left[k], right[k]):
            along = 0.0
            for i in range(3):
                along += beside[k, i] * normal[c, i]
            beyond = abs(along) - share * height[c]
            if beyond > 0.0:
                back = beyond if along > 0.0 else -beyond
                for i in range(3):
                    beside[k, i] -= back * normal[c, i]
