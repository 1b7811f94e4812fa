"""Every address: the API, the accounts' administration, and the one page that holds the screens."""

from django.contrib import admin
from django.urls import include, path, re_path
from django.views.generic import RedirectView

from neat_verdict.app.config.api import api
from neat_verdict.app.config.shell import link_screen, screen, shared_screen, sign_in_screen
from neat_verdict.app.people import provider
from neat_verdict.app.site import ofrep

urlpatterns = [
    path("api/v1/", api.urls),
    path("site/v1/", include("neat_verdict.app.site.urls")),
    path("ofrep/v1/evaluate/flags", ofrep.evaluate_all),
    path("ofrep/v1/evaluate/flags/<str:key>", ofrep.evaluate),
    # Its own form would be a second way in, with limits of its own.
    path("admin/login/", RedirectView.as_view(url="/sign-in", query_string=True)),
    path("admin/", admin.site.urls),
    path("sign-in", sign_in_screen),
    path("sign-in/provider", provider.begin),
    path(provider.BACK.lstrip("/"), provider.back),
    path("set-password/<str:place>/<str:token>", link_screen),
    path("shared/<str:token>", shared_screen),
    path("for-engineers/<str:token>", shared_screen),
    path("", include("neat_verdict.app.standins.urls")),
    re_path(r"^(?!api/|site/|ofrep/|static/).*$", screen),
]
