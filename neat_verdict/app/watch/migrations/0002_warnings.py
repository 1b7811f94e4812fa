"""Notices of lesser weight are called warnings."""

from typing import Any

from django.db import migrations


def rename(apps: Any, _editor: Any) -> None:
    apps.get_model("watch", "Notice").objects.filter(tone="mind").update(tone="warning")


class Migration(migrations.Migration):
    dependencies = [("watch", "0001_initial")]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
