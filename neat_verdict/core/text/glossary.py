"""What the words of the product mean here: our own few, and terms of the trade that screens explain on the spot."""

from __future__ import annotations

from dataclasses import dataclass

MAX_WORDS = 30


@dataclass(frozen=True, slots=True)
class Term:
    """``own`` for a word that names a place or part of this product; ``explanation`` is at most `MAX_WORDS` long."""

    name: str
    explanation: str
    own: bool = False


GLOSSARY: tuple[Term, ...] = (
    Term("Docket", "The list of all experiments, what needs a decision first.", own=True),
    Term("Sheet", "One of the six pages of an experiment: Brief, Sizing, Traffic, Watch, Evidence, Verdict.", own=True),
    Term("Standing", "What can be said of the experiment now; it is shown with every sheet.", own=True),
    Term(
        "Ledger",
        "The list of what was done, by whom and when. Entries can be added, never changed or removed.",
        own=True,
    ),
    Term(
        "Casebook",
        "All decided experiments together: what was tried, what was learnt, how often a change wins.",
        own=True,
    ),
    Term("Scratchpad", "Counts in, verdict out. Nothing is stored; the address holds what was typed.", own=True),
    Term(
        "Rehearsal",
        "The plan run thousands of times in simulation before the start, read by the same decision rule.",
        own=True,
    ),
    Term("Handover", "What follows a decision: rollout, places to change by hand, and what was learnt.", own=True),
    Term(
        "Look",
        "A reading of the data on a planned day, against a boundary that allows for all looks together.",
        own=True,
    ),
    Term(
        "Round",
        "One run of an experiment. A new round starts with new visitors; earlier rounds stay on record.",
        own=True,
    ),
    Term(
        "Factors",
        "Things that are changed at once, each with levels. Every combination is a variant, and all units count for each factor.",
    ),
    Term(
        "Interaction",
        "What one factor does depends on another: the effect of both is not that of one times that of the other.",
    ),
    Term(
        "Leak",
        "Money that still goes where spending is withheld, as a share of what is usual there. Of a graded test, the part of a "
        "planned change that went another way.",
    ),
    Term(
        "Incremental return",
        "The outcome that a unit of spend brings that would not have come without it.",
    ),
    Term("Break-even return", "The outcome that a unit of spend must bring for the spending to pay."),
    Term(
        "Placebo test",
        "A design tried on past days in which nothing was changed: what it shows there is a false alarm.",
    ),
    Term(
        "Response curve",
        "How an outcome answers to spending: what it would be at each level of it. Known at the levels that were tried.",
    ),
    Term("Cool-down", "Days after the test that still count, while what was spent before wears off."),
    Term(
        "Stretch",
        "Part of a run with one split. A split that is changed begins a new one; variants are compared within each.",
        own=True,
    ),
    Term(
        "Decision rule",
        "Confidence, method, minimums and worthwhile lift, locked at the start: it says when data are enough, "
        "and for what.",
        own=True,
    ),
    Term("Condition", "A part of the decision rule that must be met before a variant can win.", own=True),
    Term("Second reading", "Another way to read the same data, for comparison. It decides nothing.", own=True),
    Term(
        "Strictness",
        "How sure the plan must be: Scout, Standard or Strict, each with its confidence and power.",
        own=True,
    ),
    Term(
        "Worthwhile lift",
        "The smallest lift that would be acted on. Smaller differences are not worth a change.",
        own=True,
    ),
    Term(
        "Margin",
        "The smallest loss, or difference, that would be too much. It is chosen before the start, from what the loss would cost.",
    ),
    Term(
        "Non-inferiority",
        "A variant is shown not to be worse by the margin or more: the interval leaves out every such loss.",
    ),
    Term(
        "Equivalence",
        "A variant is shown to differ by less than the margin, up or down: the whole interval lies within it.",
    ),
    Term(
        "Lift",
        "How much higher the variant's level is than control's, as a share of control's: 5.0% to 5.5% is +10%.",
    ),
    Term(
        "Confidence interval",
        "Values of the lift that the data do not contradict. At 95%, such intervals hold the true value in 95 "
        "of 100 experiments.",
    ),
    Term(
        "Credible interval",
        "A range that holds the true value with the given probability, after the data and the prior.",
    ),
    Term("Confidence", "How rarely a difference may be declared where there is none: 95% allows 5 in 100."),
    Term("Power", "The chance to see the worthwhile lift, if it is real, with the planned sample."),
    Term(
        "Strata",
        "Segments within which the variants are compared before these are combined, so that their mix does not matter "
        "(post-stratification).",
    ),
    Term("Percentile", "The value that so many per cent of the units with a value stay under; the 50th is the median."),
    Term("Exceedance", "A value past the percentile in question. Few of them leave the percentile uncertain."),
    Term("p-value", "How often chance alone would show a difference at least as large, if there were none."),
    Term(
        "Adjusted p",
        "A p-value that allows for several variants, metrics or looks, so that it is held against the same level.",
    ),
    Term(
        "Holm",
        "A correction for several tests that limits the chance of even one false difference (family-wise error rate).",
    ),
    Term(
        "Benjamini–Hochberg",
        "A correction for several tests that limits the expected share of false differences among those "
        "declared (false discovery rate).",
    ),
    Term(
        "Guardrail",
        "A metric that must not be harmed by more than its margin; a winner must be shown to stay within it.",
    ),
    Term(
        "Goal",
        "A second metric that a winner must be shown to be better on too. Both must hold, so the level needs no correction.",
    ),
    Term(
        "Totals by day",
        "Where nothing is known of single units, each day is one replicate. Its totals are held against control’s of the same "
        "day.",
    ),
    Term(
        "Second count",
        "The same experiment counted by another system, beside the first and never instead of it. It asks whether the verdict "
        "would be another.",
    ),
    Term(
        "Exploratory",
        "Found or added after the start. It is shown with its figures, and no verdict rests on it.",
    ),
    Term("Secondary metric", "A metric that is read and corrected for multiple testing, but does not decide."),
    Term(
        "Split",
        "The shares in which units are assigned to the variants. An observed split far from the plan makes a "
        "test unsound.",
    ),
    Term("Unsound", "The data contradict the design, by their split or their timing. No lift may be read from them."),
    Term(
        "Conversion window",
        "How long after the first exposure an event still counts for a unit. The verdict reads a unit once its window is over.",
    ),
    Term(
        "Skewness",
        "How far a few large values stretch one side. At even shares it cancels; in a small variant it bends the interval, which "
        "is corrected for.",
    ),
    Term("Exposure", "The moment a unit first met the difference between the variants; it is counted from then on."),
    Term("Participation", "The share of the audience that is included in the experiment."),
    Term("Ramp", "Days with a smaller share of traffic at the beginning, to notice problems early."),
    Term("Exclusion group", "Experiments of one group never share a visitor."),
    Term(
        "Standard deviation",
        "How far the values of single units lie from their mean; it sets the sample size of a mean.",
    ),
    Term("Cap", "The most a single unit may count for, so that a few extreme values do not decide."),
    Term(
        "Covariate",
        "A figure of the same unit from before the start. Adjusting for it removes variance and shortens the test.",
    ),
    Term(
        "Partially pooled",
        "Drawn towards the mean of all, the more the larger the sampling error; the better guess for a small segment.",
    ),
    Term(
        "Combination of properties",
        "One value of each of several properties, such as phone and search. Its level leans on what each value does elsewhere, "
        "the more the fewer units it has.",
    ),
    Term(
        "Uniform share",
        "Units, drawn by hash, whose variants are even whatever is seen. Nothing is learned from them: they show what shares "
        "that follow the evidence are worth.",
    ),
    Term(
        "Policy",
        "The rule by which shares follow the evidence. Its lift says what sharing out so brings over control for everybody.",
    ),
    Term(
        "Stratified estimate",
        "Compared within each segment or period, then combined, so that a different mix does not look like a lift.",
    ),
    Term(
        "Adjusted for stopping",
        "A run that may end early ends where chance helped. The estimate adjusted for that is, over all runs, as often too "
        "large as too small.",
    ),
    Term(
        "A/A test",
        "Both variants are the same, so that every difference found is a false alarm: how often shows whether the metric keeps "
        "what is promised.",
    ),
    Term("Sensitivity", "How far the data would have to change for another verdict."),
    Term(
        "Adjusted for selection",
        "Estimates of winners are too high on average, because luck helped to choose them; this takes that off.",
    ),
    Term(
        "Adaptive allocation",
        "Shares follow the evidence: variants that look better get more of the later visitors.",
    ),
    Term(
        "Epoch",
        "A stretch of an adaptive allocation in which shares stand still; readings are stratified by epochs.",
    ),
    Term(
        "Pooled over epochs",
        "All epochs added up as if shares had not changed. Misleading where levels change over time.",
    ),
    Term("Probability to be best", "The probability that this variant has the best true level, given data and prior."),
    Term(
        "Possible gain remaining",
        "How much better than the leader another variant may still be, at the rule's confidence.",
    ),
    Term("Half-life of evidence", "The number of epochs after which older data weigh half, where levels drift."),
    Term(
        "Alpha spending",
        "How the allowed chance of a false difference is divided over the looks: late (O'Brien–Fleming type) "
        "or evenly (Pocock type).",
    ),
    Term("Boundary", "The value the test statistic must pass at a look for the look to decide."),
    Term(
        "Always-valid reading",
        "A reading that may be made at any time, as often as one likes, at the stated error rate.",
    ),
    Term("Monte Carlo error", "The error of a simulated figure that comes from simulating a limited number of runs."),
    Term("Unit", "What is assigned and counted: a visitor, an account, or a request."),
    Term("Arm", "The sufficient statistics of one variant in the code: a rate, a mean or a ratio."),
    Term("Tally", "The sums of one metric for a round, variant, segment and day of first exposure."),
    Term(
        "Design",
        "What is compared with what: a fixed split (parallel), or shares that follow the evidence (adaptive).",
    ),
    Term("Method", "When data are read and by what threshold: once, at planned looks, at any time, or by posterior."),
    Term("Period", "A stretch of time in which the shares stood still. Readings are stratified by periods."),
    Term("Derivation", "How a figure is computed, step by step, so that it can be checked by hand."),
)


def as_markdown() -> str:
    """The glossary as a page of the documents."""
    lines = [
        "# Glossary",
        "",
        "Made from `neat_verdict/core/text/glossary.py` by `bin/types`; the application shows the same.",
        "Words marked \u2022 are our own: they name places and parts of the product.",
        "The others are terms of the trade, in the sense they have here.",
        "",
        "| word | meaning here |",
        "|---|---|",
        *(f"| {term.name}{_mark(term)} | {term.explanation} |" for term in GLOSSARY),
    ]
    return "\n".join(lines) + "\n"


def _mark(term: Term) -> str:
    return " \u2022" if term.own else ""
