"""What somebody typed is found whatever its case and accents."""

import pytest

from neat_verdict.core.text.folding import folded, holds, words_of


@pytest.mark.parametrize(
    ("text", "plain"),
    [("Café", "cafe"), ("ÅNGSTRÖM", "angstrom"), ("Straße", "strasse"), ("Плавание", "плавание"), ("ﬁn", "fin")],
)
def test_case_and_accents_make_no_difference(text, plain):
    assert folded(text) == plain


@pytest.mark.parametrize(
    ("typed", "found"), [("", True), ("CAR café", True), ("afé", True), ("cafe zebra", False), (" \t", True)]
)
def test_a_text_holds_words_in_any_order_and_within_its_own(typed, found):
    assert holds("Café car menu", words_of(typed)) is found
