"""Addresses: the API under /api/, the page everywhere else."""

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase
from django.urls import include, path, re_path


def page(request: HttpRequest, rest: str = "") -> HttpResponseBase:
    """The single page; its own router reads the address."""
    index = settings.WEB / "index.html"
    if not index.is_file():
        return HttpResponse("The page is not built. Run `make install`.", status=503)
    return FileResponse(index.open("rb"), content_type="text/html")


handler400, handler403, handler404, handler500 = (
    f"intaglio_server.failing.{name}" for name in ("refused", "forbidden", "missing", "failed")
)
urlpatterns = [
    path("api/", include("accounts.urls")),
    path("api/", include("studies.api.urls")),
    re_path(r"^(?!api/)(?P<rest>.*)$", page),
]
