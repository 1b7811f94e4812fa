"""``neat-verdict size``: how many units and weeks a test needs. No server is asked."""

from __future__ import annotations

import argparse
import json
from typing import Any

from neat_verdict.cli.values import share, shares, table
from neat_verdict.core.planning import Arms, Arrivals, Baseline, PlanRequest, Strictness, make_plan, plan_alternatives
from neat_verdict.core.questions import DEFAULT_QUESTION, QUESTIONS
from neat_verdict.core.text.format import capital, format_count, plural
from neat_verdict.core.variants import LETTERS


def add(commands: Any) -> None:
    """Add the command."""
    parser: argparse.ArgumentParser = commands.add_parser(
        "size", help="units and weeks that a test of a rate needs", description=__doc__
    )
    parser.add_argument("--baseline", required=True, help="control's rate: 5%% or 0.05")
    parser.add_argument(
        "--lift", required=True, help="the least lift that is worthwhile: 10%%, or −10%% where less is better"
    )
    parser.add_argument("--per-day", required=True, type=float, help="units a day that come")
    parser.add_argument("--participation", default="100%", help="which share of them takes part (100%%)")
    parser.add_argument("--confidence", default="95%", help="95%%")
    parser.add_argument("--power", default="80%", help="80%%")
    parser.add_argument("--weights", default="1,1", help="of control and each variant: 1,1")
    parser.add_argument("--question", default=DEFAULT_QUESTION.name, choices=list(QUESTIONS))
    parser.add_argument("--least-weeks", default=2, type=int, help="whole weeks at least (2)")
    parser.add_argument("--json", action="store_true", help="as JSON")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Print the plan. Raises InputError."""
    lift = share("lift", given.lift)
    request = PlanRequest(
        baseline=Baseline(share("baseline", given.baseline)),
        worthwhile_lift=abs(lift),
        arrivals=Arrivals(given.per_day, share("participation", given.participation)),
        arms=Arms(shares("weights", given.weights)),
        strictness=Strictness(share("confidence", given.confidence), share("power", given.power)),
        sign=-1 if lift < 0 else 1,
        question=QUESTIONS[given.question],
        least_weeks=given.least_weeks,
    )
    plan, others = make_plan(request, "units"), plan_alternatives(request)
    if given.json:
        found = {
            "total": plan.size.total,
            "per_arm": list(plan.size.per_arm),
            "weeks": plan.duration.weeks,
            "days_needed": plan.duration.days_needed,
            "too_long": plan.duration.too_long,
            "weeks_by_strictness": others.weeks_by_strictness,
        }
        print(json.dumps(found))
        return 0
    print(plan.sentence)
    for warning in plan.warnings:
        print(f"! {warning}")
    print()
    arms = [[LETTERS[at], f"{format_count(units)} units"] for at, units in enumerate(plan.size.per_arm)]
    print(table([*arms, ["All", f"{format_count(plan.size.total)} units"]]))
    print()
    rows = [[capital(name), plural(weeks, "week")] for name, weeks in others.weeks_by_strictness.items()]
    print(
        table([*rows, *([one.label, plural(one.weeks, "week") if one.weeks else "too long"] for one in others.what_if)])
    )
    return 0
