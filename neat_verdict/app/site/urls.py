"""Addresses for the pages of a site."""

from django.urls import path

from neat_verdict.app.site import script, views

urlpatterns = [
    path("assign", views.assign),
    path("change", views.change),
    path("events", views.events),
    path("preview", views.preview),
    path("use", views.use),
    path("<str:name>", script.script),
]
