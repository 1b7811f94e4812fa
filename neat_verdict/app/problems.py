"""Failures that several apps raise; config/errors.py turns them into answers."""

from typing import Any


class Conflict(Exception):  # noqa: N818
    """What was asked does not fit the state of things; ``members`` go into the problem document."""

    def __init__(self, sentence: str, **members: Any) -> None:
        super().__init__(sentence)
        self.members = members


class Gone(Exception):  # noqa: N818
    """What was there is there no more, and why."""
