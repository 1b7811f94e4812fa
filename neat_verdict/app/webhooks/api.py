"""Webhooks over HTTP; admins only, since whoever makes one has the server send things to where they say."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Max, Q, QuerySet
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router, Status

from neat_verdict.app.http.pages import Page
from neat_verdict.app.people.actions import require_admin
from neat_verdict.app.people.auth import person
from neat_verdict.app.webhooks import actions
from neat_verdict.app.webhooks.models import KINDS, Delivery, Webhook
from neat_verdict.app.webhooks.schemas import (
    DeliveriesOut,
    DeliveryOut,
    WebhookChanges,
    WebhookIn,
    WebhookOut,
    WebhooksOut,
)

router = Router(tags=["webhooks"])


@router.get("/webhooks", response=WebhooksOut, operation_id="list_webhooks")
def list_webhooks(request: HttpRequest) -> WebhooksOut:
    """The systems that are sent what happens."""
    require_admin(person(request))
    return WebhooksOut(
        kinds={kind: KINDS[kind] for kind in actions.CHOSEN}, webhooks=[_shown(hook) for hook in _counted().all()]
    )


@router.post("/webhooks", response={201: WebhookOut}, operation_id="make_webhook")
def make(request: HttpRequest, payload: WebhookIn) -> Status[WebhookOut]:
    """Have a system be sent what happens from now on."""
    made = actions.make_webhook(person(request), payload.name, payload.url, payload.kinds)
    return Status(201, _one(made.pk))


@router.patch("/webhooks/{number}", response=WebhookOut, operation_id="edit_webhook")
def edit(request: HttpRequest, number: int, payload: WebhookChanges) -> WebhookOut:
    """Another name, address or kinds; pause it, or go on."""
    by = person(request)
    require_admin(by)
    actions.edit_webhook(by, get_object_or_404(Webhook, pk=number), **payload.model_dump(exclude_none=True))
    return _one(number)


@router.delete("/webhooks/{number}", response={204: None}, operation_id="remove_webhook")
def remove(request: HttpRequest, number: int) -> Status[None]:
    """Remove a webhook; nothing more is sent to its address."""
    by = person(request)
    require_admin(by)
    actions.remove_webhook(by, get_object_or_404(Webhook, pk=number))
    return Status(204, None)


@router.post("/webhooks/{number}/test", response=WebhookOut, operation_id="try_webhook")
def try_it(request: HttpRequest, number: int) -> WebhookOut:
    """Send it something that did not happen; it goes out within a minute."""
    by = person(request)
    require_admin(by)
    actions.try_webhook(by, get_object_or_404(Webhook, pk=number))
    return _one(number)


@router.get("/webhooks/{number}/deliveries", response=DeliveriesOut, operation_id="list_deliveries")
def deliveries(request: HttpRequest, number: int, page: Query[Page]) -> DeliveriesOut:
    """What it was sent, the latest first."""
    require_admin(person(request))
    found = get_object_or_404(Webhook, pk=number).deliveries.select_related("happening")
    return DeliveriesOut(items=[_delivery(one) for one in page.of(found)], count=found.count())


@router.post("/webhooks/{number}/deliveries/{delivery}/again", response=DeliveryOut, operation_id="send_again")
def again(request: HttpRequest, number: int, delivery: int) -> DeliveryOut:
    """Send it once more, with the same id."""
    by = person(request)
    require_admin(by)
    sent = get_object_or_404(Webhook, pk=number).deliveries.select_related("happening")
    found = get_object_or_404(sent, pk=delivery)
    return _delivery(actions.send_again(by, found))


def _counted() -> QuerySet[Any]:
    return Webhook.objects.select_related("made_by").annotate(
        waiting=Count("deliveries", filter=Q(deliveries__state="waiting")),
        failed=Count("deliveries", filter=Q(deliveries__state="failed")),
        last_sent=Max("deliveries__sent_at"),
    )


def _one(number: int) -> WebhookOut:
    return _shown(_counted().get(pk=number))


def _shown(hook: Any) -> WebhookOut:
    fields = ("name", "url", "secret", "kinds", "made_at", "waiting", "failed", "last_sent")
    return WebhookOut(
        id=hook.pk,
        made_by=hook.made_by.display_name,
        pause=hook.pause if hook.paused_at else "",
        **{field: getattr(hook, field) for field in fields},
    )


def _delivery(one: Delivery) -> DeliveryOut:
    fields = ("message", "state", "tries", "due_at", "sent_at", "status", "problem")
    return DeliveryOut(
        id=one.pk,
        kind=one.happening.kind,
        at=one.happening.at,
        name=one.happening.data.get("name", ""),
        sentence=one.happening.data.get("sentence", ""),
        data=one.happening.data,
        **{field: getattr(one, field) for field in fields},
    )
