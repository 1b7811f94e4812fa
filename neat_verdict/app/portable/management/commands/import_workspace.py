"""``manage.py import_workspace FILE``: a new installation from a package, of this version or an earlier one."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from neat_verdict.app.integrity import database
from neat_verdict.app.portable.reading import PackageRefused, load_package


class Command(BaseCommand):
    help = "Make the database of a new installation from a file that export_workspace wrote"
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        hear = self.stdout.write if options["verbosity"] > 1 else lambda _: None
        try:
            held = load_package(options["file"], database(), Path(settings.DATA), hear)
        except (PackageRefused, FileNotFoundError) as problem:
            raise CommandError(str(problem)) from problem
        self.stdout.write(
            f"{len(held.tables)} tables, {len(held.files)} files. Nobody has a password yet: manage.py changepassword NAME gives "
            "the first one; who has it sends the others links (Accounts)."
        )
