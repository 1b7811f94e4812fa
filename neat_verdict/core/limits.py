"""How long, and how many, things may be that others send: looked at before anything else is done with them.

The house's limits, no source: far above what is used, and far below what would keep a server busy.
"""

from __future__ import annotations

from dataclasses import dataclass

MAX_UNIT_LENGTH = 200
MAX_PROPERTIES, MAX_PROPERTY_NAME, MAX_TEXT_LENGTH = 50, 80, 1000
MAX_NUMBER_LENGTH = 60  # of a number as it is written, with its marks and signs
MAX_COLUMNS, MAX_HEADER_LENGTH = 1000, 200
MAX_BATCH_EVENTS, MAX_BATCH_BYTES = 20_000, 32 * 1024 * 1024
MAX_BATCH_VALUES = MAX_BATCH_EVENTS * (MAX_PROPERTIES + 8)  # with the fields of an event's own
MAX_WRONG_KEPT = 100  # how many wrong events are named; the others are counted
MAX_LINE_BYTES, MAX_FILE_LINES, MAX_OPENED_BYTES = 2**20, 50_000_000, 4 * 2**30  # of a file of events
MAX_DAY_BYTES = 64 * 1024 * 1024  # of a day's sums, counted where the data live
MAX_BODY_BYTES = 8 * 1024 * 1024  # of what is neither a file nor a batch
MAX_ASKED_BYTES, MAX_ASKED_KEYS = 64 * 1024, 1000
MAX_SENT_ID, MAX_EVENT_NAME, MAX_KEY, MAX_LETTER, MAX_VERSION = 100, 80, 80, 20, 60
MAX_PAGE_ITEMS, MAX_IDEMPOTENCY_KEY = 500, 255
MAX_DOCKET_VIEWS = 30  # that one person has stored
MAX_PICTURE_BYTES, MAX_PICTURE_SIDE, MAX_PICTURE_PIXELS = 8_000_000, 8000, 20_000_000
MAX_PAGE_BYTES, MAX_PAGE_EVENTS = 64 * 1024, 500  # as much as a page that is left may send


@dataclass(frozen=True, slots=True)
class Limit:
    """The ``most`` that something may have (of ``unit``), and where what is more is ``refused``."""

    what: str
    most: int
    unit: str
    refused: str


_CONTROL = "left out at assigning, with a note; refused (422) in events"
LIMITS = (
    Limit(
        "the id of a unit, or of an event’s unit",
        MAX_UNIT_LENGTH,
        "characters",
        "422; at assigning control, with a note",
    ),
    Limit("properties of a unit, or of an event", MAX_PROPERTIES, "", _CONTROL),
    Limit("the name of a property", MAX_PROPERTY_NAME, "characters", _CONTROL),
    Limit("the text of a property", MAX_TEXT_LENGTH, "characters", _CONTROL),
    Limit("a question for assignments", MAX_ASKED_BYTES, "bytes", "nothing assigned, with a note"),
    Limit("keys of experiments in one", MAX_ASKED_KEYS, "", "the first are answered, with a note"),
    Limit("the id of an event", MAX_SENT_ID, "characters", "422"),
    Limit("the name of an event", MAX_EVENT_NAME, "characters", "422"),
    Limit("the key of an experiment, in an exposure", MAX_KEY, "characters", "422"),
    Limit("the version of a page, in an exposure", MAX_VERSION, "characters", "422"),
    Limit("what a page of a site sends at once", MAX_PAGE_BYTES, "bytes", "413"),
    Limit("events in that", MAX_PAGE_EVENTS, "", "422"),
    Limit("a batch of events", MAX_BATCH_EVENTS, "events", "422"),
    Limit("the same, unpacked", MAX_BATCH_BYTES, "bytes", "422"),
    Limit("values in it, of all events", MAX_BATCH_VALUES, "", "422"),
    Limit("wrong events that are named", MAX_WRONG_KEPT, "", "counted"),
    Limit("a line of a file of events", MAX_LINE_BYTES, "bytes", "422"),
    Limit("lines of it", MAX_FILE_LINES, "", "422"),
    Limit("all of it, unpacked", MAX_OPENED_BYTES, "bytes", "422"),
    Limit("a day’s sums that were counted where the data live", MAX_DAY_BYTES, "bytes", "413"),
    Limit("what any other request carries, but for files", MAX_BODY_BYTES, "bytes", "413"),
    Limit("items of a list in one answer", MAX_PAGE_ITEMS, "", "422"),
    Limit("stored views of the docket, of one person", MAX_DOCKET_VIEWS, "", "422"),
    Limit("an Idempotency-Key", MAX_IDEMPOTENCY_KEY, "characters", "422"),
    Limit("a picture of a variant", MAX_PICTURE_BYTES, "bytes", "422"),
    Limit("a side of it", MAX_PICTURE_SIDE, "pixels", "422"),
    Limit("the whole picture", MAX_PICTURE_PIXELS, "pixels", "422"),
    Limit("a number, as it is written in a file or field", MAX_NUMBER_LENGTH, "characters", "422, a wrong row"),
    Limit("columns of a file", MAX_COLUMNS, "", "422"),
    Limit("the heading of a column", MAX_HEADER_LENGTH, "characters", "422"),
)


def as_markdown() -> str:
    """The limits as a page of the documents."""
    lines = [
        "# Limits",
        "",
        "Made from `neat_verdict/core/limits.py` by `bin/types`. A refusal names what was too long or too many, and the limit.",
        "",
        "| what | at most | what is more |",
        "|---|---|---|",
        *(f"| {one.what} | {f'{one.most:,} {one.unit}'.strip()} | {one.refused} |" for one in LIMITS),
    ]
    return "\n".join(lines) + "\n"
