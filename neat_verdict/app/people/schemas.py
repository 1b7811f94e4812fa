"""Shapes of the session, of accounts and of tokens."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ninja import Schema
from pydantic import AwareDatetime, Field

from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.people.preferences import Preferences

Role = Literal["stakeholder", "analyst", "admin"]
AccountState = Literal["active", "invited", "deactivated"]


class Account(Schema):
    username: str
    display_name: str
    role: str
    may_edit: bool
    may_administer: bool


class DemoAccount(Schema):
    username: str
    password: str
    role: str


class Session(Schema):
    """``provider`` is how the identity provider is called by which one can sign in too; "" where there is none. ``warning`` is
    what who works here has to know of the server."""

    account: Account | None
    preferences: Preferences
    warning: str
    provider: str
    workspace: str
    time_zone: str
    currency: str
    demo_accounts: list[DemoAccount]


class SignIn(Body):
    """``username`` may be the address of mail, where one account has it; ``code`` is that of the second factor."""

    username: str = Field(max_length=254)
    password: str = Field(max_length=1024)
    code: str = Field(default="", max_length=40)


class LinkAsked(Body):
    """``name`` to sign in with, or the address of mail."""

    name: str = Field(max_length=254)


class PasswordLink(Schema):
    """Whose a link is; ``first`` where they have none yet. ``demands`` are what a password must be."""

    username: str
    display_name: str
    first: bool
    demands: list[str]


class PasswordChosen(Body):
    place: str = Field(max_length=40)
    token: str = Field(max_length=80)
    password: str = Field(max_length=1024)


class Confirmed(Body):
    """``password`` is that of whoever asks, given once more."""

    model_config = shown(password="a long sentence of your own")
    password: str = Field(default="", max_length=1024)


class PasswordChanged(Body):
    current: str = Field(default="", max_length=1024)
    password: str = Field(max_length=1024)


class OwnChanges(Body):
    """``password`` is needed for another address."""

    model_config = shown(first_name="Ada")
    first_name: str | None = None
    last_name: str | None = None
    email: str | None = None
    password: str = Field(default="", max_length=1024)


class NewFactor(Schema):
    """``picture`` is ``address`` as a QR code, in SVG."""

    secret: str
    address: str
    picture: str


class Looked(Body):
    """``at`` is ``as_of`` of the docket that was looked at."""

    model_config = shown(at="2026-06-01T09:30:00Z")
    at: AwareDatetime


class Code(Body):
    code: str = Field(max_length=40)


class RecoveryCodes(Schema):
    """Shown this once; each opens once."""

    codes: list[str]


class SignedInOut(Schema):
    id: int
    began: datetime
    seen: datetime
    address: str
    browser: str
    this: bool


class TokenOut(Schema):
    id: int
    name: str
    start: str
    scopes: list[str]
    made_by: str
    made_at: datetime
    expires_at: datetime
    withdrawn_at: datetime | None
    used_at: datetime | None


class NewTokenOut(TokenOut):
    """``secret`` is shown this once."""

    secret: str


class TokenIn(Body):
    """``expires_at`` is in the workspace's zone where it names none."""

    name: str = Field(max_length=80)
    scopes: list[str]
    expires_at: datetime


class IdentityOut(Schema):
    issuer: str
    linked_at: datetime


class Me(Schema):
    """``codes_left`` are recovery codes that were not used; ``scopes`` what a token may be made for, with what each means;
    ``calendar`` the path of a calendar that programmes read without signing in, "" where there is none."""

    username: str
    display_name: str
    first_name: str
    last_name: str
    email: str
    role: str
    has_password: bool
    second_factor: bool
    codes_left: int
    sessions: list[SignedInOut]
    identities: list[IdentityOut]
    tokens: list[TokenOut]
    scopes: dict[str, str]
    calendar: str


class AccountLine(Schema):
    username: str
    display_name: str
    email: str
    role: Role
    state: AccountState
    service: bool
    every_right: bool
    second_factor: bool
    last_login: datetime | None


class AccountsOut(Schema):
    items: list[AccountLine]
    count: int


class HeldOut(Schema):
    """What opens something: its name, and where it leads or begins."""

    name: str
    where: str


class AccountOut(AccountLine):
    """With what was made in its name. ``schedules`` are lakes that are counted by themselves in its name,
    ``experiments`` those it owns that are not decided."""

    first_name: str
    last_name: str
    sessions: int
    keys: list[HeldOut]
    links: list[HeldOut]
    tokens: list[TokenOut]
    schedules: list[str]
    experiments: list[HeldOut]


class AccountIn(Body):
    """Of a ``service`` there is no address: it works by tokens."""

    username: str
    email: str = ""
    role: Role
    first_name: str = ""
    last_name: str = ""
    service: bool = False


class InvitedOut(Schema):
    """``address`` is where a password is chosen, to be passed on where no mail goes out (``mailed``)."""

    account: AccountLine
    address: str
    mailed: bool


class AccountChanges(Body):
    model_config = shown(role="analyst")
    role: Role | None = None
    email: str | None = None
    first_name: str | None = None
    last_name: str | None = None


class Deactivation(Body):
    """``hand_over_to``: whom keys, links and open experiments pass to; null ends keys and links."""

    hand_over_to: str | None


class AccountEntryOut(Schema):
    at: datetime
    by: str
    about: str
    verb: str
    sentence: str


class AccountLogOut(Schema):
    items: list[AccountEntryOut]
    count: int


class WorkspaceOut(Schema):
    """``zone_stands``: there are data, whose days follow the zone; a command changes it (docs/operations.md)."""

    name: str
    time_zone: str
    currency: str
    longest_run_weeks: int
    zone_stands: bool


class WorkspaceChanges(Body):
    model_config = shown(time_zone="Europe/Lisbon")
    name: str | None = Field(default=None, max_length=120)
    time_zone: str | None = Field(default=None, max_length=64)
    currency: str | None = None
    longest_run_weeks: int | None = None
