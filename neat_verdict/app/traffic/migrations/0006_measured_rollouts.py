from django.db import migrations, models


def rules_to_lines(apps, _schema_editor):
    """What a rollout said of whom it is for is the only line of its list."""
    for rollout in apps.get_model("traffic", "Rollout").objects.all():
        name = "Chosen by rules" if rollout.rules else "Everybody"
        rollout.lines = [{"name": name, "letter": rollout.letter, "rules": rollout.rules}]
        rollout.save()


def lines_to_rules(apps, _schema_editor):
    for rollout in apps.get_model("traffic", "Rollout").objects.all():
        rollout.rules = rollout.lines[0]["rules"]
        rollout.save()


class Migration(migrations.Migration):
    dependencies = [("traffic", "0005_who_asks")]

    operations = [
        migrations.AddField("rollout", "lines", models.JSONField(default=list)),
        migrations.RunPython(rules_to_lines, lines_to_rules),
        migrations.RemoveField("rollout", "rules"),
        migrations.AddField("rollout", "holdout", models.FloatField(default=0.0)),
        migrations.AddField("rollout", "measured_at", models.DateTimeField(blank=True, null=True)),
        migrations.AddField("rollout", "measured_round", models.PositiveSmallIntegerField(blank=True, null=True)),
        migrations.AddField("rollout", "released_at", models.DateTimeField(blank=True, null=True)),
        migrations.AddConstraint(
            "rollout",
            models.CheckConstraint(condition=models.Q(holdout__gte=0, holdout__lte=0.5), name="holdout_is_a_share"),
        ),
        migrations.AddConstraint(
            "rollout",
            models.CheckConstraint(
                condition=models.Q(holdout=0) | models.Q(measured_round__isnull=False, measured_at__isnull=False),
                name="a_holdout_is_measured",
            ),
        ),
    ]
