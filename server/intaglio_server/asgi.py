"""The ASGI application that uvicorn serves."""

import gc
import os
from importlib import import_module

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "intaglio_server.settings")
os.environ.setdefault("INTAGLIO_DB_CONNECTIONS", "20")

from intaglio_server import handler

_django = handler.application()

from django.conf import settings  # noqa: E402
from django.core.exceptions import ImproperlyConfigured  # noqa: E402

from intaglio_server.guard import Guard  # noqa: E402
from studies import children  # noqa: E402

if settings.SECRET_KEY == settings.NO_SECRET:
    raise ImproperlyConfigured(
        "A server needs a secret of its own, which cookies are signed with: set INTAGLIO_SECRET, "
        "the same for all web servers, to some 50 letters that nobody guesses."
    )
# here, before there are threads
children.prepare()
# with the views and all that they need, which the framework would load at the first call
import_module(settings.ROOT_URLCONF)
# what is there for good is not looked through again: that took up to a second, with all calls
# waiting
gc.collect()
gc.freeze()

application = Guard(_django)
