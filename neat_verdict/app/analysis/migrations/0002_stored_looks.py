"""Stored looks by that name; they and decisions carry records with a format number from now on (older ones stay readable)."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("readings", "0001_initial"),
        ("experiments", "0007_methods_and_names"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RenameModel("KeptLook", "StoredLook"),
        migrations.RenameField("storedlook", "reading", "record"),
        migrations.AlterField("storedlook", "record", models.JSONField()),
    ]
