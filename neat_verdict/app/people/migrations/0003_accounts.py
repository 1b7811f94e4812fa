"""An account that may do everything is called an admin."""

from django.db import migrations

import neat_verdict.app.people.models


def call_them_admins(apps, _schema_editor):
    apps.get_model("people", "User").objects.filter(is_superuser=True).update(role="admin")


class Migration(migrations.Migration):
    dependencies = [
        ("people", "0002_machine_keys_auto"),
    ]

    operations = [
        migrations.AlterModelManagers(
            name="user",
            managers=[
                ("objects", neat_verdict.app.people.models.Accounts()),
            ],
        ),
        migrations.RunPython(call_them_admins, migrations.RunPython.noop),
    ]
