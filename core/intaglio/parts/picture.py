"""Small pictures of results: facets drawn in ink on paper with a depth buffer, as PNG."""

import io

import numpy as np
from numba import njit
from numpy.typing import NDArray
from PIL import Image

from intaglio.triangles.closure import edge_uses

_PAPER = np.array([247, 243, 234], np.float64)
_INK = np.array([34, 38, 43], np.float64)
_OVER = 3  # samples per pixel and direction


@njit(cache=True)
def _fill(xyz, triangles, tone, depth, shade):
    """Fill triangles into depth and shade, the nearest in front."""
    h, w = depth.shape
    for t in range(triangles.shape[0]):
        x0 = xyz[triangles[t, 0], 0]
        y0 = xyz[triangles[t, 0], 1]
        z0 = xyz[triangles[t, 0], 2]
        x1 = xyz[triangles[t, 1], 0]
        y1 = xyz[triangles[t, 1], 1]
        z1 = xyz[triangles[t, 1], 2]
        x2 = xyz[triangles[t, 2], 0]
        y2 = xyz[triangles[t, 2], 1]
        z2 = xyz[triangles[t, 2], 2]
        det = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if det == 0.0:
            continue
        left = max(0, int(np.floor(min(x0, x1, x2))))
        right = min(w - 1, int(np.ceil(max(x0, x1, x2))))
        low = max(0, int(np.floor(min(y0, y1, y2))))
        high = min(h - 1, int(np.ceil(max(y0, y1, y2))))
        for j in range(low, high + 1):
            for i in range(left, right + 1):
                a = ((i - x0) * (y2 - y0) - (x2 - x0) * (j - y0)) / det
                b = ((x1 - x0) * (j - y0) - (i - x0) * (y1 - y0)) / det
                if a < -1e-9 or b < -1e-9 or a + b > 1 + 1e-9:
                    continue
                z = z0 + a * (z1 - z0) + b * (z2 - z0)
                if z > depth[j, i]:
                    depth[j, i] = z
                    shade[j, i] = tone[t]


@njit(cache=True)
def _draw(a, b, depth, ink, slack, dark, width):
    """Draw the visible parts of segments a-b into ink, `width` pixels wide."""
    h, w = depth.shape
    for k in range(a.shape[0]):
        steps = int(max(abs(a[k, 0] - b[k, 0]), abs(a[k, 1] - b[k, 1]))) + 1
        for s in range(steps + 1):
            r = s / steps
            x = int(round(a[k, 0] + r * (b[k, 0] - a[k, 0])))
            y = int(round(a[k, 1] + r * (b[k, 1] - a[k, 1])))
            z = a[k, 2] + r * (b[k, 2] - a[k, 2])
            for dy in range(width):
                for dx in range(width):
                    if 0 <= x + dx < w and 0 <= y + dy < h and z > depth[y + dy, x + dx] - slack:
                        ink[y + dy, x + dx] = max(ink[y + dy, x + dx], dark)


# so many times its next longest side makes a part long; others keep the usual view
_LONG = 2.5
# turns of the view about the vertical that are tried, in degrees; the usual one first
_TURNS = (0.0, 30.0, -30.0)


def _frame(points: NDArray[np.float64], width: int, height: int) -> NDArray[np.float64]:
    """Axes of the picture as rows: right, down, towards the eye."""
    best, least = None, np.inf
    sides = np.sort(np.ptp(points, axis=0))
    turns = _TURNS if sides[2] > _LONG * sides[1] else _TURNS[:1]
    for k, turn in enumerate(np.radians(turns)):
        c, s = np.cos(turn), np.sin(turn)
        about = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
        right = np.array([0.87, -0.49, 0.0]) @ about
        up = np.array([0.22, 0.39, 0.894]) @ about
        frame = np.stack([right, -up, np.cross(right, up)])
        span = np.ptp(points @ frame.T, axis=0)
        # not for a little: parts are best known from the usual side
        size = max(span[0] / width, span[1] / height) * (1.0 if k == 0 else 1.1)
        if size < least:
            best, least = frame, size
    assert best is not None
    return best


def picture(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    strong: NDArray[np.float64],
    fine: NDArray[np.float64],
    width: int = 480,
    height: int = 210,
) -> bytes:
    """PNG of a surface seen from front, right and above, turned so that a long part lies across.

    strong, fine (k, 2, 3): segments drawn heavily (feature edges) and lightly (mesh lines). The
    picture is as wide and high as what is drawn, up to width and height in pixels.
    """
    frame = _frame(points, width, height)
    p = points @ frame.T
    low, high = p.min(axis=0), p.max(axis=0)
    span = np.maximum(high - low, 1e-30)
    zoom = 0.96 * _OVER * min(width / span[0], height / span[1])
    # cut to what is drawn, so that a frame of any shape can be filled
    width, height = (max(8, int(np.ceil(zoom * s / (0.96 * _OVER)))) for s in span[:2])
    w, h = width * _OVER, height * _OVER
    shift = np.array([w / 2, h / 2, 0]) - zoom * np.array([*(low + high)[:2] / 2, 0])

    def screen(x: NDArray[np.float64]) -> NDArray[np.float64]:
        return (x.reshape(-1, 3) @ frame.T) * zoom + shift

    corner = points[triangles]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    length = np.linalg.norm(normal, axis=1)
    normal /= np.where(length > 0, length, 1.0)[:, None]
    light = np.array([0.25, -0.45, 0.86])
    tone = 0.06 + 0.42 * np.clip(0.5 - 0.5 * (normal @ light), 0, 1)
    depth = np.full((h, w), -np.inf)
    shade = np.zeros((h, w))
    _fill(screen(points), triangles.astype(np.int32), tone, depth, shade)
    ink = np.zeros((h, w))
    slack = 0.012 * zoom * float(np.linalg.norm(high - low))
    for segments, dark, thick in ((fine, 0.42, 1), (strong, 0.95, 3)):
        if len(segments):
            ends = screen(segments).reshape(-1, 2, 3)
            a, b = np.ascontiguousarray(ends[:, 0]), np.ascontiguousarray(ends[:, 1])
            _draw(a, b, depth, ink, slack if thick > 1 else slack / 4, dark, thick)
    value = np.maximum(shade, ink).reshape(height, _OVER, width, _OVER).mean(axis=(1, 3))
    drawn = (np.isfinite(depth)).reshape(height, _OVER, width, _OVER).mean(axis=(1, 3))
    rgb = _PAPER + (_INK - _PAPER) * value[..., None]
    rgba = np.concatenate([rgb, 255 * np.maximum(drawn, value > 0)[..., None]], axis=2)
    out = io.BytesIO()
    Image.fromarray(rgba.round().clip(0, 255).astype(np.uint8), "RGBA").save(out, "PNG")
    return out.getvalue()


def edge_segments(points: NDArray[np.float64], triangles: NDArray[np.int32]) -> NDArray[np.float64]:
    """Segments (k, 2, 3) of all edges of triangles, each once."""
    return points[edge_uses(triangles)[0]]
