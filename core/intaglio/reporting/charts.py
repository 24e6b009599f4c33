"""Histograms as SVG, to stand in a text."""

from collections.abc import Sequence

from intaglio.quality.catalogue import Metric

WIDTH, HEIGHT = 220.0, 44.0
# from pale to dark; the worst is darkest
RAMP = ("#c9d8b8", "#8fbfa5", "#56998f", "#2f6f78", "#274a63", "#1d2440")


def bars(
    edges: Sequence[float], count: Sequence[int], metric: Metric, limit: float | None = None
) -> str:
    """An SVG of bars whose heights go by the square root of their counts, so that the few worst
    cells show; a broken line stands at the limit."""
    most = max([*count, 1])
    n = len(count)
    out = [f'<svg viewBox="0 0 {WIDTH:g} {HEIGHT:g}" role="img" aria-label="{metric.label}">']
    for k, number in enumerate(count):
        if number == 0:
            continue
        high = max(1.5, HEIGHT * (number / most) ** 0.5)
        badness = k / max(1, n - 1) if metric.large_is_bad else 1.0 - k / max(1, n - 1)
        colour = RAMP[min(len(RAMP) - 1, int(badness * len(RAMP)))]
        x, wide = WIDTH * k / n, WIDTH / n - 0.6
        out.append(
            f'<rect x="{x:.2f}" y="{HEIGHT - high:.2f}" width="{wide:.2f}" height="{high:.2f}" '
            f'fill="{colour}"/>'
        )
    out.append(f'<path d="M0 {HEIGHT:g}H{WIDTH:g}" stroke="#22262b" stroke-width="0.8"/>')
    if limit is not None and edges[0] <= limit <= edges[-1]:
        x = WIDTH * place(limit, edges)
        out.append(f'<path d="M{x:.2f} 0V{HEIGHT:g}" stroke="#9b2a2a" stroke-dasharray="4 3"/>')
    out.append("</svg>")
    return "".join(out)


def place(value: float, edges: Sequence[float]) -> float:
    """Where a value stands along bars of equal width, 0 to 1."""
    last = len(edges) - 1
    for k in range(last):
        if value <= edges[k + 1]:
            wide = edges[k + 1] - edges[k]
            return (k + ((value - edges[k]) / wide if wide > 0 else 0.0)) / last
    return 1.0
