from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("experiments", "0020_factors"),
    ]

    operations = [
        migrations.AddField(
            model_name="experiment",
            name="question",
            field=models.CharField(default="superiority", max_length=30),
        ),
    ]
