"""`make locks`: pin what is installed, with the hashes of its files, in two locks: what runs, and
what tests and checks. What is wanted by name is in pyproject.toml."""

import hashlib
import re
import subprocess
import sys
import tempfile
import tomllib
from importlib.metadata import distribution
from pathlib import Path

from packaging.requirements import Requirement
from packaging.utils import canonicalize_name, parse_wheel_filename

ROOT = Path(__file__).resolve().parents[1]


def wanted(*parts: str) -> list[Requirement]:
    """What pyproject.toml asks for: `core`, an extra (`server`, `dev`), or what `build` needs."""
    told = tomllib.loads((ROOT / "pyproject.toml").read_text())
    lists = {
        "core": told["project"]["dependencies"],
        "build": told["build-system"]["requires"],
        **told["project"]["optional-dependencies"],
    }
    return [Requirement(line) for part in parts for line in lists[part]]


def closure(tops: list[Requirement]) -> dict[str, str]:
    """Versions by name of all that is installed and needed, the tops included."""
    out: dict[str, str] = {}
    held: set[tuple[str, frozenset[str]]] = set()
    waiting = list(tops)
    while waiting:
        asked = waiting.pop()
        name = canonicalize_name(asked.name)
        if name == "pip":
            continue  # what installs is not installed
        if (name, frozenset(asked.extras)) in held:
            continue
        held.add((name, frozenset(asked.extras)))
        found = distribution(name)
        out[name] = found.version
        for line in found.requires or []:
            need = Requirement(line)
            extras = asked.extras or {""}
            if need.marker is None or any(need.marker.evaluate({"extra": e}) for e in extras):
                waiting.append(need)
    return out


def hashes(pins: dict[str, str]) -> dict[str, list[str]]:
    """SHA-256 by name of the files that the package index gives for this platform."""
    out: dict[str, list[str]] = {}
    with tempfile.TemporaryDirectory() as folder:
        names = [f"{name}=={version}" for name, version in sorted(pins.items())]
        subprocess.run(
            [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "-d", folder, *names],
            check=True,
        )
        for file in Path(folder).iterdir():
            name = (
                str(parse_wheel_filename(file.name)[0])
                if file.suffix == ".whl"
                else canonicalize_name(re.sub(r"-\d.*$", "", file.name))
            )
            out.setdefault(name, []).append(hashlib.sha256(file.read_bytes()).hexdigest())
    return out


def main() -> None:
    runs = closure(wanted("core", "server", "build"))
    checks = closure(wanted("dev"))
    known = hashes({**runs, **checks})
    for file, pins in (
        ("requirements.lock", runs),
        ("requirements-dev.lock", {n: v for n, v in checks.items() if n not in runs}),
    ):
        lines = [
            f"{name}=={version}" + "".join(f" \\\n    --hash=sha256:{h}" for h in known[name])
            for name, version in sorted(pins.items())
        ]
        (ROOT / file).write_text("\n".join(lines) + "\n")
        print(f"{file}: {len(pins)} packages")


if __name__ == "__main__":
    main()
