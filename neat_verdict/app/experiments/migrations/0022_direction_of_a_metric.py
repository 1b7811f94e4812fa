from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("experiments", "0021_question"),
    ]

    operations = [
        migrations.AddField(
            model_name="experimentmetric",
            name="direction",
            field=models.CharField(blank=True, default="", max_length=4),
        ),
    ]
