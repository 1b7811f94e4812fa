"""Accounts and their roles, what opens them, and the keys of machines."""

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
    """Django's account with one role. A stakeholder reads; an analyst does the work; an admin also keeps the accounts.

    A ``service`` is a system: nobody signs in to it, it works by tokens alone.
    """

    class Role(models.TextChoices):
        STAKEHOLDER = "stakeholder"
        ANALYST = "analyst"
        ADMIN = "admin"

    objects: ClassVar[Accounts] = Accounts()

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.STAKEHOLDER)
    service = models.BooleanField(default=False)
    invited_at = models.DateTimeField(null=True, blank=True)
    # What the address of the person’s calendar ends with, drawn at random; null where there is none.
    calendar = models.CharField(max_length=64, unique=True, null=True, blank=True)
    # How the person wants to see and use the application, as far as they have said it; by `preferences.Preferences`.
    preferences = models.JSONField(default=dict, blank=True)
    # What had changed on the docket by then has been seen; null for who has never said so.
    docket_looked_at = models.DateTimeField(null=True, blank=True)

    class Meta(AbstractUser.Meta):
        constraints = [
            models.CheckConstraint(condition=models.Q(role__in=["stakeholder", "analyst", "admin"]), name="role_known")
        ]

    @property
    def may_edit(self) -> bool:
        return self.is_active and (self.is_superuser or self.role in (self.Role.ANALYST, self.Role.ADMIN))

    @property
    def may_administer(self) -> bool:
        return self.is_active and (self.is_superuser or self.role == self.Role.ADMIN)

    @property
    def display_name(self) -> str:
        return self.get_full_name() or self.username

    @property
    def state(self) -> str:
        """``active``, ``invited`` (nobody has chosen a password yet) or ``deactivated``."""
        if not self.is_active:
            return "deactivated"
        waits = (
            self.invited_at is not None and not self.service and not self.has_usable_password() and not self.last_login
        )
        return "invited" if waits else "active"


class AccountEntry(models.Model):
    """Who changed what of accounts, keys and links, when. Append-only: the database refuses a change or a removal.

    ``about`` is the account that it concerns; ``by`` is None where nobody was signed in, as when a link of a mail was followed.
    """

    at = models.DateTimeField(default=clock.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    about = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+", null=True, blank=True
    )
    verb = models.CharField(max_length=30)
    sentence = models.CharField(max_length=500)
    detail = models.JSONField(default=dict)

    class Meta:
        ordering = ["-at", "-id"]


class SecondFactor(models.Model):
    """A secret that an app on a person's phone knows too (RFC 6238), and codes for when the phone is lost, of which the digests.

    ``last_step`` is the time step of the last code that was accepted: no code opens twice.
    """

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="second_factor")
    secret = models.CharField(max_length=64)
    confirmed_at = models.DateTimeField(null=True, blank=True)
    last_step = models.BigIntegerField(default=0)
    recovery = models.JSONField(default=list)


class SignedIn(models.Model):
    """A session of a person: where, and since when. ``session_key`` is Django's own."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="signed_in")
    session_key = models.CharField(max_length=40, unique=True)
    began = models.DateTimeField(default=clock.now)
    seen = models.DateTimeField(default=clock.now)
    address = models.CharField(max_length=64, blank=True, default="")
    browser = models.CharField(max_length=200, blank=True, default="")

    class Meta:
        ordering = ["-seen", "-id"]


class Identity(models.Model):
    """How an identity provider knows a person (OpenID Connect Core 1.0: ``iss`` and ``sub``)."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="identities")
    issuer = models.CharField(max_length=255)
    subject = models.CharField(max_length=255)
    linked_at = models.DateTimeField(default=clock.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["issuer", "subject"], name="identity_of_one_account")]


TOKEN_SCOPES = {
    "read": "read everything that its account may read",
    "write": "plan, start, bring in counts, share",
    "decide": "record and withdraw decisions, plan and stop rollouts",
}


class Token(models.Model):
    """With which a programme does what its account may do, as far as ``scopes`` go. Only the digest is kept of it."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="tokens")
    name = models.CharField(max_length=80)
    start = models.CharField(max_length=12)
    digest = models.CharField(max_length=64, unique=True)
    scopes = models.JSONField(default=list)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)
    expires_at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    used_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-id"]


SCOPES = {
    "assign": "ask which variant a unit gets",
    "collect": "send exposures and events",
    "read": "read the list of running experiments",
    "reduce": "bring in counts from where the data live",
    "observe": "read how the installation does",
}
USUAL_SCOPES = ("assign", "collect", "read")


def usual_scopes() -> list[str]:
    """What a key may do unless it is made for something else."""
    return list(USUAL_SCOPES)


class MachineKey(models.Model):
    """A key with which a server or a page of a site reaches us.

    Of a server's only the digest is kept; its ``scopes`` say what it may do. That of a site stands in its pages for everybody to
    read: it may ask for assignments and send events, from the ``origins`` listed for it, ``per_minute`` times at most.
    """

    class Kind(models.TextChoices):
        SERVER = "server"
        SITE = "site"

    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=8, choices=Kind.choices, default=Kind.SERVER)
    start = models.CharField(max_length=12)
    digest = models.CharField(max_length=64, unique=True)
    public = models.CharField(max_length=80, blank=True, default="")  # of a site's, the whole of it
    scopes = models.JSONField(default=usual_scopes)
    origins = models.JSONField(default=list, blank=True)
    per_minute = models.PositiveIntegerField(default=0)  # 0: as many as come, of servers’ keys of older versions
    events_per_day = models.PositiveIntegerField(default=0)  # 0: as many as come
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(default=clock.now)
    expires_at = models.DateTimeField(null=True, blank=True)
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    used_at = models.DateTimeField(null=True, blank=True)
    refused = models.PositiveIntegerField(default=0)  # requests that came too fast

    class Meta:
        ordering = ["-made_at", "-id"]
        constraints = [
            models.CheckConstraint(condition=models.Q(kind__in=["server", "site"]), name="kind_of_key_known"),
            models.CheckConstraint(
                condition=models.Q(kind="server", public="") | models.Q(kind="site", per_minute__gt=0),
                name="site_key_public_and_bounded",
            ),
        ]


class KeyDay(models.Model):
    """How many events a key with a daily number brought on a day."""

    key = models.ForeignKey(MachineKey, on_delete=models.CASCADE, related_name="days")
    day = models.DateField()
    events = models.PositiveBigIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "day"], name="a_day_of_a_key_once")]
