"""Accounts are kept in Django's own administration."""

from django.contrib import admin
from django.contrib.auth.admin import UserAdmin

from neat_verdict.app.people.models import User


@admin.register(User)
class RoleAdmin(UserAdmin):
    list_display = ("username", "first_name", "last_name", "role", "is_active")
    fieldsets = (*(UserAdmin.fieldsets or ()), ("Neat Verdict", {"fields": ("role",)}))
