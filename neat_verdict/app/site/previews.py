"""Links by which anybody looks at a variant on the page itself: signed, not stored, ending by themselves, and never counted."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from urllib.parse import urlsplit, urlunsplit

from django.core import signing

from neat_verdict.app import clock
from neat_verdict.app.experiments.addresses import address_of
from neat_verdict.app.experiments.models import Variant
from neat_verdict.app.http.problems import Gone
from neat_verdict.core.checks import InputError

PARAMETER = "neat_preview"  # in the page's address; web/site/src/preview.ts reads it
MAX_DAYS = 30
_SIGNER = signing.Signer(salt="preview of a variant", sep="~")


@dataclass(frozen=True, slots=True)
class PreviewLink:
    """Where a variant can be looked at until when."""

    address: str
    expires_at: datetime


def preview_link(variant: Variant, page: str, days: int) -> PreviewLink:
    """A link to the page with the variant on it, or to the variant's own, which opens for ``days`` (1 to 30) and up to an hour.
    Raises InputError for others."""
    if not 1 <= days <= MAX_DAYS:
        raise InputError("days", days, f"must be 1 to {MAX_DAYS}")
    # To the full hour: asked for again, a link stays the same, and frames that show it need not be loaded again.
    expires_at = (clock.now() + timedelta(days=days, hours=1, microseconds=-1)).replace(
        minute=0, second=0, microsecond=0
    )
    token = _SIGNER.sign(f"{variant.pk}-{int(expires_at.timestamp())}")
    parts = urlsplit(address_of(page, variant))
    query = f"{parts.query}&" if parts.query else ""
    return PreviewLink(urlunsplit(parts._replace(query=f"{query}{PARAMETER}={token}")), expires_at)


def previewed(token: str) -> tuple[Variant, datetime]:
    """The variant behind a link, and until when it opens. Raises InputError for one that was never made, Gone for one that opens
    no more."""
    try:
        variant_id, until = (int(part) for part in _SIGNER.unsign(token).split("-"))
    except (signing.BadSignature, ValueError) as bad:
        raise InputError("token", token[:80], "is no link to a preview; copy the whole address") from bad
    expires_at = datetime.fromtimestamp(until, UTC)
    variant = Variant.objects.select_related("experiment").filter(pk=variant_id).first()
    if expires_at <= clock.now() or variant is None:
        raise Gone("This preview has expired. Ask whoever sent the link for a new one.")
    return variant, expires_at
