"""Known faults of the packages that are installed, where an index can be asked."""

import importlib.util
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def audit() -> int:
    """Report; 0 where nothing is known, or no index answers, 1 where something is."""
    wrong = 0
    if importlib.util.find_spec("pip_audit") is None:
        print("Python: pip-audit is not installed; run `make install`.")
    else:
        locks = ("requirements.lock", "requirements-dev.lock")
        for lock in locks:
            done = subprocess.run(
                [sys.executable, "-m", "pip_audit", "--disable-pip", "--no-deps", "-r", lock],
                cwd=ROOT, capture_output=True, text=True, timeout=300,
            )  # fmt: skip
            wrong += _told(f"Python, {lock}", done.returncode, done.stdout + done.stderr)
    done = subprocess.run(
        ["npm", "audit", "--omit=dev"],
        cwd=ROOT / "web",
        capture_output=True,
        text=True,
        timeout=300,
    )
    wrong += _told("page", done.returncode, done.stdout + done.stderr)
    return min(wrong, 1)


# what the tools say where no index answers
_AWAY = ("ConnectionError", "Connection", "ENOTFOUND", "ECONNREFUSED", "EAI_AGAIN", "endpoint")


def _told(name: str, code: int, text: str) -> int:
    if code == 0:
        print(f"{name}: nothing is known.")
        return 0
    if any(sign in text for sign in _AWAY):
        print(f"{name}: no index answers; nothing was asked.")
        return 0
    print(f"{name}:\n{text.strip()}")
    return 1
