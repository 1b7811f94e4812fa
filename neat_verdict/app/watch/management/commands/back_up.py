"""Copies everything that is kept into a folder, while it is used: the database, pictures, events that were put away."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from neat_verdict.app import integrity


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path, help="where to; it must not be there yet, or be empty")

    def handle(self, *args: Any, **options: Any) -> None:
        folder: Path = options["folder"]
        try:
            found = integrity.copy_everything(folder)
        except FileExistsError as there:
            raise CommandError(f"{folder} is not empty; give a folder that is not there yet") from there
        if found:
            raise CommandError(f"The copy in {folder} is damaged ({found}); do not rely on it, and look at the disk")
        self.stdout.write(f"Copied everything to {folder}, and the copy is whole")
