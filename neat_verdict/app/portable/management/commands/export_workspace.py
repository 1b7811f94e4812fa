"""``manage.py export_workspace FILE``: the whole workspace as a Data Package, while it is used."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from neat_verdict.app import clock
from neat_verdict.app.integrity import database
from neat_verdict.app.portable.writing import write_package


class Command(BaseCommand):
    help = "Write the whole workspace to a file (a zip with datapackage.json and CSV tables)"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        file: Path = options["file"]
        if file.exists():
            raise CommandError(f"{file} is there already; name another file")
        hear = self.stdout.write if options["verbosity"] > 1 else lambda _: None
        write_package(database(), Path(settings.DATA), file, clock.now(), hear)
        self.stdout.write(f"{file}, {file.stat().st_size:,} bytes")
