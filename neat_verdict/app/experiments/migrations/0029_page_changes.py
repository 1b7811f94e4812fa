from __future__ import annotations

from typing import ClassVar

from django.db import migrations, models


class Migration(migrations.Migration):
    """What a variant changes on the page without a developer."""

    dependencies: ClassVar = [("experiments", "0028_addresses_of_variants")]

    operations: ClassVar = [
        migrations.AddField(
            model_name="variant", name="page_changes", field=models.JSONField(blank=True, default=list)
        ),
    ]
