"""The application's addresses, and an empty one to measure against."""

from django.http import HttpRequest, HttpResponse
from django.urls import path
from django.views.decorators.csrf import csrf_exempt

from neat_verdict.app.config.urls import urlpatterns as own


@csrf_exempt
def empty(request: HttpRequest) -> HttpResponse:
    return HttpResponse(b"{}", content_type="application/json")


urlpatterns = [path("empty", empty), *own]
