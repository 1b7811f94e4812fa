from django.db import migrations, models

from neat_verdict.app.experiments.models.parts import standard_breakdowns


class Migration(migrations.Migration):
    """What was there before is broken down by what the workspace keeps, as its tallies are; a new experiment by more."""

    dependencies = [
        ("experiments", "0023_tallies_of_several_days"),
    ]

    operations = [
        migrations.AddField(
            model_name="experiment",
            name="breakdowns",
            field=models.JSONField(blank=True, default=list),
        ),
        migrations.AlterField(
            model_name="experiment",
            name="breakdowns",
            field=models.JSONField(blank=True, default=standard_breakdowns),
        ),
    ]
