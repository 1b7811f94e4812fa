"""Accounts as they are shown."""

from __future__ import annotations

from neat_verdict.app.people.accounts import holdings
from neat_verdict.app.people.models import Token, User
from neat_verdict.app.people.schemas import AccountLine, AccountOut, HeldOut, TokenOut


def line(user: User, with_factor: set[int]) -> dict[str, object]:
    """What a list shows of an account; ``with_factor`` are the ids of those with a second factor."""
    fields = ("username", "display_name", "email", "role", "state", "service", "last_login")
    return {
        **{field: getattr(user, field) for field in fields},
        "every_right": user.is_superuser,
        "second_factor": user.pk in with_factor,
    }


def account_line(user: User) -> AccountLine:
    """An account in a list."""
    return AccountLine.model_validate(line(user, factors([user.pk])))


def factors(ids: list[int]) -> set[int]:
    """Of these accounts those whose signing in asks for a second factor."""
    found = User.objects.filter(pk__in=ids, second_factor__confirmed_at__isnull=False)
    return set(found.values_list("pk", flat=True))


def account_out(user: User) -> AccountOut:
    """An account with what was made in its name."""
    held = holdings(user)
    return AccountOut.model_validate(
        {
            **line(user, factors([user.pk])),
            "first_name": user.first_name,
            "last_name": user.last_name,
            "sessions": user.signed_in.count(),
            "keys": [HeldOut(name=key.name, where=f"{key.start}…") for key in held.keys],
            "links": [HeldOut(name=link.note or link.kind, where=link.experiment.name) for link in held.links],
            "tokens": tokens_of(user),
            "schedules": [schedule.lake for schedule in held.schedules],
            "experiments": [HeldOut(name=one.name, where=one.key) for one in held.experiments],
        }
    )


def tokens_of(user: User) -> list[TokenOut]:
    """The tokens of an account, the latest first."""
    return [token_out(token) for token in user.tokens.select_related("made_by")]


def token_out(token: Token) -> TokenOut:
    """A token, without its secret."""
    fields = ("name", "start", "scopes", "made_at", "expires_at", "withdrawn_at", "used_at")
    return TokenOut(
        id=token.pk, made_by=token.made_by.display_name, **{field: getattr(token, field) for field in fields}
    )
