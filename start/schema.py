"""Write the API's schema to web/openapi.yaml, from which the page's types are generated; with
--check, see whether it is current."""

import os
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core")]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "intaglio_server.settings")
    import django
    from django.core.management import call_command

    django.setup()
    kept = ROOT / "web/openapi.yaml"
    if "--check" not in sys.argv:
        call_command("spectacular", file=str(kept))
        return 0
    with tempfile.TemporaryDirectory() as folder:
        now = Path(folder) / "now.yaml"
        call_command("spectacular", file=str(now))
        if now.read_text() == kept.read_text():
            return 0
    print("The API's schema is not current. Run `make types`.", file=sys.stderr)
    return 1


if __name__ == "__main__":
    sys.exit(main())
