"""The ASGI application that uvicorn serves."""

import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "intaglio_server.settings")
os.environ.setdefault("INTAGLIO_DB_CONNECTIONS", "20")

from intaglio_server import handler

_django = handler.application()

from intaglio_server.guard import Guard  # noqa: E402
from studies import children  # noqa: E402

# here, before there are threads
children.prepare()

application = Guard(_django)
