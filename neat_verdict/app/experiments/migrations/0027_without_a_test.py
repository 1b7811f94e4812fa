from __future__ import annotations

from typing import ClassVar

from django.db import migrations, models

STATES = ["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]


class Migration(migrations.Migration):
    """An experiment may be given to some without a test: a state that needs no locked rule."""

    dependencies: ClassVar = [("experiments", "0026_page_address")]

    operations: ClassVar = [
        migrations.RemoveConstraint(model_name="experiment", name="rule_locked_once_started"),
        migrations.AlterField(
            model_name="experiment",
            name="state",
            field=models.CharField(choices=[(s, s.capitalize()) for s in STATES], default="draft", max_length=10),
        ),
        migrations.AddConstraint(
            model_name="experiment",
            constraint=models.CheckConstraint(
                condition=models.Q(
                    ("state__in", ["draft", "scheduled", "archived", "tailored"]),
                    ("rule__isnull", False),
                    _connector="OR",
                ),
                name="rule_locked_once_started",
            ),
        ),
    ]
