"""Writes the vocabulary and the glossary of the screens to files, for the front end's build and the documents."""

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from neat_verdict.app.http.licences import as_markdown as licences
from neat_verdict.app.http.problems import as_markdown as problems
from neat_verdict.app.http.vocabulary import glossary, vocabulary
from neat_verdict.core.limits import as_markdown as limits
from neat_verdict.core.text.glossary import as_markdown

FILES = {
    "web/src/api/vocabulary.json": lambda: vocabulary().model_dump_json(indent=1) + "\n",
    "web/src/api/glossary.json": lambda: (
        json.dumps([term.model_dump() for term in glossary()], indent=1, ensure_ascii=False) + "\n"
    ),
    "docs/glossary.md": as_markdown,
    "docs/licences.md": licences,
    "docs/limits.md": limits,
    "docs/problems.md": problems,
}


class Command(BaseCommand):
    help = "Write what the screens must know of methods, designs, verdicts, kinds and words to files below a folder"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path)
        parser.add_argument("--check", action="store_true", help="write nothing; fail where a file is not current")

    def handle(self, *args: Any, **options: Any) -> None:
        for path, made in FILES.items():
            file = options["folder"] / path
            if not options["check"]:
                file.write_text(made(), encoding="utf-8")
            elif file.read_text(encoding="utf-8") != made():
                raise CommandError(f"{path} is not current")
