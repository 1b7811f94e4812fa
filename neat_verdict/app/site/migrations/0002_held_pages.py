from __future__ import annotations

from typing import ClassVar

from django.db import migrations, models


class Migration(migrations.Migration):
    """Whether a page is held back until it is known what is shown."""

    dependencies: ClassVar = [("site", "0001_initial")]

    operations: ClassVar = [
        migrations.AddField(model_name="seenpage", name="held", field=models.BooleanField(default=False)),
    ]
