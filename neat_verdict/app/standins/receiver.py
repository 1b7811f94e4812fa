"""A system of the demo that is sent what happens: it checks the signature as anybody would, and shows what it got."""

from __future__ import annotations

import json

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import csrf_exempt
from standardwebhooks.webhooks import Webhook as Checker
from standardwebhooks.webhooks import WebhookVerificationError

from neat_verdict.app.standins.models import Received
from neat_verdict.app.webhooks.models import Webhook


@csrf_exempt
def receiver(request: HttpRequest) -> HttpResponse:
    """Take a message whose signature is right, each once; or show what came."""
    if not settings.DEMO:
        raise Http404
    return _take(request) if request.method == "POST" else _page(request)


def _take(request: HttpRequest) -> HttpResponse:
    hook = Webhook.objects.filter(url__endswith=request.path).first()
    if hook is None:
        return HttpResponse(status=404)
    try:
        Checker(hook.secret).verify(request.body, dict(request.headers.items()))
    except WebhookVerificationError as wrong:
        return HttpResponse(str(wrong), status=401, content_type="text/plain")
    sent, message = json.loads(request.body), request.headers["webhook-id"]
    if not Received.objects.filter(message=message).exists():
        Received.objects.create(message=message, kind=sent["type"], body=sent["data"])
    return HttpResponse(status=204)


@login_required
def _page(request: HttpRequest) -> HttpResponse:
    return render(request, "standins/receiver.html", {"messages": Received.objects.all()[:200]})
