"""How a person wants to see and use the application: what there is to choose, and what is so until they choose."""

from __future__ import annotations

from typing import Any, Literal, get_args

from ninja import Schema

from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.people.models import User

Theme = Literal["system", "light", "dark"]
Density = Literal["comfortable", "compact"]
Panels = Literal["folded", "open"]
Shortcuts = Literal["on", "off"]


class Preferences(Schema):
    """``panels``: whether what stands below the answer of a sheet is folded to a line; ``shortcuts``: whether single keys do
    something (WCAG 2.2, 2.1.4)."""

    theme: Theme = "system"
    density: Density = "comfortable"
    panels: Panels = "folded"
    shortcuts: Shortcuts = "on"


class PreferenceChanges(Body):
    """What is not named stays as it is."""

    model_config = shown(theme="dark")
    theme: Theme | None = None
    density: Density | None = None
    panels: Panels | None = None
    shortcuts: Shortcuts | None = None


def preferences_of(user: User) -> Preferences:
    """Those of a person; what an earlier version offered and this one does not is as if it had not been chosen."""
    chosen: dict[str, Any] = user.preferences
    offered = {name: get_args(field.annotation) for name, field in Preferences.model_fields.items()}
    return Preferences(**{name: chosen[name] for name, values in offered.items() if chosen.get(name) in values})


def choose(user: User, changes: PreferenceChanges) -> Preferences:
    """Store what a person has chosen; the rest stays."""
    user.preferences = {**preferences_of(user).model_dump(), **changes.model_dump(exclude_none=True)}
    user.save(update_fields=["preferences"])
    return preferences_of(user)
