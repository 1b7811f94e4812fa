"""Who may read the description of the API, and the page that it is read on."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.conf import settings
from django.contrib.auth.views import redirect_to_login
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe
from ninja import NinjaAPI
from ninja.errors import AuthenticationError
from ninja.openapi.docs import DocsBase

from neat_verdict.app.http.problems import problem
from neat_verdict.app.people.auth import TokenAuth

View = Callable[..., HttpResponse]


class Reference(DocsBase):
    """The page: what is only read can be tried out, by whoever is signed in."""

    _SETTINGS = {
        "layout": "BaseLayout",
        "deepLinking": True,
        "docExpansion": "list",
        "defaultModelsExpandDepth": -1,
        "filter": True,
        "supportedSubmitMethods": ["get", "head"],
        "validatorUrl": None,
    }

    def render_page(self, request: HttpRequest, api: NinjaAPI, **kwargs: Any) -> HttpResponse:
        description = self.get_openapi_url(api, kwargs)
        shown = json.dumps({**self._SETTINGS, "url": description})
        return render(
            request, "http/reference.html", {"api": api, "description": description, "swagger_settings": shown}
        )


def for_its_readers(view: View) -> View:
    """Let through everybody, nobody, or who is signed in or has a token, as ``NEAT_VERDICT_API_DESCRIPTION`` says."""

    @require_safe
    @wraps(view, assigned=())
    def guarded(request: HttpRequest, **kwargs: Any) -> HttpResponse:
        if settings.API_DESCRIPTION == "off":
            raise Http404
        if settings.API_DESCRIPTION == "open" or request.user.is_authenticated or _has_token(request):
            return view(request, **kwargs)
        if "text/html" in request.headers.get("Accept", ""):
            return redirect_to_login(request.get_full_path())
        answer = problem(401, "Sign in first")
        answer.headers["WWW-Authenticate"] = "Bearer"
        return answer

    return guarded


def _has_token(request: HttpRequest) -> bool:
    try:
        return TokenAuth("read")(request) is not None
    except AuthenticationError:
        return False
