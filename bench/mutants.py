"""Breaks the code on purpose, one line at a time, where a wrong answer would hurt most, and shows what no test notices.

Each break is made in a copy of the project; the tests named with it must fail. ``bin/mutants`` runs all, ``bin/mutants 3 7``
those numbers: first those chosen by hand, then thirty drawn at random (`draw_mutants.py`).
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


@dataclass(frozen=True)
class Break:
    """In ``file`` the text ``before``, which stands there once, becomes ``after``; ``tests`` shall notice."""

    file: str
    before: str
    after: str
    tests: str
    what: str


C, A = "neat_verdict/core/", "neat_verdict/app/"
BREAKS = [
    Break(
        C + "methods/base.py",
        '(1 - check_probability("confidence", confidence)) / comparisons',
        '(1 - check_probability("confidence", confidence))',
        "tests/core/test_standards.py",
        "several variants share no level (Bonferroni dropped)",
    ),
    Break(
        C + "methods/base.py",
        "comparisons * level(z))",
        "level(z))",
        "tests/core/test_standards.py",
        "the adjusted p forgets the other variants",
    ),
    Break(
        C + "methods/group_sequential.py",
        "confidence, self.spending, final=reached.last)",
        "confidence, self.spending, final=True)",
        "tests/core/test_standards.py",
        "every look is taken for the last",
    ),
    Break(
        C + "methods/always_valid.py",
        "always_valid_critical_value(reached.fraction, confidence)",
        "always_valid_critical_value(1.0, confidence)",
        "tests/core/test_standards.py",
        "the band for any time is that of the end",
    ),
    Break(
        C + "verdicts/secondary.py",
        "values = [one.critical_value for one in thresholds]",
        "values = [two_sided_critical_value(rule.confidence) for _ in thresholds]",
        "tests/core/test_standards.py",
        "guardrails are read without regard to the other variants (Dunnett dropped)",
    ),
    Break(
        C + "verdicts/judging.py",
        'self.role in ("secondary", "exploratory") or self.low > -self.margin',
        'self.role in ("secondary", "exploratory") or self.high > -self.margin',
        "tests/core/test_judge_methods.py tests/core/test_secondary.py",
        "a guardrail counts as kept unless its harm is shown",
    ),
    Break(
        C + "verdicts/judging.py",
        'if line.subject == "soundness")),',
        'if line.subject == "nothing")),',
        "tests/core/test_judge_methods.py tests/core/test_adaptive.py",
        "unsound data are judged like any other",
    ),
    Break(
        C + "verdicts/judging.py",
        "effect.high < rule.worthwhile_lift for",
        "effect.high < 2 * rule.worthwhile_lift for",
        "tests/core/test_standards.py tests/core/test_judge.py tests/core/test_judge_methods.py",
        "no worthwhile difference at twice the worthwhile lift",
    ),
    Break(
        C + "soundness/split.py",
        "SPLIT_ALARM = 0.001",
        "SPLIT_ALARM = 0.01",
        "tests/core/test_standards.py",
        "the split's alarm at 0.01",
    ),
    Break(
        C + "soundness/overlap.py",
        "DRIFT_ALARM = 0.001",
        "DRIFT_ALARM = 0.0000001",
        "tests/core/test_standards.py tests/core/test_soundness.py tests/core/test_adaptive.py",
        "drifting shares are not noticed",
    ),
    Break(
        C + "verdicts/conditions.py",
        "expected = min(arms[0].smallest_expected_count(arm) for arm in arms[1:])",
        "expected = max(arms[0].smallest_expected_count(arm) for arm in arms[1:])",
        "tests/core/test_judge.py tests/core/test_judge_methods.py",
        "enough conversions in one variant are enough",
    ),
    Break(
        C + "verdicts/conditions.py",
        "days >= rule.minimum_days, plural",
        "days >= 0, plural",
        "tests/core/test_judge.py tests/core/test_judge_methods.py",
        "the least days are not waited for",
    ),
    Break(
        C + "verdicts/kinds/winner.py",
        "return LETTERS[variant or 0]",
        'return "A"',
        "tests/core/test_judge.py tests/app/test_experiments.py tests/app/test_readings.py",
        "a winner suggests control",
    ),
    Break(
        C + "statistics/multiplicity.py",
        "p * left), 1.0)",
        "p), 1.0)",
        "tests/core/test_families.py tests/core/test_secondary.py",
        "Holm adjusts nothing",
    ),
    Break(
        C + "methods/posterior.py",
        "result.superiority >= self.superiority and result.expected_loss <= self.expected_loss,",
        "result.superiority >= self.superiority,",
        "tests/core/test_standards.py tests/core/test_judge_methods.py tests/core/test_posterior.py",
        "the expected loss decides nothing",
    ),
    Break(
        C + "text/format.py",
        "ROUND_HALF_UP, _ANY_SIZE)",
        "'ROUND_HALF_DOWN', _ANY_SIZE)",
        "tests/core/test_format.py",
        "halves are rounded towards zero",
    ),
    Break(
        C + "periods.py",
        "difference=Interval(m1 - m0, m1 - m0 - reach[0], m1 - m0 + reach[1]),",
        "difference=Interval(m1 - m0, m1 - m0 - reach[0] / 2, m1 - m0 + reach[1] / 2),",
        "tests/core/test_adaptive.py",
        "intervals by period are half as wide",
    ),
    Break(
        C + "designs/adaptive/__init__.py",
        "bonferroni(rule.confidence, pairs)",
        "bonferroni(rule.confidence, 1)",
        "tests/core/test_standards.py tests/core/test_adaptive.py tests/core/test_outlook.py",
        "pairs of an adaptive allocation share no level",
    ),
    Break(
        C + "statistics/wilson.py",
        "square = critical_value**2",
        "square = critical_value",
        "tests/core/test_rates.py",
        "Wilson's interval with the wrong square",
    ),
    Break(
        A + "analysis/panels/selected_range.py",
        "dunnett_critical_value(analysis.rule.confidence,",
        "dunnett_critical_value(0.95,",
        "tests/app/test_standards.py",
        "a selected range is read at 95 %",
    ),
    Break(
        A + "analysis/panels/segments.py",
        "two_sided_critical_value(analysis.rule.confidence)",
        "two_sided_critical_value(0.95)",
        "tests/app/test_standards.py",
        "a rollout is told at 95 %",
    ),
    Break(
        A + "analysis/actions.py",
        '    """Forget a set of segments."""\n    require_editor(by)\n',
        '    """Forget a set of segments."""\n',
        "tests/app/test_permissions.py",
        "stakeholders may remove sets of segments",
    ),
    Break(
        A + "people/queries.py",
        " AND withdrawn_at IS NULL",
        "",
        "tests/app/test_assign.py",
        "withdrawn keys go on opening",
    ),
    Break(
        A + "people/actions.py",
        "if not user.may_edit:",
        "if False:",
        "tests/app/test_permissions.py",
        "stakeholders may do everything",
    ),
    Break(
        A + "experiments/actions/states.py",
        '    record(experiment, by, verb, sentence, changes=[*changes, *detail.pop("changes", ())], **detail)\n',
        "",
        "tests/app/test_ledger.py",
        "changes of state leave no entry",
    ),
    Break(
        A + "experiments/fields.py",
        '"confidence": _between("rule"),',
        '"confidence": Field(),',
        "tests/app/test_fields.py",
        "the confidence is open after the start",
    ),
    Break(
        A + "experiments/fields.py",
        '"method_settings": Field("rule",',
        '"method_settings": Field("rule", copied=False,',
        "tests/app/test_fields.py",
        "a copy forgets the settings of the method",
    ),
    Break(
        A + "reports/queries.py",
        "if link.expires_at <= clock.now():",
        "if False:",
        "tests/app/test_reports.py",
        "report links never expire",
    ),
    Break(
        A + "experiments/record_format_1.py",
        '"planned_share": arm["planned_share"]',
        '"planned_share": arm["seen_share"]',
        "tests/app/test_old_database.py",
        "old records show another plan of the split",
    ),
    Break(
        A + "experiments/record_format_1.py",
        "else LETTERS.index(variant),",
        "else 0,",
        "tests/app/test_old_database.py",
        "old verdicts speak of control",
    ),
]


DRAWN = Path(__file__).parent / "drawn_mutants.json"


def drawn() -> list[Break]:
    """The breaks that `draw_mutants.py` drew at random; the tests of their half of the code shall notice, but for simulations."""
    return [
        Break(
            **line, tests=f"tests/{'core' if line['file'].startswith(C) else 'app'} -m not_slow", what="drawn at random"
        )
        for line in json.loads(DRAWN.read_text())
    ]


def noticed(broken: Break, place: Path) -> bool:
    """Whether the tests fail once the break is made; it is mended again afterwards."""
    path = place / broken.file
    text = path.read_text()
    if text.count(broken.before) != 1:
        raise SystemExit(
            f"{broken.file} has {broken.before!r} {text.count(broken.before)} times, and should have it once"
        )
    path.write_text(text.replace(broken.before, broken.after))
    tests = [word.replace("not_slow", "not slow") for word in broken.tests.split()]
    try:
        # Nothing that was compiled from the mended file is taken for the broken one.
        command = [sys.executable, "-B", "-m", "pytest", "-x", "-n", "2", *tests]
        return subprocess.run(command, cwd=place, capture_output=True, check=False).returncode in (1, 2)
    finally:
        path.write_text(text)


def main(numbers: list[int]) -> int:
    """Make the breaks, say what happened to each, and answer how many nothing noticed."""
    survived = []
    with tempfile.TemporaryDirectory() as name:
        place = Path(name)
        for part in ("neat_verdict", "tests", "docs"):
            shutil.copytree(ROOT / part, place / part, ignore=shutil.ignore_patterns("__pycache__"))
        for part in ("pyproject.toml", "manage.py", "README.md"):
            shutil.copy(ROOT / part, place)
        for number, broken in enumerate([*BREAKS, *drawn()], 1):
            if numbers and number not in numbers:
                continue
            began = time.monotonic()
            seen = noticed(broken, place)
            print(
                f"{number:2d} {'noticed ' if seen else 'SURVIVED'} {time.monotonic() - began:5.0f} s  "
                f"{broken.what}: {broken.file}",
                flush=True,
            )
            if not seen:
                survived.append(number)
    print(f"{len(survived)} survived{': ' if survived else ''}{', '.join(map(str, survived))}")
    return bool(survived)


if __name__ == "__main__":
    sys.exit(main([int(word) for word in sys.argv[1:]]))
