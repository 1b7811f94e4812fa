from __future__ import annotations

from typing import ClassVar

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    """What units did on a page, and its outlines."""

    dependencies: ClassVar = [
        ("experiments", "0029_page_changes"),
        ("site", "0002_held_pages"),
    ]

    operations: ClassVar = [
        migrations.CreateModel(
            name="Outline",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("device", models.CharField(max_length=8)),
                ("width", models.PositiveIntegerField()),
                ("height", models.PositiveIntegerField()),
                ("elements", models.JSONField(default=list)),
                ("taken_at", models.DateTimeField()),
                (
                    "variant",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="outlines", to="experiments.variant"
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=("variant", "device"), name="an_outline_a_variant_and_device")
                ],
            },
        ),
        migrations.CreateModel(
            name="PageUse",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("round", models.PositiveSmallIntegerField()),
                ("unit", models.CharField(max_length=200)),
                ("device", models.CharField(max_length=8)),
                ("depth", models.PositiveSmallIntegerField()),
                ("seconds", models.JSONField(default=list)),
                ("clicked", models.JSONField(default=list)),
                (
                    "experiment",
                    models.ForeignKey(
                        db_index=False,
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="+",
                        to="experiments.experiment",
                    ),
                ),
                (
                    "variant",
                    models.ForeignKey(
                        db_index=False,
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="+",
                        to="experiments.variant",
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(
                        fields=("experiment", "round", "device", "unit"), name="a_unit_once_a_round_and_device"
                    )
                ],
            },
        ),
    ]
