"""Comparing what somebody typed with texts: without case and without accents."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence


def folded(text: str) -> str:
    """A text without case and accents (the Unicode Standard: compatibility decomposition without combining marks, full case
    folding)."""
    if text.isascii():
        return text.lower()
    parts = unicodedata.normalize("NFKD", text)
    return "".join(part for part in parts if not unicodedata.combining(part)).casefold()


def words_of(typed: str) -> list[str]:
    """The words of what was typed, folded."""
    return folded(typed).split()


def holds(text: str, words: Sequence[str]) -> bool:
    """Whether a text holds all of some folded words, within its own words too."""
    plain = folded(text)
    return all(word in plain for word in words)
