"""Who changed what of accounts is append-only in the database itself."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("people", "0005_accounts_auto")]
    operations = [
        migrations.RunSQL(
            sql=[
                f"CREATE TRIGGER account_log_no_{verb} BEFORE {verb} ON people_accountentry "
                "BEGIN SELECT RAISE(ABORT, 'the log of accounts is append-only'); END"
                for verb in ("update", "delete")
            ],
            reverse_sql=["DROP TRIGGER account_log_no_update", "DROP TRIGGER account_log_no_delete"],
        )
    ]
