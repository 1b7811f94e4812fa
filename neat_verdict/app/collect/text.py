"""From bytes to rows: encoding, delimiter, headers. Pure functions."""

from __future__ import annotations

import csv
import io
import re
import unicodedata
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice
from operator import itemgetter

from neat_verdict.core.checks import InputError, check_length
from neat_verdict.core.limits import MAX_COLUMNS, MAX_HEADER_LENGTH
from neat_verdict.core.text.column_names import COLUMN_NAMES

_STRAY = 0.05  # the part of NULs in the first 4 kB, up to which a file is text with a slip in it
csv.field_size_limit(2**31 - 1)  # a stray quote is reported as a wrong row, not as a failure of the reader
# Names that say it whole only: a word such as "from" stands in many others.
_KNOWN_WHOLE = {
    "first_day": {
        "from", "first day", "start", "start date", "start day", "date from", "from date", "begin", "begin date", "since",
        "week start", "week begin", "von", "datum von", "debut", "desde",
    },
    "day": {
        "to", "last day", "end", "end date", "end day", "date to", "to date", "until", "week end", "week", "bis", "datum bis",
        "fin", "hasta", "woche", "semaine", "semana",
    },
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Text:
    """A file as text: how it was read, its header line, and how many empty lines stand before that."""

    body: str
    encoding: str
    delimiter: str
    header: tuple[str, ...]
    before: int = 0

    def rows(self) -> Iterator[tuple[int, list[str]]]:
        """Line number and cells of each row after the header, empty lines left out."""
        reader = csv.reader(io.StringIO(self.body), delimiter=self.delimiter)
        next(reader, None)
        for cells in reader:
            if any(cell.strip() for cell in cells):
                yield reader.line_num + self.before, cells

    def blocks(self, size: int) -> Iterator[tuple[list[int], list[list[str]]]]:
        """The same rows by so many, their lines and their cells apart."""
        if '"' in self.body:  # a quoted cell may go over several lines
            rows = self.rows()
            while block := list(islice(rows, size)):
                lines, cells = zip(*block, strict=True)
                yield list(lines), list(cells)
            return
        reader = csv.reader(io.StringIO(self.body), delimiter=self.delimiter)
        next(reader, None)
        line = self.before + 2
        while rows_read := list(islice(reader, size)):
            numbers = range(line, line + len(rows_read))
            line += len(rows_read)
            if all(rows_read) and all(map(str.strip, map(itemgetter(0), rows_read))):
                yield list(numbers), rows_read
                continue
            full = [
                (number, cells) for number, cells in zip(numbers, rows_read, strict=True) if any(map(str.strip, cells))
            ]
            yield [number for number, _ in full], [cells for _, cells in full]


def read_text(content: bytes, fields: tuple[str, ...] = ()) -> Text:
    """Decode, find the delimiter, take the header. Raises InputError for an empty or binary file, or too few columns."""
    body, encoding = _decoded(content)
    whole = body.replace("\r\n", "\n").replace("\r", "\n")
    body = whole.lstrip("\n ")
    if not body.strip():
        raise InputError("file", "empty", "must have a header line and at least one row")
    first = body.splitlines()[0]
    delimiter = max(",;\t", key=first.count)
    header = tuple(cell.strip() for cell in next(csv.reader([first], delimiter=delimiter)))
    if len(header) > MAX_COLUMNS:
        raise InputError("file", f"{len(header):,} columns", f"must have at most {MAX_COLUMNS:,}")
    for cell in header:
        check_length("header", cell, MAX_HEADER_LENGTH)
    if len(header) < len(fields):
        wanted = f"{', '.join(fields[:-1])} and {fields[-1]}"
        raise InputError("file", first[:80], f"must have columns for {wanted.replace('_', ' ')} in its first line")
    return Text(body, encoding, delimiter, header, whole[: len(whole) - len(body)].count("\n"))


def _decoded(content: bytes) -> tuple[str, str]:
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        return content.decode("utf-16", errors="replace"), "UTF-16"
    if (place := content.find(b"\x00")) >= 0:
        start = content[:4096]
        if start.count(b"\x00") > _STRAY * len(start):
            raise InputError("file", "binary data", "must be text: save the sheet as CSV first")
        line = content[:place].count(b"\n") + 1
        raise InputError("file", f"line {line}", "has a character that no text has (NUL); take it away")
    try:
        return content.decode("utf-8-sig"), "UTF-8 with mark" if content.startswith(b"\xef\xbb\xbf") else "UTF-8"
    except UnicodeDecodeError:
        # Every byte is a Latin-1 letter; a spreadsheet's export that is not UTF-8 is most often its superset cp1252.
        return content.decode("cp1252", errors="replace"), "Latin-1"


def _bare(name: str) -> str:
    """A header without case, accents, units in brackets and punctuation."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z]+", " ", re.sub(r"\([^()]*\)|\[[^\[\]]*\]", "", plain)).strip()


def match_columns(header: tuple[str, ...], fields: tuple[str, ...]) -> dict[str, int | None]:
    """The column of each field, by exact name first, then by a known word in it; None where nothing fits."""
    bare = [_bare(name) for name in header]
    result: dict[str, int | None] = dict.fromkeys(fields)
    rules: tuple[Callable[[str, str], bool], ...] = (
        lambda name, field: name in COLUMN_NAMES[field] or name in _KNOWN_WHOLE.get(field, ()),
        lambda name, field: bool(COLUMN_NAMES[field] & set(name.split())),
    )
    for fits in rules:
        for field in fields:
            free = [i for i, name in enumerate(bare) if i not in result.values() and fits(name, field)]
            if result[field] is None and free:
                result[field] = free[0]
    return result
