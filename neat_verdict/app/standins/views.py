"""Pages of the stand-ins: the booking site and the mailbox. They exist in the demo only."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.clickjacking import xframe_options_exempt
from django.views.decorators.http import require_safe

from neat_verdict.app.standins.models import Letter, SiteKey
from neat_verdict.app.standins.own_port import is_site

# "islands" is a second address of the first.
PAGES = ("home", "islands", "sailings", "seat", "extras", "payment", "done")


def _in_demo(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    @wraps(view)
    def shown(request: HttpRequest, **named: str) -> HttpResponse:
        if not settings.DEMO:
            raise Http404
        answer = view(request, **named)
        ours = _verdict(request)
        answer["Content-Security-Policy"] = (
            f"default-src 'self'; script-src 'self' {ours}; connect-src {ours}; img-src 'self' data:; frame-ancestors {ours}"
        )
        return answer

    return shown


def _verdict(request: HttpRequest) -> str:
    """Where the booking site finds us: at our own port, or where it has none, at the same machine by its other name, which is
    another origin for its pages."""
    if is_site(request):
        return settings.DEMO_ORIGIN
    host, _, port = request.get_host().partition(":")
    other = {"127.0.0.1": "localhost", "localhost": "127.0.0.1"}.get(host, host)
    return f"{request.scheme}://{other}" + (f":{port}" if port else "")


@require_safe
@xframe_options_exempt  # by its policy we may show it in a frame
@_in_demo
def booking_site(request: HttpRequest, page: str = "home") -> HttpResponse:
    """A page of the booking site; what it shows is decided in the browser, by what is assigned."""
    if page not in PAGES:
        raise Http404
    key = SiteKey.objects.first()
    shown = {"page": page, "pages": PAGES, "key": key.public if key else "", "verdict": _verdict(request)}
    return render(request, "standins/site.html", shown)


@require_safe
@_in_demo
@login_required
def mailbox(request: HttpRequest) -> HttpResponse:
    """The mails that would have been sent."""
    return render(request, "standins/mailbox.html", {"letters": Letter.objects.all()[:200]})
