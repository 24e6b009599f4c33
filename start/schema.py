"""Write the API's schema to web/openapi.yaml, from which the page's types are generated."""

import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def main() -> None:
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core")]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "intaglio_server.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("spectacular", file=str(ROOT / "web/openapi.yaml"))


if __name__ == "__main__":
    main()
