"""Write what the page takes over: the API's schema to web/openapi.yaml, from which its types are
generated, and the stages as the core describes them, for its tests; with --check, see whether they
are current."""

import json
import os
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
API, STAGES = "web/openapi.yaml", "web/stages.json"


def _written(folder: Path) -> None:
    from django.core.management import call_command

    from intaglio.stages.registry import description

    call_command("spectacular", file=str(folder / API))
    text = json.dumps(description(), indent=1, ensure_ascii=False)
    (folder / STAGES).write_text(text + "\n", encoding="utf-8")


def main() -> int:
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core")]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "intaglio_server.settings")
    import django

    django.setup()
    if "--check" not in sys.argv:
        _written(ROOT)
        return 0
    with tempfile.TemporaryDirectory() as folder:
        now = Path(folder)
        for file in (API, STAGES):
            (now / file).parent.mkdir(parents=True, exist_ok=True)
        _written(now)
        if all((now / f).read_text() == (ROOT / f).read_text() for f in (API, STAGES)):
            return 0
    print("What the page takes over is not current. Run `make types`.", file=sys.stderr)
    return 1


if __name__ == "__main__":
    sys.exit(main())
