"""A rollout in words."""

from __future__ import annotations

from datetime import date

from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.app.traffic.models import Rollout


def rollout_in_words(rollout: Rollout) -> str:
    """ "10% from 2 March, everybody from 9 March; until 30 April"; of some "all from 2 March; where device is phone"."""
    everybody = "all" if rollout.rules else "everybody"
    parts = [
        f"{_share(step['share'], everybody)} from {date.fromisoformat(step['day']):%-d %B %Y}" for step in rollout.steps
    ]
    until = f"; until {rollout.until:%-d %B %Y}" if rollout.until else ""
    whom = f"; where {audience_of(rollout.rules).words()}" if rollout.rules else ""
    return f"{', '.join(parts)}{whom}{until}"


def _share(share: float, everybody: str) -> str:
    return everybody if share >= 1 else f"{share * 100:.4g}%"
