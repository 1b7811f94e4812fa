"""A rollout in words."""

from __future__ import annotations

from datetime import date

from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.app.traffic.models import Rollout


def rollout_in_words(rollout: Rollout) -> str:
    """ "10% from 2 March, everybody from 9 March; until 30 April"; of some "all from 2 March; where device is phone"."""
    for_all = len(rollout.lines) == 1 and not rollout.lines[0]["rules"]
    everybody = "everybody" if for_all else "all"
    parts = [
        f"{_share(step['share'], everybody)} from {date.fromisoformat(step['day']):%-d %B %Y}" for step in rollout.steps
    ]
    until = f"; until {rollout.until:%-d %B %Y}" if rollout.until else ""
    whom = "" if for_all else f"; {_lines(rollout)}"
    held = f"; {_share(rollout.holdout, '')} held out" if rollout.holdout else ""
    return f"{', '.join(parts)}{whom}{held}{until}"


def _lines(rollout: Rollout) -> str:
    """ "where device is phone"; of several "B for Islanders (home is island), else C for Everybody"."""
    if len(rollout.lines) == 1:
        return f"where {audience_of(rollout.lines[0]['rules']).words()}"
    return ", else ".join(
        f"{line['letter']} for {line['name']}" + (f" ({audience_of(line['rules']).words()})" if line["rules"] else "")
        for line in rollout.lines
    )


def _share(share: float, everybody: str) -> str:
    return everybody if share >= 1 else f"{share * 100:.4g}%"
