"""Accounts in Django's own administration: for repairs. Daily work is done under Accounts, where it is written down."""

from typing import Any

from django.contrib import admin
from django.contrib.auth.admin import UserAdmin
from django.db.models import Model
from django.http import HttpRequest

from neat_verdict.app.people.models import User

_RIGHTS = ("role", "is_superuser", "is_staff", "groups", "user_permissions")


@admin.register(User)
class RoleAdmin(UserAdmin):
    list_display = ("username", "first_name", "last_name", "role", "is_active")
    fieldsets = (*(UserAdmin.fieldsets or ()), ("Neat Verdict", {"fields": ("role",)}))

    def get_readonly_fields(self, request: HttpRequest, obj: Any = None) -> tuple[str, ...]:
        """Rights are given by who has every right: others would give them to themselves."""
        return () if request.user.is_superuser else _RIGHTS

    def has_change_permission(self, request: HttpRequest, obj: Model | None = None) -> bool:
        """Nobody with fewer rights changes the password of who has every right."""
        return super().has_change_permission(request, obj) and self._may_touch(request, obj)

    def has_delete_permission(self, request: HttpRequest, obj: Model | None = None) -> bool:
        """As for changes."""
        return super().has_delete_permission(request, obj) and self._may_touch(request, obj)

    @staticmethod
    def _may_touch(request: HttpRequest, obj: Model | None) -> bool:
        asks = request.user
        assert isinstance(asks, User)
        return asks.is_superuser or not (isinstance(obj, User) and obj.is_superuser)
