"""Where the script has been seen."""

from __future__ import annotations

from django.db import models

from neat_verdict.app.people.models import MachineKey


class SeenPage(models.Model):
    """A page that asked with a site's key; its path without what names a visitor or an order (`pages.page_path`)."""

    key = models.ForeignKey(MachineKey, on_delete=models.CASCADE, related_name="pages")
    origin = models.CharField(max_length=200)
    path = models.CharField(max_length=200)
    version = models.CharField(max_length=20)  # of the script
    held = models.BooleanField(default=False)  # not drawn until it is known what is shown
    first_at = models.DateTimeField()
    last_at = models.DateTimeField()

    class Meta:
        ordering = ["-last_at", "-id"]
        constraints = [models.UniqueConstraint(fields=["key", "origin", "path"], name="a_page_once_a_key")]

    @property
    def address(self) -> str:
        return self.origin + self.path
