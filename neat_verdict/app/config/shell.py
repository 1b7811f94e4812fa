"""The page that holds the screens. Without a sign-in nothing but the sign-in screen and shared reports is served."""

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe


def _page() -> HttpResponse:
    built = settings.WEB_BUILD / "index.html"
    if not built.exists():
        text = "The front end is not built. Run bin/setup, then start again."
        return HttpResponse(text, status=503, content_type="text/plain")
    answer = HttpResponse(built.read_bytes())
    answer["Cache-Control"] = "no-cache"
    return answer


@require_safe
@ensure_csrf_cookie
def sign_in_screen(request: HttpRequest) -> HttpResponse:
    return _page()


@require_safe
def shared_screen(request: HttpRequest, token: str) -> HttpResponse:
    """A report, or what an engineer needs, behind a link; whether it opens is for the API to say."""
    answer = _page()
    answer["Referrer-Policy"] = "no-referrer"
    return answer


@require_safe
@ensure_csrf_cookie
def link_screen(request: HttpRequest, place: str, token: str) -> HttpResponse:
    """Where a password is chosen; whether the link opens is for the API to say."""
    answer = _page()
    answer["Referrer-Policy"] = "no-referrer"
    return answer


@require_safe
@login_required
@ensure_csrf_cookie
def screen(request: HttpRequest) -> HttpResponse:
    return _page()
