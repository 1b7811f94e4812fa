"""What admins keep: accounts, the workspace, and who changed what of them."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router
from ninja.responses import Status

from neat_verdict.app.experiments.actions.workspace import edit_workspace, zone_stands
from neat_verdict.app.experiments.queries import local_moment, workspace
from neat_verdict.app.http.pages import Page
from neat_verdict.app.people import accounts, passwords, second_factor
from neat_verdict.app.people.accounts_presenting import account_line, account_out, factors, line, token_out
from neat_verdict.app.people.actions import require_admin
from neat_verdict.app.people.auth import PEOPLE_ONLY, person
from neat_verdict.app.people.models import AccountEntry, Token, User
from neat_verdict.app.people.schemas import (
    AccountChanges,
    AccountEntryOut,
    AccountIn,
    AccountLine,
    AccountLogOut,
    AccountOut,
    AccountsOut,
    Deactivation,
    InvitedOut,
    NewTokenOut,
    TokenIn,
    TokenOut,
    WorkspaceChanges,
    WorkspaceOut,
)
from neat_verdict.app.people.tokens import make_token, withdraw_token
from neat_verdict.core.checks import InputError

router = Router(tags=["accounts"], auth=PEOPLE_ONLY)


@router.get("/accounts", response=AccountsOut, operation_id="list_accounts")
def list_accounts(request: HttpRequest, page: Query[Page]) -> AccountsOut:
    """Every account, by name; admins only."""
    require_admin(person(request))
    found = User.objects.order_by("-is_active", "service", "username")
    shown = list(page.of(found))
    have = factors([user.pk for user in shown])
    return AccountsOut(items=[AccountLine.model_validate(line(user, have)) for user in shown], count=found.count())


@router.post("/accounts", response={201: InvitedOut}, operation_id="make_account")
def make_account(request: HttpRequest, payload: AccountIn) -> Status[InvitedOut]:
    """Invite a person, who chooses a password by a link; or an account for a system, which works by tokens."""
    by = person(request)
    if payload.service:
        made = accounts.make_service(by, payload.username, payload.role)
        return Status(201, InvitedOut(account=account_line(made), address="", mailed=False))
    user = accounts.invite(
        by,
        payload.username,
        payload.email,
        payload.role,
        first_name=payload.first_name,
        last_name=payload.last_name,
    )
    return Status(201, _link(request, by, user))


def _link(request: HttpRequest, by: User, user: User) -> InvitedOut:
    address = request.build_absolute_uri(passwords.path_for(user))
    mailed = passwords.send_link(request, user, invited_by=by.display_name)
    return InvitedOut(account=account_line(user), address=address, mailed=mailed)


@router.get("/accounts/{username}", response=AccountOut, operation_id="get_account")
def get_account(request: HttpRequest, username: str) -> AccountOut:
    """An account with the keys, links, tokens and experiments in its name."""
    require_admin(person(request))
    return account_out(_account(username))


@router.patch("/accounts/{username}", response=AccountOut, operation_id="edit_account")
def edit_account(request: HttpRequest, username: str, payload: AccountChanges) -> AccountOut:
    """Another role, name or address."""
    by = person(request)
    require_admin(by)
    return account_out(accounts.edit(by, _account(username), **payload.model_dump()))


@router.post("/accounts/{username}/link", response=InvitedOut, operation_id="send_password_link")
def send_link(request: HttpRequest, username: str) -> InvitedOut:
    """Another link by which the person chooses a password."""
    by = person(request)
    require_admin(by)
    user = _account(username)
    accounts.allow_link(by, user)
    return _link(request, by, user)


@router.post("/accounts/{username}/deactivate", response=AccountOut, operation_id="deactivate_account")
def deactivate_account(request: HttpRequest, username: str, payload: Deactivation) -> AccountOut:
    """Nobody comes in by the account any more; what was made in its name ends, or passes to somebody."""
    by = person(request)
    require_admin(by)
    heir = None
    if payload.hand_over_to is not None:
        heir = User.objects.filter(username=payload.hand_over_to).first()
        if heir is None:
            raise InputError("hand_over_to", payload.hand_over_to[:80], "must be another analyst or admin")
    return account_out(accounts.deactivate(by, _account(username), heir))


@router.post("/accounts/{username}/reactivate", response=AccountOut, operation_id="reactivate_account")
def reactivate_account(request: HttpRequest, username: str) -> AccountOut:
    """The account may be used again; what ended with it stays so."""
    by = person(request)
    require_admin(by)
    return account_out(accounts.reactivate(by, _account(username)))


@router.delete("/accounts/{username}/second-factor", response=AccountOut, operation_id="reset_second_factor")
def reset_second_factor(request: HttpRequest, username: str) -> AccountOut:
    """For somebody who lost both the phone and the recovery codes."""
    by = person(request)
    require_admin(by)
    user = _account(username)
    accounts.check_superuser(by, user)
    second_factor.remove(by, user)
    return account_out(user)


@router.delete("/accounts/{username}/sessions", response=AccountOut, operation_id="end_sessions_of_account")
def end_sessions_of_account(request: HttpRequest, username: str) -> AccountOut:
    """Sign a person out everywhere."""
    by = person(request)
    require_admin(by)
    user = _account(username)
    accounts.sign_out_everywhere(by, user)
    return account_out(user)


@router.post("/accounts/{username}/tokens", response={201: NewTokenOut}, operation_id="make_service_token")
def make_service_token(request: HttpRequest, username: str, payload: TokenIn) -> Status[NewTokenOut]:
    """A token of a system's account; people make theirs themselves."""
    by = person(request)
    require_admin(by)
    user = _account(username)
    if not user.service:
        raise InputError("username", username, "is a person, who makes tokens under their own account")
    token, secret = make_token(by, user, payload.name, payload.scopes, local_moment(payload.expires_at))
    return Status(201, NewTokenOut(**token_out(token).model_dump(), secret=secret))


@router.delete("/accounts/{username}/tokens/{number}", response=TokenOut, operation_id="withdraw_token_of_account")
def withdraw_token_of_account(request: HttpRequest, username: str, number: int) -> TokenOut:
    """The token opens nothing any more."""
    by = person(request)
    require_admin(by)
    return token_out(withdraw_token(by, get_object_or_404(Token, user__username=username, pk=number)))


@router.get("/account-log", response=AccountLogOut, operation_id="get_account_log")
def get_account_log(request: HttpRequest, page: Query[Page]) -> AccountLogOut:
    """Who changed what of accounts, keys and tokens, the latest first."""
    require_admin(person(request))
    found = AccountEntry.objects.select_related("by", "about")
    entries = [
        AccountEntryOut(
            at=one.at,
            by=one.by.display_name if one.by else "",
            about=one.about.username if one.about else "",
            verb=one.verb,
            sentence=one.sentence,
        )
        for one in page.of(found)
    ]
    return AccountLogOut(items=entries, count=found.count())


@router.get("/workspace", response=WorkspaceOut, operation_id="get_workspace")
def get_workspace(request: HttpRequest) -> WorkspaceOut:
    """The workspace's name, time zone, currency and longest run."""
    return _workspace()


@router.patch("/workspace", response=WorkspaceOut, operation_id="edit_workspace")
def change_workspace(request: HttpRequest, payload: WorkspaceChanges) -> WorkspaceOut:
    """Name, time zone (before there are data), currency and longest run; admins only."""
    by = person(request)
    require_admin(by)
    edit_workspace(by, **payload.model_dump(exclude_none=True))
    return _workspace()


def _workspace() -> WorkspaceOut:
    place = workspace()
    fields = ("name", "time_zone", "currency", "longest_run_weeks")
    return WorkspaceOut(**{field: getattr(place, field) for field in fields}, zone_stands=zone_stands())


def _account(username: str) -> User:
    return get_object_or_404(User, username=username)
