"""Variants are named by letters, control first."""

LETTERS = "ABCDEFGHIJ"
MAX_VARIANTS = len(LETTERS)
