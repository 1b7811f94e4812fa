"""Addresses of the stand-ins."""

from django.urls import path

from neat_verdict.app.standins import views

urlpatterns = [
    path("tidewick/", views.booking_site),
    path("tidewick/<slug:page>", views.booking_site),
    path("mailbox", views.mailbox),
]
