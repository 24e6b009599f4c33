"""`intaglio compare`: two to four meshes side by side, with what differs marked."""

import argparse
import json
from pathlib import Path
from typing import Any

from intaglio.commands.judging import read, report_of
from intaglio.errors import FileRejected
from intaglio.quality.catalogue import BY_KEY
from intaglio.quality.comparing import Row, SharedHistogram, compared, shared_histograms
from intaglio.quality.values import Values

_MOST = 4


def compare(args: argparse.Namespace) -> int:
    """Print a table of figures, what differs marked; 0 if all meshes are valid."""
    if not 2 <= len(args.meshes) <= _MOST:
        raise FileRejected("arguments", f"compare needs two to {_MOST} meshes.")
    if args.bars < 1:
        raise FileRejected("arguments", "--bars needs 1 or more.")
    reports: list[dict[str, Any]] = []
    key = args.metric or "equiangle_skewness"
    of_cells = []
    for path in args.meshes:
        values = Values(read(path))
        if key not in values.known():
            raise FileRejected("metric", f"{path} tells nothing of {BY_KEY[key].label.lower()}.")
        reports.append(report_of(values.mesh, values, args.limits))
        of_cells.append(values.of_cells(key))
    rows = compared(reports)
    bars = shared_histograms(of_cells, BY_KEY[key], args.bars)
    names = _names(args.meshes)
    if args.json:
        told = {"meshes": names, "rows": rows, "histogram": {key: bars}}
        print(json.dumps(told, indent=1))
    else:
        _print_table(names, rows)
        _print_bars(BY_KEY[key].label, names, bars)
    return 0 if all(r["valid"] for r in reports) else 1


def _names(paths: list[Path]) -> list[str]:
    """File names, with their folders where two are called the same."""
    names = [p.name for p in paths]
    return names if len(set(names)) == len(names) else [str(p) for p in paths]


def _print_table(names: list[str], rows: list[Row]) -> None:
    from rich.console import Console
    from rich.table import Table

    table = Table(box=None, pad_edge=False)
    table.add_column("")
    table.add_column("figure")
    for name in names:
        table.add_column(name, justify="right")
    for row in rows:
        cells = ["—" if v is None else _words(v) for v in row["values"]]
        table.add_row("≠" if row["differs"] else "", row["label"], *cells)
    Console(highlight=False).print(table)


def _words(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return f"{value:,}"
    return f"{value:.4g}" if isinstance(value, float) else str(value)


def _print_bars(label: str, names: list[str], bars: SharedHistogram) -> None:
    from rich.console import Console
    from rich.table import Table

    table = Table(title=f"{label}: share of the cells per bar", box=None, pad_edge=False)
    table.add_column("from", justify="right")
    table.add_column("to", justify="right")
    for name in names:
        table.add_column(name, justify="right")
    for k in range(len(bars["edges"]) - 1):
        shares = [f"{100 * s[k]:.2f} %" for s in bars["shares"]]
        table.add_row(f"{bars['edges'][k]:.4g}", f"{bars['edges'][k + 1]:.4g}", *shares)
    Console(highlight=False).print(table)
