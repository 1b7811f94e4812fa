from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("experiments", "0022_direction_of_a_metric"),
    ]

    operations = [
        migrations.AddField(
            model_name="tally",
            name="days",
            field=models.PositiveSmallIntegerField(db_default=1, default=1),
        ),
    ]
