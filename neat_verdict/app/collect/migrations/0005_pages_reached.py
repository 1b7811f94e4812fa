from __future__ import annotations

from typing import ClassVar

from django.db import migrations, models


class Migration(migrations.Migration):
    """Who reached the page of a variant, and which changes failed, is counted by indexes of those events alone."""

    dependencies: ClassVar = [("collect", "0004_who_counts")]

    operations: ClassVar = [
        migrations.AddIndex(
            model_name="event",
            index=models.Index(
                condition=models.Q(("name", "page_reached")), fields=["experiment", "unit"], name="units_that_reached"
            ),
        ),
        migrations.AddIndex(
            model_name="event",
            index=models.Index(
                condition=models.Q(("name", "page_change_failed")), fields=["experiment"], name="failed_changes"
            ),
        ),
    ]
