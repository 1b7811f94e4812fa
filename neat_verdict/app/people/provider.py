"""Signing in by an identity provider: OpenID Connect Core 1.0 by its authorization code flow, with PKCE (RFC 7636).

What is said and signed there is checked by Authlib; here only whose account it opens is decided.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping
from typing import Any
from urllib.parse import urlencode

from authlib.common.errors import AuthlibBaseError
from authlib.integrations.django_client import OAuth
from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.signals import user_login_failed
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_safe
from joserfc.errors import JoseError
from requests import RequestException

from neat_verdict.app import clock
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.models import Identity, User

log = logging.getLogger(__name__)
BACK = "/sign-in/provider/back"
_NEXT = "provider-next"


class NotKnown(Exception):  # noqa: N818
    """The provider knows the person and we do not, as ``why`` says."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = why


def _client() -> Any:
    if not settings.OIDC_ISSUER:
        raise Http404
    registry = OAuth()
    registry.register(
        "provider",
        client_id=settings.OIDC_CLIENT,
        client_secret=settings.OIDC_SECRET,
        server_metadata_url=f"{settings.OIDC_ISSUER}/.well-known/openid-configuration",
        client_kwargs={"scope": "openid email profile", "code_challenge_method": "S256", "timeout": 10},
    )
    return registry.provider


@require_safe
def begin(request: HttpRequest) -> HttpResponse:
    """Send the browser to the provider; ``next`` is where it goes afterwards."""
    client = _client()
    try:
        answer = client.authorize_redirect(request, request.build_absolute_uri(BACK))
    except (AuthlibBaseError, RequestException, ValueError):
        log.exception("the identity provider does not answer")
        return _refused("away")
    request.session[_NEXT] = request.GET.get("next", "")[:2000]
    return answer


@require_safe
def back(request: HttpRequest) -> HttpResponse:
    """What the provider sends the browser back to: sign in whom it named, or say why not."""
    client = _client()
    try:
        claims = client.authorize_access_token(request).get("userinfo") or {}
    except (AuthlibBaseError, JoseError, RequestException, ValueError):
        log.exception("what came from the identity provider cannot be taken")
        return _refused("unclear")
    try:
        user = account_for(claims)
    except NotKnown as unknown:
        tried = str(claims.get("email") or claims.get("sub", ""))
        user_login_failed.send(__name__, credentials={"username": tried}, request=request)
        return _refused(unknown.why)
    following = request.session.pop(_NEXT, "")
    login(request, user, backend=settings.AUTHENTICATION_BACKENDS[0])
    here = url_has_allowed_host_and_scheme(following, {request.get_host()}, require_https=request.is_secure())
    return redirect(following if here else "/")


def _refused(why: str) -> HttpResponse:
    return redirect(f"/sign-in?{urlencode({'refused': why})}")


@transaction.atomic
def account_for(claims: Mapping[str, Any]) -> User:
    """The account of whom the provider named: the one linked to them, else the only one that has their address, which the
    provider must have verified, and which is linked from then on; else a new one where `settings.OIDC_NEWCOMERS` says so.

    Raises NotKnown ("deactivated", "unverified", "unknown" or "ambiguous").
    """
    issuer, subject = str(claims.get("iss") or settings.OIDC_ISSUER)[:255], str(claims.get("sub", ""))
    if not subject or len(subject) > 255:
        raise NotKnown("unknown")
    known = Identity.objects.select_related("user").filter(issuer=issuer, subject=subject).first()
    if known is not None:
        return _usable(known.user)
    email = str(claims.get("email", "")).strip()
    if not email or claims.get("email_verified") is not True:
        raise NotKnown("unverified")
    found = list(User.objects.filter(email__iexact=email, service=False)[:2])
    if len(found) > 1:
        raise NotKnown("ambiguous")
    user = _usable(found[0]) if found else _newcomer(claims, email)
    Identity.objects.create(user=user, issuer=issuer, subject=subject, linked_at=clock.now())
    note(user, user, "account", f"Linked to {settings.OIDC_NAME} as {email}")
    return user


def _usable(user: User) -> User:
    if not user.is_active:
        raise NotKnown("deactivated")
    return user


def _newcomer(claims: Mapping[str, Any], email: str) -> User:
    if settings.OIDC_NEWCOMERS not in User.Role.values:
        raise NotKnown("unknown")
    taken = User.objects.filter(username__iexact=email).exists()
    if taken or len(email) > 150:
        raise NotKnown("ambiguous")
    names = {
        "first_name": str(claims.get("given_name", ""))[:150],
        "last_name": str(claims.get("family_name", ""))[:150],
    }
    user = User(username=email, email=email, role=settings.OIDC_NEWCOMERS, **names)
    user.set_unusable_password()
    user.save()
    note(None, user, "account", f"{email} came by {settings.OIDC_NAME}, {user.role}")
    return user
