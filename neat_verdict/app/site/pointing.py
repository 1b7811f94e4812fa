"""Changing a variant on the page itself: a link for the person who asked for it, under which the script takes what they point at.

The link is all that the page has of its person, since no cookie of ours reaches another origin: it opens for an hour, for one
variant of a draft, and what comes by it is an edit by that person, checked, stored and recorded as any.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions import edit_experiment, record
from neat_verdict.app.experiments.actions.parts import lines_of
from neat_verdict.app.experiments.addresses import page_of
from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.app.experiments.page_changes import checked_changes, read_change, read_changes
from neat_verdict.app.http.problems import Conflict, Gone
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.people.origins import origin_of
from neat_verdict.app.site.links import LinkKind, SignedLink
from neat_verdict.core.checks import InputError

OPEN_FOR = timedelta(hours=1)
_LINK = LinkKind(
    parameter="neat_point", purpose="changing a variant on the page",
    stranger="is no link for changing a page; open the page from the Brief",
    expired="This link has expired. Open the page from the Brief again; what was saved is kept.",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Pointed:
    """What the page shows of the variant that is changed there."""

    experiment: str
    variant: str
    name: str
    page: str
    expires_at: datetime
    version: int
    changes: list[dict[str, Any]]
    words: list[str]


def pointing_link(by: User, experiment: Experiment, letter: str) -> SignedLink:
    """A link to the page, by which ``by`` changes a variant there. Raises Conflict where it cannot be changed, InputError for no
    variant of the experiment."""
    require_editor(by)
    variant = next((one for one in experiment.variants.all() if one.letter == letter), None)
    if variant is None:
        raise InputError("variant", letter, "is no variant of this experiment")
    _check_may_change(variant)
    record(experiment, by, "share", f"Opened the page for an hour, to change {letter} there")
    return _LINK.to(experiment.page, clock.now() + OPEN_FOR, variant.pk, by.pk)


def pointed(token: str, origin: str) -> Pointed:
    """The variant behind a link, for a page of its origin. Raises InputError for a link that was never made or that is of another
    origin, Gone for one that opens no more, PermissionDenied where its person may no longer."""
    by, variant, expires_at = _behind(token, origin)
    require_editor(by)
    return _pointed(variant, expires_at)


def keep_pointed(token: str, origin: str, version: int, changes: object) -> Pointed:
    """The same with other changes, made on ``version`` of the experiment. Raises further InputError, naming the change by its
    number and the field; Conflict where the experiment has moved on, or may not be changed any more."""
    by, variant, expires_at = _behind(token, origin)
    _check_may_change(variant)
    experiment = variant.experiment
    lines = lines_of(experiment)
    # Checked here too, so that what is refused is named by its place in what the page sent.
    lines[variant.position]["page_changes"] = checked_changes("changes", read_changes("changes", changes))
    edit_experiment(by, experiment.key, version, {"variants": lines})
    return _pointed(Variant.objects.select_related("experiment").get(pk=variant.pk), expires_at)


def _behind(token: str, origin: str) -> tuple[User, Variant, datetime]:
    (variant_id, user_id), expires_at = _LINK.read(token)
    by = User.objects.filter(pk=user_id, is_active=True).first()
    variant = Variant.objects.select_related("experiment").filter(pk=variant_id).first()
    if by is None or variant is None:
        raise Gone(_LINK.expired)
    page = variant.experiment.page
    if not page or origin_of(page) != origin:
        raise InputError("token", token[:80], "is for a page of another site")
    return by, variant, expires_at


def _check_may_change(variant: Variant) -> None:
    experiment = variant.experiment
    if experiment.rule_locked_at is not None or experiment.state != "draft":
        raise Conflict(
            "This experiment is no draft any more: what the variant changes is changed in the Brief, for a reason"
        )
    if not experiment.page:
        raise Conflict("Give the address of the page first; it is changed there")
    if variant.position == 0:
        raise Conflict("Control is the page as it is; change another variant")
    if variant.address:
        raise Conflict(f"{variant.letter} is a page at its own address; take the address away to change this one")


def _pointed(variant: Variant, expires_at: datetime) -> Pointed:
    experiment = variant.experiment
    return Pointed(
        experiment=experiment.name, variant=variant.letter, name=variant.name, page=page_of(experiment.page),
        expires_at=expires_at, version=experiment.version, changes=variant.page_changes,
        words=[read_change(line).words() for line in variant.page_changes],
    )  # fmt: skip


def as_sent(pointed: Pointed) -> dict[str, Any]:
    """As the page gets it."""
    return {**asdict(pointed), "expires_at": pointed.expires_at.isoformat()}
