"""What a package holds of the database: every table of ours but those of what opens doors here, or is worked out again."""

from __future__ import annotations

from collections.abc import Mapping

from django.apps import apps
from django.db.models import Field, Model

from neat_verdict.app.portable.cells import KINDS

# Sessions, factors and tokens belong to an installation, and so does what it sends and was sent; summaries are made again.
LEFT_OUT = frozenset(
    ("http_storedanswer", "people_secondfactor", "people_signedin", "people_identity", "people_token", "people_keyday",
     "webhooks_webhook", "webhooks_happening", "webhooks_delivery", "webhooks_gathered", "webhooks_verdictseen",
     "readings_summary", "standins_letter", "standins_sitekey", "standins_received", "standins_signingkey", "standins_booking")
)  # fmt: skip
# Columns that stay behind, with what stands in them at the other end: nobody's password, no calendar's address.
BLANKED: Mapping[str, Mapping[str, str | None]] = {"people_user": {"password": "!", "calendar": None}}


def tables() -> list[type[Model]]:
    """The models whose tables are taken, in the order of their names."""
    ours = [one for one in apps.get_models() if one.__module__.startswith("neat_verdict.")]
    return sorted((one for one in ours if one._meta.db_table not in LEFT_OUT), key=lambda one: one._meta.db_table)


def is_ours(table: str) -> bool:
    """Whether a package may fill a table: one of our applications, which need not have a model any more."""
    labels = [one.label for one in apps.get_app_configs() if one.name.startswith("neat_verdict.")]
    return table not in LEFT_OUT and any(table.startswith(f"{label}_") for label in labels)


def columns(model: type[Model]) -> list[Field]:
    """The fields whose columns are taken."""
    blanked = BLANKED.get(model._meta.db_table, {})
    return [field for field in model._meta.local_concrete_fields if field.column not in blanked]


def kind_of(field: Field) -> str:
    """How the values of a field are written (`cells.KINDS`); of a reference, as what it refers to."""
    target = field.target_field if field.remote_field else field  # type: ignore[attr-defined]
    name = target.get_internal_type()
    return next((kind for kind, cell in KINDS.items() if name in cell.fields), "string")


def schema_of(model: type[Model]) -> dict[str, object]:
    """A table's schema (Table Schema)."""
    described, keys = [], []
    for field in columns(model):
        kind = KINDS[kind_of(field)]
        line: dict[str, object] = {"name": field.column, **kind.described}
        limits: dict[str, object] = {"required": not field.null}
        if field.unique:
            limits["unique"] = True
        if field.max_length and kind.described["type"] == "string":
            limits["maxLength"] = field.max_length
        described.append({**line, "constraints": limits})
        target = field.related_model
        if isinstance(target, type) and target._meta.db_table not in LEFT_OUT:
            reference = {"resource": target._meta.db_table, "fields": [target._meta.pk.column]}
            keys.append({"fields": [field.column], "reference": reference})
    schema: dict[str, object] = {"fields": described, "primaryKey": [model._meta.pk.column]}
    return {**schema, "foreignKeys": keys} if keys else schema
