"""Writes the vocabulary of the screens to a file, for the front end's build."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from neat_verdict.app.http.vocabulary import vocabulary


class Command(BaseCommand):
    help = "Write what the screens must know of methods, designs, verdicts and kinds to a file"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("path", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        options["path"].write_text(vocabulary().model_dump_json(indent=1) + "\n", encoding="utf-8")
