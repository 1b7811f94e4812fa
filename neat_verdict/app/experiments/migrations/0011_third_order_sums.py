import json
from typing import Any

from django.db import migrations, models

_OLD = 6


def _make_room(_apps: Any, schema_editor: Any) -> None:
    """Exact sums get places for those of third order, which are not known of what was counted before."""
    connection = schema_editor.connection
    with connection.cursor() as reading, connection.cursor() as writing:
        reading.execute("SELECT id, exact FROM experiments_tally WHERE exact IS NOT NULL")
        while rows := reading.fetchmany(5_000):
            changed = [(json.dumps(with_room(json.loads(exact))), pk) for pk, exact in rows]
            writing.executemany("UPDATE experiments_tally SET exact = %s WHERE id = %s", changed)


def with_room(exact: list[int]) -> list[int | None]:
    """The sums up to the second order, four that are not known, and what follows them."""
    return [*exact[:_OLD], None, None, None, None, *exact[_OLD:]]


class Migration(migrations.Migration):
    dependencies = [
        ("experiments", "0010_holds_units"),
    ]

    operations = [
        *(
            migrations.AddField(model_name="tally", name=name, field=models.FloatField(null=True))
            for name in ("cubes", "squares_cross", "cross_squares", "second_cubes")
        ),
        migrations.RunPython(_make_room, migrations.RunPython.noop),
    ]
