"""Addresses of the stand-ins."""

from django.urls import path

from neat_verdict.app.standins import identity, receiver, views

urlpatterns = [
    path("tidewick/", views.booking_site),
    path("tidewick/<slug:page>", views.booking_site),
    path("mailbox", views.mailbox),
    path("receiver", receiver.receiver),
    path("identity/.well-known/openid-configuration", identity.configuration),
    path("identity/keys", identity.keys),
    path("identity/authorize", identity.authorize),
    path("identity/token", identity.token),
]
