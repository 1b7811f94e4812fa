"""Accounts and their roles."""

from __future__ import annotations

from typing import Any, ClassVar

from django.conf import settings
from django.contrib.auth.models import AbstractUser, UserManager
from django.db import models

from neat_verdict.app import clock


class Accounts(UserManager["User"]):
    def create_superuser(self, *args: Any, **more: Any) -> Any:
        """Who may do everything is called an admin, not by the usual role."""
        more.setdefault("role", "admin")
        return super().create_superuser(*args, **more)


class User(AbstractUser):
    """Django's account with one role. A stakeholder reads; an analyst does the work; an admin also keeps the accounts."""

    class Role(models.TextChoices):
        STAKEHOLDER = "stakeholder"
        ANALYST = "analyst"
        ADMIN = "admin"

    objects: ClassVar[Accounts] = Accounts()

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.STAKEHOLDER)

    class Meta(AbstractUser.Meta):
        constraints = [
            models.CheckConstraint(condition=models.Q(role__in=["stakeholder", "analyst", "admin"]), name="role_known")
        ]

    @property
    def may_edit(self) -> bool:
        return self.is_active and (self.is_superuser or self.role in (self.Role.ANALYST, self.Role.ADMIN))

    @property
    def display_name(self) -> str:
        return self.get_full_name() or self.username


class MachineKey(models.Model):
    """A key with which a machine asks for assignments and sends events. Only its digest is kept."""

    name = models.CharField(max_length=80)
    start = models.CharField(max_length=12)
    digest = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)
    withdrawn_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-id"]
