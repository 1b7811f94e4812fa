"""How shares are set, by the trade's name."""

from django.db import migrations, models
from django.db.models import Q


class Migration(migrations.Migration):
    dependencies = [("experiments", "0007_methods_and_names")]

    operations = [
        migrations.RemoveConstraint("experiment", "steering_known"),
        migrations.RenameField("experiment", "steering", "allocation_mode"),
        migrations.AddConstraint(
            "experiment",
            models.CheckConstraint(
                condition=Q(allocation_mode__in=["follow", "frozen", "even"]), name="allocation_mode_known"
            ),
        ),
    ]
