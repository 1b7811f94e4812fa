"""Variants are told apart by letters, control first."""

LETTERS = "ABCDEFGHIJ"
MAX_VARIANTS = len(LETTERS)
