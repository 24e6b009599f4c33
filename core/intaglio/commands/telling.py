"""A mesh's report as text: counts, patches, metrics, verdict, bars of a histogram, worst cells."""

import math
from collections.abc import Iterator, Mapping
from typing import Any

from intaglio.quality.catalogue import BY_KEY, Metric
from intaglio.quality.statistics import Histogram
from intaglio.quality.worst import WorstCell

_WIDTH = 40
_EIGHTHS = " ▏▎▍▌▋▊▉"


def report_lines(report: dict[str, Any]) -> Iterator[str]:
    """What a report tells, a line each."""
    unit = report["unit"]
    yield f"{report['cells']:,} cells, {report['points']:,} points"
    shapes = ", ".join(f"{n:,} {name}" for name, n in report["cells_by_shape"].items())
    yield f"cells by shape: {shapes}"
    for name, zone in report["zones"].items():
        counted = f"{zone['kind']:<9} {zone['cells']:>10,} cells"
        yield f"zone  {name:<20} {counted}  {zone['volume']:.9g} {unit}³"
    for name, patch in report["patches"].items():
        counted = f"{patch['kind']:<9} {patch['faces']:>10,} faces"
        yield f"patch {name:<20} {counted}  {patch['area']:.9g} {unit}²"
    for key, value in report["quality"].items():
        line = (
            f"{key:<22} min {value['min']:<10.4g} max {value['max']:<10.4g} "
            f"mean {value['mean']:<10.4g}"
        )
        if "percentiles" in value:
            metric = BY_KEY[key]
            at = "99" if metric.large_is_bad else "1"
            line += f" {at} % {value['percentiles'][at]:.4g}"
        yield line.rstrip()
    for finding in report["findings"]:
        yield finding_line(finding)
    yield from verdict_lines(report)
    yield "valid" if report["valid"] else "NOT VALID"


def finding_line(row: Mapping[str, Any]) -> str:
    """A finding as a line, after the stage that it is of, if it tells."""
    of = f"{row['stage']}: " if "stage" in row else ""
    line = f"{of}{row['level']}: {row['message']} ({row['count']:,}) {row['advice']}".rstrip()
    return f"{line} Accepted: {row['accepted']}" if row.get("accepted") else line


def verdict_lines(report: dict[str, Any]) -> Iterator[str]:
    """How the mesh stands to its limits."""
    told = report.get("verdict")
    if told is None:
        return
    for row in told["rows"]:
        metric = BY_KEY[row["metric"]]
        way = "≤" if metric.large_is_bad else "≥"
        count = f"{row['beyond']:,}{' or more' if row['more'] else ''} cells beyond"
        stands = "within" if row["passed"] else count
        worst = f"worst {row['worst']:<10.4g} {stands}"
        yield f"limit {row['metric']:<20} {way} {row['limit']:<8g} {worst}"
    yield f"{'within' if told['passed'] else 'NOT WITHIN'} the {told['limits']} limits"


def bar(share: float, width: int = _WIDTH) -> str:
    """A bar of text for a share of 0 to 1; what is not nothing shows."""
    eighths = math.ceil(share * width * 8) if share > 0.0 else 0
    return "█" * (eighths // 8) + _EIGHTHS[eighths % 8].strip()


def height(count: int, most: int, heights: str) -> float:
    """Share of the full height of a bar: `root`, `log` or `even` of its count."""
    if count == 0 or most == 0:
        return 0.0
    if heights == "root":
        return math.sqrt(count / most)
    if heights == "log":
        return math.log1p(count) / math.log1p(most)
    return count / most


def histogram_lines(metric: Metric, told: Histogram, heights: str) -> Iterator[str]:
    """Bars of a histogram, one a line."""
    yield f"{metric.label}: cells per bar, bars by {_HEIGHTS[heights]}"
    most = max(told["count"])
    for k, count in enumerate(told["count"]):
        low, high = told["edges"][k], told["edges"][k + 1]
        yield f"{low:>10.4g} to {high:<10.4g} {count:>11,} {bar(height(count, most, heights))}"


_HEIGHTS = {"root": "the square root", "log": "the logarithm", "even": "the count"}


def worst_lines(metric: Metric, cells: list[WorstCell]) -> Iterator[str]:
    """The worst cells, a line each."""
    yield f"Worst cells by {metric.label.lower()}:"
    for row in cells:
        at = ", ".join(f"{x:.6g}" for x in row["place"])
        cause = f"  {row['cause']}" if row["cause"] else ""
        yield f"{row['cell']:>11,} {row['shape']:<11} {row['value']:<10.4g} at {at}{cause}"
