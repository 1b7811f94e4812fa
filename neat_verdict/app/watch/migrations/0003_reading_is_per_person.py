"""Who has read a notice. What somebody had read was read for everybody: it stays read for all there are."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

import neat_verdict.app.clock


def keep_what_was_read(apps, _schema_editor):
    notices = apps.get_model("watch", "Notice").objects.filter(read_at__isnull=False)
    people = list(apps.get_model(settings.AUTH_USER_MODEL).objects.all())
    reading = apps.get_model("watch", "NoticeReading")
    reading.objects.bulk_create(
        [reading(notice=notice, by=one, at=notice.read_at) for notice in notices for one in people]
    )


class Migration(migrations.Migration):
    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("watch", "0002_warnings"),
    ]

    operations = [
        migrations.CreateModel(
            name="NoticeReading",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("at", models.DateTimeField(default=neat_verdict.app.clock.now)),
                (
                    "by",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="+", to=settings.AUTH_USER_MODEL
                    ),
                ),
                (
                    "notice",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="readings", to="watch.notice"
                    ),
                ),
            ],
        ),
        migrations.AddConstraint(
            model_name="noticereading",
            constraint=models.UniqueConstraint(fields=("notice", "by"), name="a_notice_is_read_once_by_each"),
        ),
        migrations.RunPython(keep_what_was_read, migrations.RunPython.noop),
        migrations.RemoveField(model_name="notice", name="read_at"),
        migrations.RemoveField(model_name="notice", name="read_by"),
    ]
