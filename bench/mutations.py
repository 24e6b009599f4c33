"""Seeded one-line changes of core and server, and which of them the tests catch.

A sign, a bound, an index, a condition or a missing call is changed in a copy of the checkout, and
the tests that look at the changed module are run there, those that import it first, until one
fails. Whatever passes is printed, for a test or a reason.

    python -m bench.mutations [--count 60] [--seed 1] [--part core|server] [--slow] [--json FILE]
"""

import argparse
import ast
import json
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
PARTS = {"core": "core/intaglio", "server": "server"}
# not code of ours that decides anything
LEFT_OUT = ("migrations", "tests", "manage.py")
KINDS = ("sign", "bound", "index", "condition", "call")
# test files run for one change, and seconds for each of them
MOST_FILES, PATIENCE = 12, 600


@dataclass(frozen=True)
class Change:
    """A line of a file, by number, before and after."""

    kind: str
    path: str
    line: int
    before: str
    after: str


def sites(path: Path) -> Iterator[Change]:
    """Every change that can be made to a file."""
    text = path.read_text()
    lines = text.splitlines()
    where = str(path.relative_to(ROOT))

    def made(kind: str, node: ast.expr | ast.stmt, new: str) -> Iterator[Change]:
        if node.lineno == node.end_lineno:
            # columns are told in bytes
            old = lines[node.lineno - 1].encode()
            after = old[: node.col_offset] + new.encode() + old[node.end_col_offset :]
            yield Change(kind, where, node.lineno, old.decode(), after.decode())

    for node in _within_functions(ast.parse(text)):
        if isinstance(node, ast.BinOp) and isinstance(node.op, (ast.Add, ast.Sub)):
            sign = "-" if isinstance(node.op, ast.Add) else "+"
            yield from made("sign", node, _joined(text, node.left, sign, node.right))
        elif isinstance(node, ast.Compare) and type(node.ops[0]) in _BOUNDS and len(node.ops) == 1:
            other = _BOUNDS[type(node.ops[0])]
            yield from made("bound", node, _joined(text, node.left, other, node.comparators[0]))
        elif isinstance(node, ast.Subscript) and isinstance(node.slice, ast.Constant):
            at = node.slice
            if type(at.value) is int:
                yield from made("index", at, str(1 - at.value if at.value in (0, 1) else 0))
        elif isinstance(node, (ast.If, ast.IfExp)):
            yield from made("condition", node.test, f"not ({_source(text, node.test)})")
        elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            yield from made("call", node, "pass")


_BOUNDS = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">"}


def _within_functions(tree: ast.Module) -> Iterator[ast.AST]:
    seen: set[int] = set()
    for function in ast.walk(tree):
        if isinstance(function, (ast.FunctionDef, ast.AsyncFunctionDef)):
            for statement in function.body:
                for node in ast.walk(statement):
                    if id(node) not in seen:
                        seen.add(id(node))
                        yield node


def _source(text: str, node: ast.expr) -> str:
    return ast.get_source_segment(text, node) or ""


def _joined(text: str, left: ast.expr, sign: str, right: ast.expr) -> str:
    return f"({_source(text, left)}) {sign} ({_source(text, right)})"


def chosen(parts: list[str], count: int, seed: int) -> list[Change]:
    """So many changes, each kind as often, files by how many places they have."""
    by_kind: dict[str, list[Change]] = {kind: [] for kind in KINDS}
    for part in parts:
        for path in sorted((ROOT / PARTS[part]).rglob("*.py")):
            if not any(word in path.parts for word in LEFT_OUT):
                for change in sites(path):
                    by_kind[change.kind].append(change)
    draw = random.Random(seed)
    return [draw.choice(by_kind[KINDS[k % len(KINDS)]]) for k in range(count)]


def _named(path: Path) -> set[str]:
    """Names of modules that a file imports, those within functions too, or starts by name."""
    text = path.read_text()
    out = set(re.findall(r"[a-z_]+(?:\.[a-z_]+)+", text))
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.ImportFrom) and node.module:
            out |= {node.module, *(f"{node.module}.{a.name}" for a in node.names)}
        elif isinstance(node, ast.Import):
            out |= {a.name for a in node.names}
    return out


class Tests:
    """Which test files look at a module: by how many imports lie between them."""

    def __init__(self) -> None:
        self.files = {self._name(p): p for part in PARTS.values() for p in _files(part)}
        self.files |= {self._name(p): p for p in _files("tests")}
        self.asks = {name: _named(path) & set(self.files) for name, path in self.files.items()}
        longest = (ROOT / "tests/longest.txt").read_text().split()
        self.slow = {name: k for k, name in enumerate(reversed(longest), 1)}

    @staticmethod
    def _name(path: Path) -> str:
        words = path.relative_to(ROOT).with_suffix("").parts
        return ".".join(words[1:] if words[0] in PARTS else words)

    def of(self, path: str) -> list[str]:
        """Test files by distance from a module, quick ones first among equals."""
        near, away, out = {self._name(ROOT / path)}, 0, []
        seen: set[str] = set()
        while near and len(out) < MOST_FILES:
            found = [str(self.files[n].relative_to(ROOT)) for n in near if ".test_" in n]
            out += sorted(found, key=lambda f: (self._cost(f), f))
            seen |= near
            near = {n for n, asks in self.asks.items() if asks & near} - seen
            away += 1
        return [f for f in out if not f.startswith("tests/screens")][:MOST_FILES]

    def _cost(self, file: str) -> int:
        return self.slow.get(file, 0) + 100 * file.startswith("tests/server")


def _files(folder: str) -> list[Path]:
    return sorted((ROOT / folder).rglob("*.py"))


def caught(change: Change, copy: Path, tests: list[str], slow: bool) -> str | None:
    """The test that fails with a change made in a copy of the checkout, None if none does."""
    path = copy / change.path
    before = path.read_text()
    lines = before.splitlines()
    lines[change.line - 1] = change.after
    path.write_text("\n".join(lines) + "\n")
    told = {k: v for k, v in os.environ.items() if not k.startswith(("INTAGLIO_", "PYTHONPATH"))}
    try:
        for file in tests:
            words = [sys.executable, "-m", "pytest", "-x", "--no-header", "--tb=no", file]
            words += [] if slow else ["-m", "not slow"]
            try:
                done = subprocess.run(
                    words, cwd=copy, env=told, capture_output=True, text=True, timeout=PATIENCE
                )
            except subprocess.TimeoutExpired:
                return f"{file} does not end"
            if done.returncode not in (0, 5):
                name = re.search(r"^(?:FAILED|ERROR) (\S+)", done.stdout, re.M)
                return name[1] if name else f"{file} cannot be run"
        return None
    finally:
        path.write_text(before)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--first", type=int, default=0, help="go on from this one")
    parser.add_argument(
        "--step", type=int, default=1, help="every how manieth, for several runs at once"
    )
    parser.add_argument("--part", choices=[*PARTS], action="append")
    parser.add_argument("--slow", action="store_true", help="slow tests too")
    parser.add_argument("--list", action="store_true", help="only say what would be changed")
    parser.add_argument("--json", type=Path)
    args = parser.parse_args()
    changes = chosen(args.part or [*PARTS], args.count, args.seed)
    tests = Tests()
    rows = []
    copy = Path(tempfile.mkdtemp(prefix="intaglio-mutations-"))
    try:
        subprocess.run(["git", "clone", "-q", str(ROOT), str(copy / "it")], check=True)
        for k in range(args.first, len(changes), args.step):
            change = changes[k]
            files = tests.of(change.path)
            print(f"{k + 1:3d} {change.kind:9s} {change.path}:{change.line}")
            print(f"    - {change.before.strip()}\n    + {change.after.strip()}", flush=True)
            if args.list:
                continue
            begun = time.monotonic()
            by = caught(change, copy / "it", files, args.slow)
            print(f"    {by or 'NOT CAUGHT'} ({time.monotonic() - begun:.0f} s)", flush=True)
            rows.append({**asdict(change), "number": k + 1, "caught": by, "tests": files})
            if args.json:
                args.json.write_text(json.dumps(rows, indent=1))
    finally:
        shutil.rmtree(copy, ignore_errors=True)
    missed = [row for row in rows if row["caught"] is None]
    print(f"{len(rows) - len(missed)} of {len(rows)} caught")
    return 0


if __name__ == "__main__":
    sys.exit(main())
