from django.db import migrations, models

import neat_verdict.app.clock


class Migration(migrations.Migration):
    """Of pictures that are there it is not known since when."""

    dependencies = [
        ("experiments", "0024_breakdowns"),
    ]

    operations = [
        migrations.AddField(
            model_name="picture",
            name="added_at",
            field=models.DateTimeField(null=True),
        ),
        migrations.AlterField(
            model_name="picture",
            name="added_at",
            field=models.DateTimeField(default=neat_verdict.app.clock.now, null=True),
        ),
        migrations.AddField(
            model_name="picture",
            name="removed_at",
            field=models.DateTimeField(blank=True, null=True),
        ),
    ]
