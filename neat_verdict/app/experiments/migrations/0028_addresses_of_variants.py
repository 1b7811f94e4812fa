from __future__ import annotations

from typing import ClassVar

from django.db import migrations, models


class Migration(migrations.Migration):
    """A variant may be a page of its own."""

    dependencies: ClassVar = [("experiments", "0027_without_a_test")]

    operations: ClassVar = [
        migrations.AddField(
            model_name="variant",
            name="address",
            field=models.CharField(blank=True, default="", max_length=500),
        ),
    ]
