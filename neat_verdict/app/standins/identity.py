"""An identity provider of the demo: made-up people sign in by choosing who they are.

OpenID Connect Core 1.0, by the authorization code flow, with PKCE.
"""

from __future__ import annotations

import base64
import hashlib
from typing import Any
from urllib.parse import urlencode, urlsplit

from django.conf import settings
from django.core import signing
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST, require_safe
from joserfc import jwt
from joserfc.jwk import RSAKey

from neat_verdict.app import clock
from neat_verdict.app.people.provider import BACK
from neat_verdict.app.standins.models import SigningKey

SALT = "identity stand-in"
CODE_SECONDS, TOKEN_SECONDS = 60, 300
# Of the demo's accounts, and somebody whom nobody has invited.
PEOPLE = {
    "tw-101": {"given_name": "Mona", "family_name": "Orrell", "email": "mona@tidewick.example", "email_verified": True},
    "tw-102": {"given_name": "Silas", "family_name": "Tarn", "email": "silas@tidewick.example", "email_verified": True},
    "tw-103": {"given_name": "Ada", "family_name": "Fenwick", "email": "ada@tidewick.example", "email_verified": True},
    "tw-104": {"given_name": "Odo", "family_name": "Brill", "email": "odo@tidewick.example", "email_verified": True},
    "tw-105": {"given_name": "Wyn", "family_name": "Sedge", "email": "mona@tidewick.example", "email_verified": False},
}


def _only_in_demo() -> None:
    if not settings.DEMO:
        raise Http404


def _issuer(request: HttpRequest) -> str:
    return request.build_absolute_uri("/identity")


def _key() -> RSAKey:
    found = SigningKey.objects.first()
    if found is None:
        made = RSAKey.generate_key(2048)
        found = SigningKey.objects.create(private=made.as_pem(private=True).decode())
    return RSAKey.import_key(found.private, {"use": "sig", "alg": "RS256", "kid": str(found.pk)})


@require_safe
def configuration(request: HttpRequest) -> JsonResponse:
    """What a client has to know (OpenID Connect Discovery 1.0)."""
    _only_in_demo()
    issuer = _issuer(request)
    return JsonResponse(
        {
            "issuer": issuer,
            "authorization_endpoint": f"{issuer}/authorize",
            "token_endpoint": f"{issuer}/token",
            "jwks_uri": f"{issuer}/keys",
            "response_types_supported": ["code"],
            "subject_types_supported": ["public"],
            "id_token_signing_alg_values_supported": ["RS256"],
            "code_challenge_methods_supported": ["S256"],
            "token_endpoint_auth_methods_supported": ["client_secret_basic"],
        }
    )


@require_safe
def keys(_request: HttpRequest) -> JsonResponse:
    """The public key by which its tokens are checked."""
    _only_in_demo()
    return JsonResponse({"keys": [_key().as_dict(private=False)]})


@require_safe
def authorize(request: HttpRequest) -> HttpResponse:
    """Choose who one is; the choice leads back with a code."""
    _only_in_demo()
    asked = request.GET
    back = asked.get("redirect_uri", "")
    if asked.get("client_id") != settings.OIDC_CLIENT or urlsplit(back).path != BACK:
        return HttpResponse("Nobody here knows who sent you.", status=400, content_type="text/plain")
    who = asked.get("person")
    if who == "nobody":
        return redirect(f"{back}?{urlencode({'error': 'access_denied', 'state': asked.get('state', '')})}")
    if who in PEOPLE:
        promised = {name: asked.get(name, "") for name in ("nonce", "code_challenge", "redirect_uri")}
        code = signing.dumps({"person": who, **promised}, salt=SALT)
        return redirect(f"{back}?{urlencode({'code': code, 'state': asked.get('state', '')})}")
    people = [
        {**person, "address": f"?{urlencode({**asked.dict(), 'person': subject})}"}
        for subject, person in PEOPLE.items()
    ]
    nobody = f"?{urlencode({**asked.dict(), 'person': 'nobody'})}"
    return render(request, "standins/identity.html", {"people": people, "nobody": nobody})


@csrf_exempt
@require_POST
def token(request: HttpRequest) -> JsonResponse:
    """A code for a signed token of who it is."""
    _only_in_demo()
    sent = request.POST
    try:
        promised: dict[str, Any] = signing.loads(sent.get("code", ""), salt=SALT, max_age=CODE_SECONDS)
    except signing.BadSignature:
        return JsonResponse({"error": "invalid_grant"}, status=400)
    basic = base64.b64encode(f"{settings.OIDC_CLIENT}:{settings.OIDC_SECRET}".encode()).decode()
    if request.headers.get("Authorization") != f"Basic {basic}":
        return JsonResponse({"error": "invalid_client"}, status=401)
    digest = hashlib.sha256(sent.get("code_verifier", "").encode()).digest()
    challenge = base64.urlsafe_b64encode(digest).rstrip(b"=").decode()
    if challenge != promised["code_challenge"] or sent.get("redirect_uri") != promised["redirect_uri"]:
        return JsonResponse({"error": "invalid_grant"}, status=400)
    now = int(clock.now().timestamp())
    claims = {
        "iss": _issuer(request), "sub": promised["person"], "aud": settings.OIDC_CLIENT, "iat": now, "exp": now + TOKEN_SECONDS,
        "nonce": promised["nonce"], **PEOPLE[promised["person"]],
    }  # fmt: skip
    key = _key()
    signed = jwt.encode({"alg": "RS256", "kid": key.kid}, claims, key)
    return JsonResponse(
        {"access_token": "none-is-needed", "token_type": "Bearer", "expires_in": TOKEN_SECONDS, "id_token": signed}
    )
