"""The methods by their names in the literature, their settings together; columns and tables by the trade's names."""

from typing import Any

import django.db.models
from django.db import migrations, models
from django.db.models import Q

from neat_verdict.core.rule import method_name_of_format_1

SETTINGS = {
    "fixed": ("sides",),
    "group_sequential": ("sides", "spending", "looks", "look_days"),
    "always_valid": ("sides",),
    "posterior": ("superiority", "expected_loss"),
}


def gather(apps: Any, _editor: Any) -> None:
    experiments = apps.get_model("experiments", "Experiment")
    for experiment in experiments.objects.all():
        experiment.method = method_name_of_format_1(experiment.method)
        experiment.method_settings = {name: getattr(experiment, name) for name in SETTINGS[experiment.method]}
        if experiment.allocation and "most_change" in experiment.allocation:
            experiment.allocation["max_change"] = experiment.allocation.pop("most_change")
        experiment.save(update_fields=["method", "method_settings", "allocation"])


class Migration(migrations.Migration):
    dependencies = [("experiments", "0006_capped_auto")]

    operations = [
        migrations.RemoveConstraint("experiment", "method_known"),
        migrations.RemoveConstraint("experiment", "spread_above_zero"),
        migrations.AlterField("experiment", "method", models.CharField(max_length=30, default="fixed")),
        migrations.AddField("experiment", "method_settings", models.JSONField(default=dict, blank=True)),
        migrations.RunPython(gather, migrations.RunPython.noop),
        *(
            migrations.RemoveField("experiment", name)
            for name in ("sides", "spending", "looks", "look_days", "superiority", "expected_loss")
        ),
        migrations.RenameField("experiment", "spread", "standard_deviation"),
        migrations.RenameField("experimentmetric", "spread", "standard_deviation"),
        migrations.AddConstraint(
            "experiment",
            models.CheckConstraint(
                condition=Q(standard_deviation__isnull=True) | Q(standard_deviation__gt=0),
                name="standard_deviation_above_zero",
            ),
        ),
        migrations.RenameField("tally", "below", "second_total"),
        migrations.RenameField("tally", "below_squares", "second_squares"),
        migrations.RemoveConstraint("outlay", "one_outlay_a_day"),
        migrations.RemoveConstraint("outlay", "outlays_not_negative"),
        migrations.RenameModel("Outlay", "Spend"),
        migrations.RenameField("spend", "views", "impressions"),
        migrations.AlterField(
            "spend",
            "variant",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="spend", to="experiments.variant"
            ),
        ),
        migrations.AddConstraint(
            "spend", models.UniqueConstraint(fields=["variant", "round", "day"], name="one_spend_a_day")
        ),
        migrations.AddConstraint(
            "spend", models.CheckConstraint(condition=Q(cost__gte=0, impressions__gte=0), name="spend_not_negative")
        ),
    ]
