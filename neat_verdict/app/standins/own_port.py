"""The booking site's own port, in the demo: there it is alone, as any other site would be."""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseNotFound, HttpResponseRedirect

_ITS_OWN = ("/tidewick/", "/static/standins/")


class SiteAlone:
    """At the port of the booking site nothing else of ours answers."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not is_site(request):
            return self.get_response(request)
        if request.path == "/":
            return HttpResponseRedirect("/tidewick/")
        if not request.path.startswith(_ITS_OWN):
            return HttpResponseNotFound("This is the booking site; there is no such page.", content_type="text/plain")
        return self.get_response(request)


def is_site(request: HttpRequest) -> bool:
    """Whether the request is to the booking site's port."""
    return bool(settings.DEMO_SITE) and request.get_host().rpartition(":")[2] == str(urlsplit(settings.DEMO_SITE).port)
