"""Shapes of the session."""

from __future__ import annotations

from ninja import Schema

from neat_verdict.app.http.bodies import Body


class Account(Schema):
    username: str
    display_name: str
    role: str
    may_edit: bool


class DemoAccount(Schema):
    username: str
    password: str
    role: str


class Session(Schema):
    account: Account | None
    workspace: str
    time_zone: str
    currency: str
    demo_accounts: list[DemoAccount]


class SignIn(Body):
    username: str
    password: str
