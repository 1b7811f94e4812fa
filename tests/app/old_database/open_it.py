"""Migrates the old database where the settings say, opens everything in it, and prints what is shown as JSON."""

import gzip
import json
import sqlite3
import sys
from pathlib import Path

import django

django.setup()

from django.conf import settings  # noqa: E402
from django.core.management import call_command  # noqa: E402

HERE = Path(__file__).parent


def pages(ask):
    """Docket row by row: the evidence, the report, the ledger, and of shared traffic the epochs."""
    for row in ask("get", "/docket")[1]["rows"]:
        path = f"/experiments/{row['key']}"
        yield row["key"], {name: ask("get", f"{path}/{name}") for name in ("evidence", "report", "ledger")}


def main():
    with sqlite3.connect(settings.DATABASES["default"]["NAME"]) as database:
        database.executescript(gzip.decompress((HERE / "before_methods.sql.gz").read_bytes()).decode())
    call_command("migrate", verbosity=0)
    from neat_verdict.app import clock
    from neat_verdict.app.people.models import User
    from tests.app.conftest import TODAY, Json

    settings.ALLOWED_HOSTS = ["testserver"]
    with clock.at(TODAY):
        ask = Json(User.objects.get(username="mona"))
        shown = dict(pages(ask))
        rest = {name: ask("get", f"/{name}")[0] for name in ("casebook", "metrics", "notices")}
        links = ask("get", "/experiments/fare-calendar/report-links")
        again = ask("get", "/experiments/luggage-hint")
    json.dump({"shown": shown, "rest": rest, "links": links, "draft": again}, sys.stdout)


if __name__ == "__main__":
    main()
