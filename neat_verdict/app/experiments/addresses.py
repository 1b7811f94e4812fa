"""The addresses of an experiment's pages: that which all visitors come to, and those of variants that are pages of their own.

Pages are known by origin and path: the query says who comes from where, and a page is the same with any.
"""

from __future__ import annotations

from urllib.parse import urljoin, urlsplit

from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.app.people.origins import origin_of
from neat_verdict.core.checks import InputError


def address_of(page: str, variant: Variant) -> str:
    """Where a variant is looked at: at its own address, or at the page; "" where there is neither."""
    return urljoin(page, variant.address) if page and variant.address else page


def page_of(address: str) -> str:
    """What identifies the page of an address: its origin and path, without a slash at the end. Raises InputError for what is no
    address of a page."""
    return same_page(origin_of(address), urlsplit(address).path)


def same_page(origin: str, path: str) -> str:
    """What identifies a page as its origin and path are sent; `page_of` of its address."""
    return origin + (path.rstrip("/") or "/")


def check_addresses(experiment: Experiment) -> None:
    """Raises InputError, naming the field, for addresses between which visitors could not be sent, or a page that could not be
    changed."""
    variants = list(experiment.variants.all())
    own = [variant for variant in variants if variant.address]
    if not own and not any(variant.page_changes for variant in variants):
        return
    if not experiment.page:
        raise InputError(
            "page", "empty", "must be the address of the page that visitors come to, since it is changed there"
        )
    if experiment.data_from != "events":
        raise InputError("data_from", experiment.data_from, "must be events: only for whom we assign a page can change")
    if urlsplit(experiment.page).query:
        raise InputError("page", experiment.page, "must be without ?…, since it is known without it")
    taken = {page_of(experiment.page): "the page that is tested"}
    for variant in own:
        field = f"variants.{variant.position}.address"
        address = address_of(experiment.page, variant)
        if not variant.address.startswith(("https://", "http://", "/")) or variant.address.startswith("//"):
            raise InputError(field, variant.address, "must be like https://www.example.com/sailings-b or /sailings-b")
        if origin_of(address, field) != origin_of(experiment.page):
            wanted = origin_of(experiment.page)
            raise InputError(
                field, variant.address, f"must lie at {wanted}: visitors are known by a cookie of that site"
            )
        if (page := page_of(address)) in taken:
            raise InputError(field, variant.address, f"is {taken[page]}, whatever follows the ?")
        taken[page] = f"the address of {variant.letter}"
