"""Stored rehearsals by the names that results have now."""

from typing import Any

from django.db import migrations

NAMES = {
    "naive_winners": "peeking_winners",
    "naive_differences": "peeking_differences",
    "naive_bias": "pooled_bias",
    "fair_bias": "stratified_bias",
}


def renamed(value: Any) -> Any:
    if isinstance(value, dict):
        return {NAMES.get(name, name): renamed(inner) for name, inner in value.items()}
    return [renamed(inner) for inner in value] if isinstance(value, list) else value


def rename(apps: Any, _editor: Any) -> None:
    for rehearsal in apps.get_model("planning", "Rehearsal").objects.exclude(result=None):
        rehearsal.result = renamed(rehearsal.result)
        rehearsal.save(update_fields=["result"])


class Migration(migrations.Migration):
    dependencies = [("planning", "0002_allocation_auto")]

    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
