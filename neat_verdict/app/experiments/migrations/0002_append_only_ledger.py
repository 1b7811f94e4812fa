"""The ledger is append-only in the database itself."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("experiments", "0001_initial")]
    operations = [
        migrations.RunSQL(
            sql=[
                f"CREATE TRIGGER ledger_no_{verb} BEFORE {verb} ON experiments_ledgerentry "
                "BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END"
                for verb in ("update", "delete")
            ],
            reverse_sql=["DROP TRIGGER ledger_no_update", "DROP TRIGGER ledger_no_delete"],
        )
    ]
