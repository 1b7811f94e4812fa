"""Links by which anybody looks at a variant on the page itself, and is never counted."""

from __future__ import annotations

from datetime import datetime, timedelta

from neat_verdict.app import clock
from neat_verdict.app.experiments.addresses import address_of
from neat_verdict.app.experiments.models import Variant
from neat_verdict.app.http.problems import Gone
from neat_verdict.app.site.links import LinkKind, SignedLink
from neat_verdict.core.checks import InputError

MAX_DAYS = 30
_LINK = LinkKind(
    parameter="neat_preview", purpose="preview of a variant",
    stranger="is no link to a preview; copy the whole address",
    expired="This preview has expired. Ask whoever sent the link for a new one.",
)  # fmt: skip


def preview_link(variant: Variant, page: str, days: int) -> SignedLink:
    """A link to the page with the variant on it, or to the variant's own, which opens for ``days`` (1 to 30) and up to an hour.
    Raises InputError for others."""
    if not 1 <= days <= MAX_DAYS:
        raise InputError("days", days, f"must be 1 to {MAX_DAYS}")
    # To the full hour: asked for again, a link stays the same, and frames that show it need not be loaded again.
    expires_at = (clock.now() + timedelta(days=days, hours=1, microseconds=-1)).replace(
        minute=0, second=0, microsecond=0
    )
    return _LINK.to(address_of(page, variant), expires_at, variant.pk)


def previewed(token: str) -> tuple[Variant, datetime]:
    """The variant behind a link, and until when it opens. Raises InputError for one that was never made, Gone for one that opens
    no more."""
    (variant_id,), expires_at = _LINK.read(token)
    variant = Variant.objects.select_related("experiment").filter(pk=variant_id).first()
    if variant is None:
        raise Gone(_LINK.expired)
    return variant, expires_at
