"""Figures, names and statements as text."""
