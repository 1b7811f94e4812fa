"""How a person wants to see and use the application: what there is to choose, and what is so until they choose."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, get_args

from ninja import Schema
from pydantic import Field

from neat_verdict.app import clock
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.people.models import User
from neat_verdict.core.limits import MAX_DOCKET_VIEWS

Theme = Literal["system", "light", "dark"]
Density = Literal["comfortable", "compact"]
Panels = Literal["folded", "open"]
Shortcuts = Literal["on", "off"]


class DocketView(Body):
    """Filters and order of the docket under a name, as the address has them after its question mark."""

    name: str = Field(min_length=1, max_length=60)
    filters: str = Field(max_length=1000)


class Preferences(Schema):
    """``panels``: whether what stands below the answer of a sheet is folded to a line; ``shortcuts``: whether single keys do
    something (WCAG 2.2, 2.1.4)."""

    theme: Theme = "system"
    density: Density = "comfortable"
    panels: Panels = "folded"
    shortcuts: Shortcuts = "on"
    views: list[DocketView] = []


class PreferenceChanges(Body):
    """What is not named stays as it is; ``views`` come whole."""

    model_config = shown(theme="dark")
    theme: Theme | None = None
    density: Density | None = None
    panels: Panels | None = None
    shortcuts: Shortcuts | None = None
    views: list[DocketView] | None = Field(default=None, max_length=MAX_DOCKET_VIEWS)


def preferences_of(user: User) -> Preferences:
    """Those of a person; what an earlier version offered and this one does not is as if it had not been chosen."""
    chosen: dict[str, Any] = user.preferences
    offered = {name: get_args(field.annotation) for name, field in Preferences.model_fields.items() if name != "views"}
    known = {name: chosen[name] for name, values in offered.items() if chosen.get(name) in values}
    return Preferences(**known, views=chosen.get("views", []))


def choose(user: User, changes: PreferenceChanges) -> Preferences:
    """Store what a person has chosen; the rest stays."""
    user.preferences = {**preferences_of(user).model_dump(), **changes.model_dump(exclude_none=True)}
    user.save(update_fields=["preferences"])
    return preferences_of(user)


def looked(user: User, at: datetime) -> None:
    """Note that a person has seen what had changed on the docket by then, which is never before what they had seen already nor
    after now."""
    user.docket_looked_at = min(max(at, user.docket_looked_at or at), clock.now())
    user.save(update_fields=["docket_looked_at"])
