"""The words of the product: each once, short, and explained without itself."""

import re

import pytest

from neat_verdict.core.text.glossary import GLOSSARY, MAX_WORDS


def test_no_word_is_explained_twice():
    names = [term.name.lower() for term in GLOSSARY]
    assert len(set(names)) == len(names)


@pytest.mark.parametrize("term", GLOSSARY, ids=lambda term: term.name)
def test_an_explanation_is_short_and_whole_sentences(term):
    sentences = [part for part in re.split(r"(?<=[.?!])\s+", term.explanation) if part]
    assert term.explanation[0].isupper()
    assert term.explanation.endswith(".")
    assert len(term.explanation.split()) <= MAX_WORDS
    assert all(len(sentence.split()) <= 25 for sentence in sentences)


def test_what_a_rule_is_made_of_is_explained():
    names = {term.name.lower() for term in GLOSSARY}
    assert {"unsound", "look", "worthwhile lift", "confidence interval", "adaptive allocation"} <= names
