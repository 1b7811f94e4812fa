"""Shapes of what is sent and answered; made by `bin/types` from docs/openapi.json."""

from __future__ import annotations

from typing import Any, Literal, NotRequired, TypedDict


class AAResult(TypedDict):
    """Of splits of ``units`` in which nothing differs: called ``higher`` and ``lower`` where ``promised`` a side is right, those
    that had to wait, and those whose interval ``held`` no difference."""

    as_promised: bool
    held: ShareOut
    higher: ShareOut
    lower: ShareOut
    promised: float
    sentence: str
    units: int
    waits: ShareOut


class AATestIn(TypedDict):
    """``shares`` are control's and the variant's, in any unit."""

    confidence: NotRequired[float]
    seed: NotRequired[int]
    shares: NotRequired[list[float]]
    splits: NotRequired[int]


class AATestOut(TypedDict):
    at: str
    by: str
    confidence: float
    id: int
    problem: str
    progress: float
    result: AAResult | None
    seed: int
    shares: list[float]
    splits: int
    state: Literal["running", "done", "cancelled", "failed"]


class Account(TypedDict):
    display_name: str
    may_administer: bool
    may_edit: bool
    role: str
    username: str


class AccountChanges(TypedDict):
    email: NotRequired[str | None]
    first_name: NotRequired[str | None]
    last_name: NotRequired[str | None]
    role: NotRequired[Literal["stakeholder", "analyst", "admin"] | None]


class AccountEntryOut(TypedDict):
    about: str
    at: str
    by: str
    sentence: str
    verb: str


class AccountIn(TypedDict):
    """Of a ``service`` there is no address: it works by tokens."""

    email: NotRequired[str]
    first_name: NotRequired[str]
    last_name: NotRequired[str]
    role: Literal["stakeholder", "analyst", "admin"]
    service: NotRequired[bool]
    username: str


class AccountLine(TypedDict):
    display_name: str
    email: str
    every_right: bool
    last_login: str | None
    role: Literal["stakeholder", "analyst", "admin"]
    second_factor: bool
    service: bool
    state: Literal["active", "invited", "deactivated"]
    username: str


class AccountLogOut(TypedDict):
    count: int
    items: list[AccountEntryOut]


class AccountOut(TypedDict):
    """With what was made in its name. ``schedules`` are lakes that are counted by themselves in its name,
    ``experiments`` those it owns that are not decided."""

    display_name: str
    email: str
    every_right: bool
    experiments: list[HeldOut]
    first_name: str
    keys: list[HeldOut]
    last_login: str | None
    last_name: str
    links: list[HeldOut]
    role: Literal["stakeholder", "analyst", "admin"]
    schedules: list[str]
    second_factor: bool
    service: bool
    sessions: int
    state: Literal["active", "invited", "deactivated"]
    tokens: list[TokenOut]
    username: str


class AccountsOut(TypedDict):
    count: int
    items: list[AccountLine]


class AdaptiveOut(TypedDict):
    """Of a reading by epoch: chances to be best (control first), the value ``remaining`` as a share of the leader's level,
    ``spared`` the units that saw the best variant beyond those of an even split, and ``gained`` conversions or sum beyond it.
    ``sentence`` puts the gain in words; ``policy`` is of one that shares out by several properties."""

    chances: list[float]
    gained: IntervalOut
    leader: str
    policy: NotRequired[PolicyValueOut | None]
    pooled: list[PooledOut]
    remaining: float | None
    remarks: list[str]
    sentence: str
    spared: IntervalOut


class AddedMetricIn(TypedDict):
    """The name or key of a metric of the library."""

    name: str


class AllocationIO(TypedDict):
    """How traffic follows the evidence; ``metric`` is the key of the metric that shares follow ("" for the one that decides).

    Epochs last ``epoch_hours``; ``properties`` are those by which traffic is allocated separately: none for everybody alike, one
    by its values, several by their combinations, with a part ``uniform`` of units assigned evenly. ``half_life`` is in epochs."""

    epoch_hours: NotRequired[int]
    even_epochs: NotRequired[int]
    even_units: NotRequired[int]
    floor: NotRequired[float]
    half_life: NotRequired[float | None]
    kind: NotRequired[Literal["proportional", "top_two"]]
    max_change: NotRequired[float]
    metric: NotRequired[str]
    properties: NotRequired[list[str]]
    uniform: NotRequired[float]


class AllocationOut(TypedDict):
    """How traffic follows the evidence: who sets the shares, by which metric, when the epoch ends; the latest epochs in order."""

    epochs: list[EpochOut]
    left_out: int
    letters: list[str]
    metric: str
    mode: Literal["follow", "frozen", "even"]
    next_close: str | None
    sentence: str
    window_hours: int


class AllocationRehearsalOut(TypedDict):
    at: str
    by: str
    drift: float
    id: int
    lifts: list[float]
    problem: str
    progress: float
    result: AllocationResult | None
    runs: int
    seed: int
    stale: bool
    state: Literal["running", "done", "cancelled", "failed"]


class AllocationResult(TypedDict):
    adaptive: WayOut
    days: int
    epoch_days: float
    even: WayOut
    gained: EstimateOut
    is_rate: bool
    sentence: str


class AnswerOut(TypedDict):
    """``reason`` says why; all but assigned do not count."""

    because: str
    parameters: dict[str, Any]
    problem: str | None
    reason: Literal["forced", "audience", "exclusion", "participation", "assigned", "kept", "stopped", "not_running"]
    variant: str


class ArmIn(TypedDict):
    """Counts as typed: "41,433" is read, a rate is refused with the reason. ``cost``, ``impressions`` and the ``amount`` that
    all conversions came to are totals, "" where they are not known."""

    amount: NotRequired[str]
    conversions: str
    cost: NotRequired[str]
    impressions: NotRequired[str]
    name: NotRequired[str]
    units: str
    weight: NotRequired[float]


class ArmOut(TypedDict):
    """``total`` is the number of conversions of a rate, the sum of a mean, the numerator of a ratio; ``rate`` its level. One
    that was ``stopped`` got no new units at the end, and is compared up to then."""

    letter: str
    name: str
    planned_share: float
    rate: IntervalOut
    seen_share: float | None
    stopped: NotRequired[bool]
    total: float
    units: int


class ArrivalsOut(TypedDict):
    """Units by day and variant and the split, of all there are: the Watch sheet does not wait for looks."""

    arms: list[ArrivedOut]
    days: list[str]
    split: SplitOut
    units: list[list[int]]


class ArrivedOut(TypedDict):
    letter: str
    planned_share: float
    seen_share: float | None
    units: int


class AsideIn(TypedDict):
    reason: str


class AssignIn(TypedDict):
    """``experiments`` are keys; all that run where it is left out. ``properties`` is what is known of the unit."""

    experiments: NotRequired[list[str] | None]
    properties: NotRequired[dict[str, Any]]
    unit: str


class AssignOut(TypedDict):
    assignments: dict[str, AnswerOut]
    problem: NotRequired[str | None]


class AudienceIn(TypedDict):
    description: NotRequired[str]
    groups: list[ConditionGroupIO]
    name: str


class AudienceOut(TypedDict):
    description: NotRequired[str]
    groups: list[ConditionGroupIO]
    id: int
    made_by: str
    name: str
    size: AudienceSizeOut
    words: str


class AudienceSizeOut(TypedDict):
    """How many of the units of the last month rules would have let in, ``share`` of all; without numbers where nobody came.
    ``never_sent`` are the properties in the rules that no unit came with."""

    admitted: EstimatedUnits | None
    never_sent: list[str]
    sentence: str
    share: float | None
    units: EstimatedUnits | None


class BadLineOut(TypedDict):
    field: str
    line: int
    reason: str


class BalanceOut(TypedDict):
    any_two: float
    feature: str
    paired: float


class BestInCombinationOut(TypedDict):
    """The variant that looks best in a combination, the chance that it is, and the units that say so."""

    chance: float
    combination: str
    letter: str
    units: int


class BoundaryOut(TypedDict):
    day: int
    lift: float


class BoundsOut(TypedDict):
    """An estimate with its interval; a bound is left out where there is no limit on that side."""

    estimate: float
    high: float | None
    low: float | None


class BroughtDaysOut(TypedDict):
    """Figures that are ``new`` and ``changed``, rows of the ``past``, which stays as it was, and ``unknown`` regions."""

    changed: int
    last: str | None
    new: int
    past: int
    reading: RegionReadingOut
    unknown: list[str]


class ByDaysOut(TypedDict):
    """A metric of which only totals by day are known: ``wider`` is the part by which its interval is wider than with a variance
    that were known, ``correlations`` those of each variant's neighbouring days against control (none where there is none)."""

    correlations: list[float | None]
    days: int
    metric: str
    metric_name: str
    sentence: str
    warnings: list[str]
    wider: float


class CappedOut(TypedDict):
    """Units of each variant, and how many of them reached the cap of a metric."""

    letters: list[str]
    metric: str
    reached: list[int]
    sentence: str
    units: list[int]


class CaseOut(TypedDict):
    """A decided experiment. ``partially_pooled`` is its lift adjusted for selection among all cases,
    ``adjusted_text`` for when its own run ended."""

    adjusted_text: NotRequired[str]
    area: str
    decided_at: str
    decision: str
    forecasts: int
    forecasts_held: int
    good_direction: str
    key: str
    learnt: str
    lift: IntervalOut | None
    metric: str
    name: str
    partially_pooled: IntervalOut | None
    places_open: int
    short: str
    tone: Literal["ahead", "behind", "open"]
    verdict: str
    verdict_name: str
    worthwhile_lift: float


class CasebookOut(TypedDict):
    areas: list[str]
    cases: list[CaseOut]
    count: int
    record: RecordOut


class CellsOut(TypedDict):
    at: str
    not_analysed: list[str]
    pairs: list[DrawnPairOut]
    seed: int


class ChanceOut(TypedDict):
    """How many draws of the same pairs show which lift: ``edges`` of bins and their ``counts``."""

    counts: list[int]
    draws: int
    edges: list[float]
    exact: bool


class ChannelOut(TypedDict):
    """What was tested, with its tests from the first on."""

    cases: list[RegionCaseOut]
    tested: str


class CheckIn(TypedDict):
    """A visitor as one might come: would they take part?"""

    properties: NotRequired[dict[str, Any]]
    unit: str


class CheckOut(TypedDict):
    because: str
    name: str
    parameters: dict[str, Any]
    problem: str | None
    reason: Literal["forced", "audience", "exclusion", "participation", "assigned", "kept", "stopped", "not_running"]
    takes_part: bool
    variant: str


class CheckedOut(TypedDict):
    """Something that must be so where requests are sent; ``detail`` says how it is."""

    detail: str
    name: str
    ok: bool


class ChoiceOut(TypedDict):
    name: str
    title: str


class Choices(TypedDict):
    """What there is to filter by."""

    areas: list[str]
    metrics: list[MetricChoice]
    owners: list[OwnerOut]
    states: list[str]
    verdicts: list[str]


class Code(TypedDict):
    code: str


class CohortOut(TypedDict):
    first: str
    last: str
    lift: IntervalOut | None
    tone: Literal["ahead", "behind", "open"]
    units: list[int]


class CohortsOut(TypedDict):
    """A variant's lift by groups of days of first exposure; ``change`` from group to group on the log scale."""

    change: float | None
    cohorts: list[CohortOut]
    days_a_group: int
    pvalue: float | None
    sentence: str
    variant: str


class ComparisonOut(TypedDict):
    """``effect`` is what is judged and shown: the lift, or on the scale of differences the difference, placed as a part of the
    level planned with and written in the metric's unit. ``adjusted_text`` is the effect adjusted for when the run ended, "" where
    nothing is; ``effect_per_month`` has that estimate. Under a posterior rule there are ``superiority`` and ``expected_loss``;
    under the others ``chance`` is the plain probability to be better than control, by which they do not decide. ``margin_pvalue``
    is that of the margin, where the question is about one: adjusted as the other, by which such a rule decides."""

    adjusted_pvalue: float
    adjusted_text: NotRequired[str]
    chance: NotRequired[float | None]
    critical_value: float
    difference: IntervalOut
    effect: IntervalOut
    effect_per_month: IntervalOut | None
    exact_pvalue: float | None
    expected_loss: NotRequired[float | None]
    letter: str
    lift: IntervalOut
    margin_pvalue: NotRequired[float | None]
    pvalue: float
    sentence: str
    statistic: float
    superiority: NotRequired[float | None]
    tone: Literal["ahead", "behind", "open"]


class ConditionGroupIO(TypedDict):
    """Conditions of which all, or any one, must hold."""

    conditions: list[ConditionIO]
    kind: NotRequired[Literal["all", "any"]]


class ConditionIO(TypedDict):
    attribute: str
    kind: NotRequired[Literal["text", "number", "true_false", "date", "version"]]
    operator: NotRequired[
        Literal[
            "is", "is_not", "any_of", "contains", "starts_with", "ends_with", "greater", "less", "between", "is_set"
        ]
    ]
    values: NotRequired[list[str]]


class ConditionOut(TypedDict):
    """A line of a rule with the figure seen and the one required."""

    key: str
    label: str
    required: str
    seen: str
    state: Literal["met", "not_met", "unknown"]
    subject: Literal["minimum", "soundness", "effect"]


class Confirmed(TypedDict):
    """``password`` is that of whoever asks, given once more."""

    password: NotRequired[str]


class ConflictOut(TypedDict):
    """A variant whose metrics pull apart, by their names."""

    ahead: list[str]
    behind: list[str]
    letter: str
    unproven: list[str]


class CountsIn(TypedDict):
    arms: list[ArmIn]
    confidence: NotRequired[float]
    days: NotRequired[int]
    good_direction: NotRequired[Literal["up", "down"]]
    least_conversions: NotRequired[int]
    metric: NotRequired[str]
    question: NotRequired[Literal["superiority", "noninferiority", "equivalence"]]
    worthwhile_lift: NotRequired[float]


class CurveOut(TypedDict):
    """A form of the curve of the outcome: its lifts by spend as shares of the usual, and the lift of spending ``nothing``, with
    the interval of all curves of this form that pass through both levels' intervals (null where none does)."""

    lifts: list[float]
    name: str
    nothing: BoundsOut | None
    shares: list[float]


class DailyOut(TypedDict):
    """``sums`` has a table for each of ``fields``: rows of days, columns of variants; ``levels`` the daily rates or means."""

    days: list[str]
    fields: list[str]
    levels: list[list[float | None]]
    sums: list[list[list[float]]]


class DayDifferenceOut(TypedDict):
    """Units of a day that changed, before and now; alike where only what they did changed."""

    before: int
    day: str
    now: int


class DayTakenOut(TypedDict):
    """``changed`` is whether anything is another now."""

    changed: bool
    day: str
    units: int


class Deactivation(TypedDict):
    """``hand_over_to``: whom keys, links and open experiments pass to; null ends keys and links."""

    hand_over_to: str | None


class DecideIn(TypedDict):
    """``rollout`` is that of the variant chosen; without it, units that have the variant keep it and nobody else gets it."""

    choice: str
    next_step: NotRequired[str]
    reason: NotRequired[str]
    rollout: NotRequired[RolloutIn | None]


class DefinitionIO(TypedDict):
    """As `core.metrics.Definition`."""

    currency: NotRequired[str]
    denominator: NotRequired[MeasureIO | None]
    good_direction: NotRequired[Literal["up", "down"]]
    kind: Literal["conversion", "count", "amount", "ratio", "funnel", "median", "p90", "p95", "totals"]
    measure: NotRequired[MeasureIO | None]
    steps: NotRequired[list[EventFilterIO]]
    totals: NotRequired[list[TotalIO]]
    unit: NotRequired[Literal["percent", "number", "money", "milliseconds", "per_thousand"]]
    window_hours: NotRequired[float | None]
    within_hours: NotRequired[float | None]


class DeliveriesOut(TypedDict):
    count: int
    items: list[DeliveryOut]


class DeliveryChangeOut(TypedDict):
    """``subject``: what of that which visitors get was changed."""

    after: str
    at: str
    before: str
    by: str
    reason: str
    subject: str


class DeliveryOut(TypedDict):
    """``status`` is that of the last answer, ``problem`` why there was none; ``data`` what is sent,
    ``name`` that of the experiment."""

    at: str
    data: dict[str, Any]
    due_at: str | None
    id: int
    kind: str
    message: str
    name: str
    problem: str
    sent_at: str | None
    sentence: str
    state: Literal["waiting", "delivered", "failed"]
    status: int | None
    tries: int


class DemoAccount(TypedDict):
    password: str
    role: str
    username: str


class DerivationOut(TypedDict):
    """How a figure is made, with every input, so that it can be done again by hand."""

    formula: str
    inputs: list[StepOut]
    source: str
    steps: list[StepOut]
    title: str
    words: str


class DesignOut(TypedDict):
    """``refused`` says, by the name of a method, why it does not hold in this design, ``refused_questions`` the same of
    questions."""

    explanation: str
    name: str
    refused: dict[str, str]
    refused_questions: dict[str, str]
    title: str


class DeviceUseOut(TypedDict):
    """What those did who are followed, with one device; ``more`` elements were clicked too."""

    device: Literal["phone", "computer"]
    elements: list[ElementUseOut]
    more: int
    outlines: list[OutlineOut]
    tenths: list[TenthUseOut]
    units: list[int]


class DifferenceOut(TypedDict):
    added: int
    changed: int
    unchanged: int


class Docket(TypedDict):
    """``count`` fit, of which ``rows`` is a page; ``left_out`` are decided longer ago. ``behind`` show what was there a moment
    ago: what came in since is being read. Others changed ``changed`` since ``looked_at``; ``as_of`` is when this was read."""

    as_of: str
    behind: int
    changed: int
    choices: Choices
    count: int
    headline: str
    left_out: int
    looked_at: str
    rows: list[DocketRow]


class DocketFilter(TypedDict):
    """What rows are shown: those that fit every filter that is given. ``search`` has words of name, metric, area and key;
    ``owner`` is a name to sign in with, ``metric`` a key; ``changed`` are those that others have changed since one looked.
    ``sort`` begins with "-" for the largest, or latest, first."""

    archived: NotRequired[bool]
    area: NotRequired[str]
    changed: NotRequired[bool]
    changed_since: NotRequired[str | None]
    metric: NotRequired[str]
    mine: NotRequired[bool]
    owner: NotRequired[str]
    search: NotRequired[str]
    sort: NotRequired[
        Literal["urgency", "name", "-name", "changed", "-changed", "started", "-started", "lift", "-lift"]
    ]
    state: NotRequired[
        list[Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]]
    ]
    verdict: NotRequired[list[str]]


class DocketRow(TypedDict):
    """``news`` is how often others have changed it since one looked, ``latest_news`` what the last of them did."""

    adjusted_text: NotRequired[str]
    area: str
    changed_at: str | None
    days: int
    group: Literal["ready", "collecting", "preparation", "tailored", "decided", "archived"]
    key: str
    latest_news: str
    lift: IntervalOut | None
    metric: str
    mine: bool
    name: str
    news: int
    owner: str
    planned_days: int
    progress: float | None
    short: str
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]
    tone: Literal["ahead", "behind", "open"]
    verdict: str | None
    worthwhile_lift: float


class DocketView(TypedDict):
    """Filters and order of the docket under a name, as the address has them after its question mark."""

    filters: str
    name: str


class DrawIn(TypedDict):
    """``seed`` draws what it drew elsewhere; left out, one is made."""

    seed: NotRequired[int | None]


class DrawnPairOut(TypedDict):
    arm: Literal["withheld", "lower", "higher"]
    control: str
    treated: str


class Edit(TypedDict):
    """``reason`` allows a change of the decision rule, or of what visitors get, after the start; it is kept in the ledger and
    shown in the report. ``new_round`` ends the round with such a change of what visitors get, and begins the next."""

    changes: ExperimentChanges
    new_round: NotRequired[bool]
    reason: NotRequired[str]
    version: int


class EffectOut(TypedDict):
    """A main effect, or an interaction where several ``factors`` (by place) have a part in it; ``tone`` says which way it is
    shown."""

    adjusted_pvalue: float
    clear: bool
    effect: IntervalOut
    factors: list[int]
    name: str
    pvalue: float
    tone: str


class ElementIO(TypedDict):
    """An element of a page, by the key that clicks carry, with what it is called and where it stands, in pixels."""

    height: int
    key: str
    name: str
    width: int
    x: int
    y: int


class ElementUseOut(TypedDict):
    """Units by variant that clicked an element; null in a variant that has not got it."""

    clicked: list[int | None]
    differences: list[ShareDifferenceOut | None]
    key: str
    name: str


class EndIn(TypedDict):
    """``ends_at`` without a value: somebody ends it."""

    ends_at: NotRequired[str | None]


class EngineerOut(TypedDict):
    """All that an engineer needs to bring an experiment onto the page."""

    audience: str
    change: str
    events: list[WantedEventOut]
    expires_at: str
    findings: list[FindingOut]
    key: str
    name: str
    owner: str
    page: str
    planned_start: str | None
    previews: list[PagePreviewOut]
    snippets: list[SnippetOut]
    state: str
    unit: str
    variants: list[GivenVariantOut]
    workspace: str


class EpochOut(TypedDict):
    """An epoch: its shares by segment ("" for everybody), who set them and why; ``chances`` to be best as they were known when it
    began, ``wanted`` what the policy asked for then, ``units`` first exposed in it by variant, ``sentence`` why for everybody and
    ``sentences`` why by segment."""

    chances: dict[str, list[float]]
    ended_at: str | None
    number: int
    origin: Literal["start", "policy", "hand", "frozen", "even"]
    reason: str
    reasons: dict[str, Literal["even_start", "followed", "slowed"]]
    sentence: str
    sentences: dict[str, str]
    set_by: str
    shares: dict[str, list[float]]
    started_at: str
    units: list[int]
    wanted: dict[str, list[float]]


class EpochRecordOut(TypedDict):
    """All that an epoch's shares were worked out from, and what the same working gives now."""

    number: int
    record: dict[str, Any]
    same: bool
    worked_out_again: dict[str, list[float]]


class EstimateOut(TypedDict):
    """A simulated mean with its 95 % bounds; null where nothing was there to take a mean of."""

    estimate: float | None
    high: float | None
    low: float | None


class EstimatedUnits(TypedDict):
    """A number of units with 95 % bounds; they are the number itself where every unit was kept."""

    estimate: float
    high: float
    low: float


class EventFileOut(TypedDict):
    """``line`` is counted from 1; with bad lines nothing was stored."""

    accepted: int
    bad: list[BadLineOut]
    bad_count: int
    duplicates: int
    held: int
    late: int
    lines: int
    too_old: int
    unexposed: int
    unknown: dict[str, int]


class EventFilterIO(TypedDict):
    """Events named ``event``, or any of ``or_events``, that fulfil all ``conditions`` and every group."""

    conditions: NotRequired[list[ConditionIO]]
    event: str
    groups: NotRequired[list[FilterGroupIO]]
    or_events: NotRequired[list[str]]


class EventNameOut(TypedDict):
    """An event that the experiment's metrics count."""

    last_at: str | None
    metrics: list[str]
    name: str
    times: int


class EvidenceOut(TypedDict):
    """In words: ``partial_day`` what came on a day that is not over, ``data_until`` up to when data are in the figures; empty
    where there is none."""

    arrivals: ArrivalsOut
    by_days: NotRequired[list[ByDaysOut]]
    capped: NotRequired[list[CappedOut]]
    daily: DailyOut
    data_until: NotRequired[str]
    funnels: NotRequired[list[FunnelOut]]
    looks: NotRequired[LooksOut | None]
    partial_day: NotRequired[str]
    reading: ReadingOut
    rounds: NotRequired[RoundsOut | None]
    second_counts: NotRequired[list[SecondCountOut]]
    series: list[SeriesOut]
    spend: NotRequired[SpendOut | None]


class ExclusionOut(TypedDict):
    free: float
    members: list[GroupUse]
    name: str


class ExperimentChanges(TypedDict):
    """Only the fields that are given change."""

    allocation: NotRequired[AllocationIO | None]
    area: NotRequired[str]
    assignment_unit: NotRequired[Literal["visitor", "account", "request"]]
    audience: NotRequired[str]
    audience_per_day: NotRequired[int | None]
    audience_rules: NotRequired[list[ConditionGroupIO]]
    baseline: NotRequired[float | None]
    because: NotRequired[str]
    change: NotRequired[str]
    confidence: NotRequired[float]
    correlation: NotRequired[float]
    count_tolerance: NotRequired[float]
    data_from: NotRequired[Literal["files", "events"]]
    description: NotRequired[str]
    exclusion_group: NotRequired[str]
    exclusion_share: NotRequired[float]
    factors: NotRequired[list[FactorIO]]
    family: NotRequired[Literal["holm", "benjamini_hochberg"]]
    forced: NotRequired[dict[str, str]]
    identity: NotRequired[Literal["id", "person"]]
    least_conversions: NotRequired[int]
    least_weeks: NotRequired[int]
    longest_run_weeks: NotRequired[int | None]
    method: NotRequired[Literal["fixed", "group_sequential", "always_valid", "posterior"]]
    method_settings: NotRequired[dict[str, Any]]
    metrics: NotRequired[list[MetricUseIn]]
    name: NotRequired[str]
    never_counted: NotRequired[NeverCountedIO]
    page: NotRequired[str]
    participation: NotRequired[float]
    planned_start: NotRequired[str | None]
    power: NotRequired[float]
    question: NotRequired[Literal["superiority", "noninferiority", "equivalence"]]
    ramp: NotRequired[list[RampStepIO]]
    rounds_planned: NotRequired[int]
    standard_deviation: NotRequired[float | None]
    unit_name: NotRequired[str]
    variants: NotRequired[list[VariantIn]]
    warm_up_days: NotRequired[int]
    worthwhile_lift: NotRequired[float]


class ExperimentFilter(TypedDict):
    """``search`` has words of name, area, change and hypothesis; ``owner`` is a name to sign in with; of ``state`` there may be
    several. ``sort`` begins with "-" for the largest, or latest, first; what has no such moment comes last."""

    area: NotRequired[str]
    created_since: NotRequired[str | None]
    metric: NotRequired[str]
    owner: NotRequired[str]
    search: NotRequired[str]
    sort: NotRequired[Literal["name", "-name", "created", "-created", "started", "-started", "decided", "-decided"]]
    state: NotRequired[
        list[Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]]
    ]


class ExperimentOut(TypedDict):
    """An experiment with what follows from its fields."""

    allocation: AllocationIO | None
    allocation_mode: Literal["follow", "frozen", "even"]
    area: str
    assignment_unit: Literal["visitor", "account", "request"]
    audience: str
    audience_in_words: str
    audience_per_day: int | None
    audience_rules: list[ConditionGroupIO]
    baseline: float | None
    because: str
    breakdowns: list[list[str]]
    by_region: bool
    change: str
    confidence: float
    correlation: float
    count_tolerance: float
    data_from: Literal["files", "events"]
    decided_at: str | None
    decided_by: str
    decision: str
    decision_next: str
    decision_reason: str
    delivery_changes: list[DeliveryChangeOut]
    description: str
    design: str
    ended_on: str | None
    ends_at: str | None
    exclusion_group: str
    exclusion_share: float
    factors: list[FactorIO]
    family: Literal["holm", "benjamini_hochberg"]
    forced: dict[str, str]
    good_direction: Literal["up", "down"]
    hypothesis: str
    identity: Literal["id", "person"]
    key: str
    last_day: str | None
    least_conversions: int
    least_weeks: int
    longest_run_weeks: int | None
    method: Literal["fixed", "group_sequential", "always_valid", "posterior"]
    method_settings: dict[str, Any]
    metric: str
    metrics: list[MetricUseOut]
    name: str
    never_counted: NeverCountedIO
    never_counted_in_words: str
    owner: str
    page: str
    participation: float
    participation_today: float
    plan: PlanOut | None
    plan_problem: str
    planned_start: str | None
    power: float
    question: Literal["superiority", "noninferiority", "equivalence"]
    ramp: list[RampStepIO]
    read_after: str | None
    remarks: list[str]
    round: int
    round_of: str
    rounds: list[RoundOut]
    rounds_left: int
    rounds_planned: int
    rule_changes: list[RuleChangeOut]
    rule_in_words: str
    rule_locked_at: str | None
    standard_deviation: float | None
    started_on: str | None
    starts_at: str | None
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]
    unit_name: str
    variants: list[VariantOut]
    version: int
    warm_up_days: int
    workspace_longest_run_weeks: int
    worthwhile_lift: float


class ExperimentPage(TypedDict):
    count: int
    items: list[ListedOut]


class FactOut(TypedDict):
    label: str
    note: str
    value: str


class FactorIO(TypedDict):
    """One of several things that are changed at once; the first of its ``levels`` is the base."""

    levels: list[str]
    name: str


class FactorOut(TypedDict):
    """A factor with its levels, the base first."""

    levels: list[str]
    name: str


class FactorialOut(TypedDict):
    """``combinations`` has of each variant the number of each factor's level, control first; ``choice`` those of the combination
    to take, ``interacting`` the places of factors that interact, ``words`` what follows for each factor. ``on_logs``: effects are
    lifts."""

    choice: list[int]
    combinations: list[list[int]]
    effects: list[EffectOut]
    factors: list[FactorOut]
    interacting: list[int]
    on_logs: bool
    words: list[str]


class FailedChangeOut(TypedDict):
    """A change of the page in words, the units of its variant, and those for whom it could not be made."""

    failed: int
    letter: str
    units: int
    words: str


class FilterGroupIO(TypedDict):
    """Conditions of which all, or any one, must hold."""

    conditions: list[ConditionIO]
    kind: Literal["all", "any"]


class FindingOut(TypedDict):
    fix: str
    label: str
    met: bool
    seen: str


class ForecastIn(TypedDict):
    high: float
    lift: float
    low: float
    note: NotRequired[str]


class ForecastOut(TypedDict):
    """``lift``, ``low`` and ``high`` are empty while another person's forecast is sealed."""

    at: str
    by: str
    high: float | None
    lift: float | None
    low: float | None
    mine: bool
    note: str


class ForecastsOut(TypedDict):
    forecasts: list[ForecastOut]
    open: bool
    outcome: float | None
    sealed: bool


class ForgottenOut(TypedDict):
    """A person who was forgotten; ``ids`` are those still to be erased where the data live."""

    at: str
    by: str
    erased_there_at: str | None
    events: int
    experiments: int
    id: int
    ids: list[str]


class FoundExperiment(TypedDict):
    """``where`` the words stand, and the text around the first of them; "" for the name itself, which is shown anyway."""

    area: str
    excerpt: str
    key: str
    name: str
    state: str
    where: Literal["name", "area", "change", "hypothesis", "audience", "lesson", "decision"]


class FoundMetric(TypedDict):
    """``experiments`` have it, in whatever role."""

    experiments: int
    key: str
    name: str


class FoundPerson(TypedDict):
    """Who owns experiments, and how many."""

    display_name: str
    experiments: int
    username: str


class FunnelOut(TypedDict):
    letter: str
    metric: str
    metric_name: str
    sentence: str
    steps: list[FunnelStepOut]


class FunnelStepOut(TypedDict):
    """A step of a funnel: who reached it, and of those at the step before how many (``kept``), with the lift of that."""

    kept: list[float | None]
    lift: IntervalOut | None
    name: str
    reached: list[int]
    tone: Literal["ahead", "behind", "open"]


class GivenVariantOut(TypedDict):
    """A variant as the site sees it; ``share`` is its share of the traffic that takes part."""

    changes: list[str]
    letter: str
    name: str
    parameters: list[ParameterIO]
    share: float


class GroupSpendOut(TypedDict):
    """By day of the test so far, in money; ``difference`` is relative, left out where nothing was planned and some was spent."""

    difference: float | None
    group: Literal["withheld", "lower", "higher", "control", "other"]
    planned: list[float]
    spent: list[float]


class GroupUse(TypedDict):
    """An experiment of an exclusion group, and the share of the group's units that is kept for it."""

    key: str
    name: str
    share: float
    state: str


class HandOverIn(TypedDict):
    """``owner`` is the name to sign in with of who has it from now on."""

    owner: str


class HandoverOut(TypedDict):
    lesson: LessonIO
    places: list[PlaceOut]
    rollout: RolloutOut | None


class HeldOut(TypedDict):
    """What opens something: its name, and where it leads or begins."""

    name: str
    where: str


class HideChange(TypedDict):
    """Not shown, and no room taken."""

    find: Place
    kind: Literal["hide"]
    on: NotRequired[bool]


class HourOut(TypedDict):
    at: str
    units: list[int]


class IdentityOut(TypedDict):
    issuer: str
    linked_at: str


class ImportOut(TypedDict):
    added: int
    at: str
    by: str
    changed: int
    left_out: int
    metric: str
    name: str
    rows: int


class ImportsOut(TypedDict):
    count: int
    items: list[ImportOut]


class InsertChange(TypedDict):
    """A piece of HTML, before or after the element, or as the first or last thing in it."""

    find: Place
    html: str
    kind: Literal["insert"]
    on: NotRequired[bool]
    place: Literal["before", "after", "first", "last"]


class InstallationOut(TypedDict):
    """``scheduler_did``: how much of what it did when it ran last."""

    checks: list[CheckedOut]
    scheduler_at: str | None
    scheduler_did: dict[str, int]


class IntervalOut(TypedDict):
    """``low_open``/``high_open`` distinguish a bound without limit from a missing one; the texts are as they are shown."""

    estimate: float | None
    estimate_text: NotRequired[str]
    high: float | None
    high_open: NotRequired[bool]
    high_text: NotRequired[str]
    low: float | None
    low_open: NotRequired[bool]
    low_text: NotRequired[str]


class InvitedOut(TypedDict):
    """``address`` is where a password is chosen, to be passed on where no mail goes out (``mailed``)."""

    account: AccountLine
    address: str
    mailed: bool


class IssueOut(TypedDict):
    advice: str
    kind: str
    sentence: str
    tone: Literal["unsound", "warning"]


class JoinIn(TypedDict):
    """``weights`` are of all variants, the new one's last; ``variant`` is what it shows."""

    from_day: str
    reason: str
    variant: VariantIn
    weights: list[float]


class JointPowerOut(TypedDict):
    """As `core.planning.JointPower`, the deciding metric first."""

    each: list[float]
    independent: float
    least: float
    most: float


class JudgedOut(TypedDict):
    """``money`` is empty where neither cost, impressions nor an amount was given."""

    money: list[MoneyOut]
    reading: ReadingOut


class KeyIn(TypedDict):
    """``scopes`` are what it may do; without an end it is valid until it is withdrawn.
    ``events_per_day``: 0 takes as many as come."""

    events_per_day: NotRequired[int]
    expires_at: NotRequired[str | None]
    name: str
    per_minute: NotRequired[int]
    scopes: NotRequired[list[str]]


class KeyOut(TypedDict):
    """``start`` is how the secret begins; of a server's the rest is not kept, of a site's ``public`` is the whole. ``used_at`` is
    right to some seconds; ``refused`` counts requests that came too fast."""

    events_per_day: int
    expires_at: str | None
    id: int
    kind: Literal["server", "site"]
    made_at: str
    made_by: str
    name: str
    origins: list[str]
    per_minute: int
    public: str
    refused: int
    scopes: list[str]
    start: str
    used_at: str | None
    withdrawn_at: str | None


class KnownDayOut(TypedDict):
    """A day that came from there: by which plan, and the digest of its cells."""

    day: str
    digest: str
    plan: str


class KnownOut(TypedDict):
    """What is known of a person: their ids, events, the experiments that are counted without them, those decided with them, and
    those whose plan names one of the ids."""

    decided: list[str]
    events: int
    ids: list[str]
    made_again: list[str]
    named_in: list[str]


class LakeCountedOut(TypedDict):
    """What a run came to for an experiment; ``days`` 0 where the lake does not have it, ``problem`` where it came to no end."""

    changed: int
    days: int
    experiment: str
    problem: str
    seconds: float
    units: int


class LakeOut(TypedDict):
    """A lake that the application counts: its engine, where its tables are, why its file cannot be read if it cannot, and the
    last runs, the last first."""

    engine: str
    name: str
    places: list[str]
    problem: str
    runs: list[LakeRunOut]
    schedule: LakeScheduleOut


class LakeRunOut(TypedDict):
    """A run of the application's over a lake; ``rows`` are those that the lake had."""

    by: str
    counted: list[LakeCountedOut]
    doing: str
    ended_at: str | None
    id: int
    planned: bool
    problem: str
    rows: int | None
    started_at: str
    state: Literal["running", "done", "failed"]


class LakeScheduleIn(TypedDict):
    """How often a lake is counted by itself; each ``day`` from ``hour`` on, by the workspace's clock."""

    every: Literal["never", "hour", "day"]
    hour: NotRequired[int]


class LakeScheduleOut(TypedDict):
    """The same, and who set it, in whose name it is counted; empty where nobody has."""

    by: str
    every: Literal["never", "hour", "day"]
    hour: NotRequired[int]


class LakesOut(TypedDict):
    """The lakes, and the folder on the server in which each has its file."""

    folder: str
    lakes: list[LakeOut]


class LastDayOut(TypedDict):
    """What the workspace took in within 24 hours."""

    duplicates: int
    events: int
    held: int
    late: int
    unexposed: int
    unknown: list[str]


class LatestAATest(TypedDict):
    """``enough`` says whether so many past units as a test needs, ``min_units``, are known one by one."""

    enough: bool
    min_units: int
    test: AATestOut | None


class LatestAllocationRehearsal(TypedDict):
    rehearsal: AllocationRehearsalOut | None


class LatestEventOut(TypedDict):
    """An exposure or an event, the latest first; ``letter`` is the unit's variant, empty while it is in none.
    ``counted`` is false for an id that is never counted."""

    at: str
    counted: bool
    forced: bool
    held: bool
    letter: str
    name: str
    properties: str
    received: str
    unit: str


class LatestPlacebo(TypedDict):
    placebo: PlaceboOut | None


class LatestRehearsal(TypedDict):
    rehearsal: RehearsalOut | None


class LatestSpendingCalendar(TypedDict):
    calendar: SpendingCalendarOut | None


class LeakOut(TypedDict):
    region: str
    share: float | None
    spent: float


class LedgerOut(TypedDict):
    at: str
    by: str
    detail: dict[str, Any]
    sentence: str
    verb: str


class LedgerPage(TypedDict):
    count: int
    items: list[LedgerOut]


class LessonIO(TypedDict):
    learnt: NotRequired[str]
    why: NotRequired[str]


class LevelGroupOut(TypedDict):
    """What control showed by metric and ``group``; the texts are the ends, the quartiles and the middle."""

    group: str
    least_text: str
    levels: list[SeenLevelOut]
    lower_text: str
    median_text: str
    metric: str
    most_text: str
    tests: int
    upper_text: str


class LevelsOut(TypedDict):
    by: str
    choices: list[str]
    groups: list[LevelGroupOut]


class LineResultOut(TypedDict):
    """A line of the list against those held out of it, "" for all lines, with an interval of its own ``confidence``, at any time;
    without a lift where there is too little."""

    confidence: float
    held_out: int
    held_out_level: float | None
    held_out_text: str
    lift: IntervalOut | None
    name: str
    reached: int
    reached_level: float | None
    reached_text: str
    tone: Literal["ahead", "behind", "open"]


class LinkAsked(TypedDict):
    """``name`` to sign in with, or the address of mail."""

    name: str


class LinkChange(TypedDict):
    """Another target of a link."""

    find: Place
    href: str
    kind: Literal["link"]
    on: NotRequired[bool]


class LinkIn(TypedDict):
    """A link to the report, or to what an engineer needs, from the draft on."""

    days: NotRequired[int]
    kind: NotRequired[Literal["report", "engineer"]]
    note: NotRequired[str]


class LinkOut(TypedDict):
    """``path`` is the address below the application's own; ``state`` tells whether it still opens."""

    expires_at: str
    id: int
    kind: Literal["report", "engineer"]
    made_at: str
    made_by: str
    note: str
    opened: int
    path: str
    state: str


class ListedOut(TypedDict):
    """An experiment in the list: the rest is at its own address."""

    area: str
    by_region: bool
    created_at: str
    decided_at: str | None
    decision: str
    ended_at: str | None
    key: str
    method: str
    metric: str
    name: str
    owner: str
    question: str
    round: int
    started_at: str | None
    state: Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]
    version: int


class LiveOut(TypedDict):
    counts_events: bool
    days: list[StratumOut]
    events: list[EventNameOut]
    hours: list[HourOut]
    issues: list[IssueOut]
    last_day: LastDayOut
    latest: list[LatestEventOut]
    letters: list[str]
    looked_at: LookedAtOut | None
    mixed: int
    page_changes: list[FailedChangeOut]
    passages: list[PassageOut]
    segments: list[StratumOut]
    units: list[int]
    who: WhoCountsOut


class LookOut(TypedDict):
    critical_value: float
    day: int
    information: float
    lift: float
    nominal: float


class Looked(TypedDict):
    """``at`` is ``as_of`` of the docket that was looked at."""

    at: str


class LookedAtOut(TypedDict):
    """The last run that counted the data where they live: up to when it looked at them, by whose hand (``counted_from``), how
    many days had changed, and which these were; and the days and units that are there."""

    at: str
    changed: int
    counted_from: str
    days: int
    differences: list[DayDifferenceOut]
    engine: str
    seconds: float
    units: int
    until: str


class LooksOut(TypedDict):
    """The looks of a rule that has them: taken, still planned (with the boundary as it would be), and set aside."""

    planned: list[PlannedLookOut]
    set_aside: list[SetAsideOut]
    taken: list[TakenLookOut]


class Me(TypedDict):
    """``codes_left`` are recovery codes that were not used; ``scopes`` what a token may be made for, with what each means;
    ``calendar`` the path of a calendar that programmes read without signing in, "" where there is none."""

    calendar: str
    codes_left: int
    display_name: str
    email: str
    first_name: str
    has_password: bool
    identities: list[IdentityOut]
    last_name: str
    role: str
    scopes: dict[str, str]
    second_factor: bool
    sessions: list[SignedInOut]
    tokens: list[TokenOut]
    username: str


class MeasureIO(TypedDict):
    amount_of: NotRequired[str]
    cap: NotRequired[float | None]
    events: EventFilterIO
    first_only: NotRequired[bool]
    kind: Literal["conversion", "count", "amount"]


class MethodOut(TypedDict):
    credible: bool
    defaults: dict[str, Any]
    explanation: str
    has_looks: bool
    holds_at_any_time: bool
    name: str
    note: str
    settings: list[SettingOut]
    several_note: str
    title: str


class MetricChoice(TypedDict):
    key: str
    name: str


class MetricEdit(TypedDict):
    """``version`` is the number of the latest version that was seen."""

    definition: DefinitionIO
    description: NotRequired[str]
    name: str
    version: int


class MetricIn(TypedDict):
    definition: DefinitionIO
    description: NotRequired[str]
    name: str


class MetricKindOut(TypedDict):
    """``parts`` are the parts of a definition that the kind has; ``level_words`` say what today's level is."""

    explanation: str
    fields: list[str]
    is_rate: bool
    level_words: str
    measured_as: str
    name: str
    parts: list[str]
    spread_words: str
    title: str
    units: list[str]


class MetricOut(TypedDict):
    definition: DefinitionIO
    description: str
    events: list[str]
    key: str
    name: str
    uses: list[UseOut]
    version: int
    versions: list[VersionOut]
    words: str


class MetricPage(TypedDict):
    count: int
    items: list[MetricOut]


class MetricPreview(TypedDict):
    denominator: float | None
    figure: float | None
    figure_text: str
    steps: list[int]
    total: float
    units: list[PreviewUnit]
    words: str


class MetricPreviewIn(TypedDict):
    """A definition and sample events, one JSON object a line."""

    definition: DefinitionIO
    events: str


class MetricResultOut(TypedDict):
    key: str
    lines: list[LineResultOut]
    metric: str
    role: str


class MetricUseIn(TypedDict):
    """``name`` is that (or the key) of a metric of the library; one that is not there yet is made, as a plain conversion, where
    the line says that it is ``new``."""

    baseline: NotRequired[float | None]
    before_days: NotRequired[int | None]
    direction: NotRequired[Literal["up", "down"] | None]
    margin: NotRequired[float | None]
    name: str
    new: NotRequired[bool]
    role: Literal["primary", "secondary", "guardrail", "goal", "exploratory"]
    standard_deviation: NotRequired[float | None]
    strata: NotRequired[str | None]


class MetricUseOut(TypedDict):
    added_at: str | None
    baseline: NotRequired[float | None]
    before_days: NotRequired[int | None]
    currency: str
    direction: NotRequired[Literal["up", "down"] | None]
    fields: list[str]
    good_direction: Literal["up", "down"]
    is_rate: bool
    key: str
    kind: str
    latest_version: int
    margin: NotRequired[float | None]
    name: str
    role: Literal["primary", "secondary", "guardrail", "goal", "exploratory"]
    standard_deviation: NotRequired[float | None]
    strata: NotRequired[str | None]
    unit: str
    version: int
    words: str


class MissingDaysOut(TypedDict):
    days: int
    first: str
    region: str


class MoneyOut(TypedDict):
    """A variant's money. Of amounts only the total is known, so that what follows from it has no interval."""

    amount: float | None
    amount_each: float | None
    return_on_spend: float | None
    spend: SpendArmOut


class MonthOut(TypedDict):
    """What a month's ``spend`` brings, and what is left of it over what it must bring: all of the usual spend, of a graded test
    what lies between the usual and the level."""

    brings: BoundsOut
    spend: float
    worth: BoundsOut


class MoveChange(TypedDict):
    """To another place."""

    find: Place
    kind: Literal["move"]
    on: NotRequired[bool]
    place: Literal["before", "after"]
    to: Place


class NeedOut(TypedDict):
    name: str
    total: int
    weeks: int


class NeverCountedIO(TypedDict):
    """Own staff, monitors, test visits: ids, and rules on the properties at the first exposure, of which any one is enough."""

    groups: list[ConditionGroupIO]
    more_than: NotRequired[int | None]
    units: list[str]


class NewExperiment(TypedDict):
    changes: NotRequired[ExperimentChanges | None]
    name: str


class NewFactor(TypedDict):
    """``picture`` is ``address`` as a QR code, in SVG."""

    address: str
    picture: str
    secret: str


class NewKeyOut(TypedDict):
    """The only answer that carries the secret."""

    events_per_day: int
    expires_at: str | None
    id: int
    kind: Literal["server", "site"]
    made_at: str
    made_by: str
    name: str
    origins: list[str]
    per_minute: int
    public: str
    refused: int
    scopes: list[str]
    secret: str
    start: str
    used_at: str | None
    withdrawn_at: str | None


class NewRegionTest(TypedDict):
    name: str


class NewTokenOut(TypedDict):
    """``secret`` is shown this once."""

    expires_at: str
    id: int
    made_at: str
    made_by: str
    name: str
    scopes: list[str]
    secret: str
    start: str
    used_at: str | None
    withdrawn_at: str | None


class NoteIn(TypedDict):
    """``everywhere`` shows it in every experiment of those days."""

    day: str
    everywhere: NotRequired[bool]
    text: str


class NoteOut(TypedDict):
    """``id`` is null for a change that the ledger knows of; it cannot be removed."""

    by: str
    day: str
    everywhere: bool
    id: int | None
    text: str


class NoticeOut(TypedDict):
    advice: str
    at: str
    experiment: str
    id: int
    mailed: bool
    name: str
    read: bool
    sentence: str
    sheet: str
    tone: str


class NoticesOut(TypedDict):
    count: int
    items: list[NoticeOut]
    unread: int


class OnPageOut(TypedDict):
    """``version`` is the current one of the script."""

    findings: list[FindingOut]
    page: str
    pages: list[SeenPageOut]
    previews: list[PagePreviewOut]
    version: str


class OutcomeEffectOut(TypedDict):
    """What the change of spending did to an outcome, of one product ``group`` or of all (""), against the partners: ``lift``
    relative, ``total`` in its units, ``spend`` the money that was spent less or more (positive), ``incremental`` the outcome
    per unit of it. ``trimmed`` is that return without the pairs that show most and least. ``confidence`` is that of the
    intervals."""

    confidence: float
    group: str
    incremental: BoundsOut | None
    less_is_better: bool
    lift: BoundsOut
    outcome: str
    pvalue: float
    spend: float
    total: BoundsOut
    trimmed: float | None


class OutlineIn(TypedDict):
    """A variant's page as the script sees it on a device."""

    device: Literal["phone", "computer"]
    elements: list[ElementIO]
    height: int
    variant: str
    width: int


class OutlineOut(TypedDict):
    """A variant's page, in pixels."""

    elements: list[ElementIO]
    height: int
    letter: str
    taken_at: str
    width: int


class OverlapOut(TypedDict):
    apart_share: float
    days_apart: list[str]
    drift_pvalue: float
    same_time: bool


class OwnChanges(TypedDict):
    """``password`` is needed for another address."""

    email: NotRequired[str | None]
    first_name: NotRequired[str | None]
    last_name: NotRequired[str | None]
    password: NotRequired[str]


class OwnerOut(TypedDict):
    """Somebody who may own experiments."""

    display_name: str
    username: str


class Page(TypedDict):
    """``limit`` items after the first ``offset``; the answer says how many there are in all (``count``)."""

    limit: NotRequired[int]
    offset: NotRequired[int]


class PagePreviewOut(TypedDict):
    """A link by which anybody looks at a variant on the page, without being counted."""

    address: str
    expires_at: str
    letter: str
    name: str


class PageUseOut(TypedDict):
    """Where units clicked and how far down they came. ``share`` of the units is followed, drawn by hash; ``full`` where more
    came than are followed."""

    devices: list[DeviceUseOut]
    full: bool
    letters: list[str]
    page: str
    share: float


class PairLiftOut(TypedDict):
    control: str
    high: float | None
    lift: float
    low: float | None
    treated: str


class ParameterIO(TypedDict):
    """A value the site reads; ``value`` is text that is read as ``kind``."""

    kind: NotRequired[Literal["text", "number", "true_false", "json"]]
    name: str
    value: NotRequired[str]


class PassageOut(TypedDict):
    """Who was sent to the page of a variant, and who arrived; of control, who came and saw it drawn."""

    address: str
    assigned: int
    letter: str
    reached: int


class PasswordChanged(TypedDict):
    current: NotRequired[str]
    password: str


class PasswordChosen(TypedDict):
    password: str
    place: str
    token: str


class PasswordLink(TypedDict):
    """Whose a link is; ``first`` where they have none yet. ``demands`` are what a password must be."""

    demands: list[str]
    display_name: str
    first: bool
    username: str


class PastOut(TypedDict):
    """A level today, from past data. ``standard_deviation`` is missing for rates, ``units_per_day`` where no days were given."""

    baseline: float
    cap_99: float | None
    first_day: str | None
    is_rate: bool
    key: str
    last_day: str | None
    metric: str
    sentence: str
    source: str
    standard_deviation: float | None
    units: int
    units_per_day: float | None


class PastsOut(TypedDict):
    """``standing`` says where the level of the plan lies among those of the decided experiments; "" where they are few."""

    items: list[PastOut]
    standing: str


class PathOut(TypedDict):
    decided_on: int
    lifts: list[float | None]
    verdict: str


class PersonIn(TypedDict):
    """A person, by any of their ids."""

    unit: str


class PictureChange(TypedDict):
    """Another picture, with what it shows in words."""

    alt: NotRequired[str]
    find: Place
    kind: Literal["picture"]
    on: NotRequired[bool]
    src: str


class PictureOut(TypedDict):
    caption: str
    height: int
    id: int
    until: str | None
    url: str
    width: int


class Place(TypedDict):
    """An element of the page: selectors, of which the first that finds exactly one counts; what it says, for where none does; and
    what it is called in words."""

    name: str
    says: NotRequired[str | None]
    selectors: list[str]


class PlaceIn(TypedDict):
    text: str
    who: NotRequired[str]


class PlaceOut(TypedDict):
    done_at: str | None
    done_by: str
    id: int
    text: str
    who: str


class PlaceboFoundOut(TypedDict):
    """How often a ``lift`` was shown, with the Monte Carlo error; of no lift false alarms."""

    error: float
    lift: float
    share: float


class PlaceboHeldOut(TypedDict):
    error: float
    share: float


class PlaceboIn(TypedDict):
    draws: NotRequired[int]


class PlaceboOut(TypedDict):
    at: str
    by: str
    draws: int
    found: list[PlaceboFoundOut]
    held: PlaceboHeldOut | None
    id: int
    power: float
    problem: str
    progress: float
    smallest: float | None
    stale: bool
    state: Literal["running", "done", "cancelled", "failed"]
    windows: int


class PlanOut(TypedDict):
    """A plan; lifts and rates as shares. ``needs`` has the metric that decides first, then the guardrails and goals.

    ``sample_saved`` is the share of the sample that adjusting for the covariate saves, as text."""

    changed_level: float
    curve: list[float | None]
    days_needed: int
    decided_by: str
    inflation: float
    joint_power: JointPowerOut | None
    looks: list[LookOut]
    needs: list[NeedOut]
    per_arm: list[int]
    rounds: int
    sample_saved: str
    sentence: str
    too_long: bool
    total: int
    units_per_day: float
    warnings: list[str]
    weeks: int
    weeks_by_strictness: dict[str, int]
    what_if: list[WhatIfOut]


class PlannedLookOut(TypedDict):
    critical_value: float
    day: str
    information: float


class PointIn(TypedDict):
    """The letter of the variant that is to be changed on the page."""

    variant: str


class PointOut(TypedDict):
    fix: str
    label: str
    met: bool
    needed: bool
    seen: str
    sheet: str


class PointingOut(TypedDict):
    """A link by which whoever asked for it changes the variant on the page."""

    address: str
    expires_at: str


class PolicyLineOut(TypedDict):
    """The lift of one way to give variants out over another, and the levels they would come to."""

    level: float | None
    lift: IntervalOut
    over: Literal["control", "best"]
    over_level: float | None
    tone: Literal["ahead", "behind", "open"]
    way: Literal["policy", "tailored"]


class PolicyValueOut(TypedDict):
    """What sharing out by several properties is worth, read from the ``units`` of the uniform share, ``control`` of them in
    control with a ``count`` that must be ``needed``; before, and where control's level is not above 0, nothing may be read.

    ``lines`` are the lifts of the policy over control, of each combination's best over control, and of this over the best variant
    for everybody, whose letter is ``best``; they share the level, and one of a way over itself is left out. ``from_all`` is the
    policy's over control by all units, ``clipped`` of them with no more than ``max_weight``."""

    best: str
    choices: list[BestInCombinationOut]
    clipped: int
    control: int
    count: float
    enough: bool
    from_all: IntervalOut
    lines: list[PolicyLineOut]
    max_weight: float
    needed: int
    sentences: list[str]
    units: int


class PooledOut(TypedDict):
    """A variant pooled over epochs: what somebody would see who forgets that shares changed."""

    letter: str
    level: float | None
    lift: IntervalOut


class PreferenceChanges(TypedDict):
    """What is not named stays as it is; ``views`` come whole."""

    density: NotRequired[Literal["comfortable", "compact"] | None]
    panels: NotRequired[Literal["folded", "open"] | None]
    shortcuts: NotRequired[Literal["on", "off"] | None]
    theme: NotRequired[Literal["system", "light", "dark"] | None]
    views: NotRequired[list[DocketView] | None]


class Preferences(TypedDict):
    """``panels``: whether what stands below the answer of a sheet is folded to a line; ``shortcuts``: whether single keys do
    something (WCAG 2.2, 2.1.4)."""

    density: NotRequired[Literal["comfortable", "compact"]]
    panels: NotRequired[Literal["folded", "open"]]
    shortcuts: NotRequired[Literal["on", "off"]]
    theme: NotRequired[Literal["system", "light", "dark"]]
    views: NotRequired[list[DocketView]]


class PreviewLine(TypedDict):
    at: str
    counted: bool
    event: str
    properties: str
    reason: str


class PreviewOut(TypedDict):
    columns: dict[str, int | None]
    decimal_mark: Literal[".", ","] | None
    decimal_open: bool
    delimiter: str
    difference: DifferenceOut | None
    digest: str
    encoding: str
    fields: list[str]
    first_day: str | None
    folded: int
    header: list[str]
    kind: str
    last_day: str | None
    metric: str
    remarks: list[str]
    rows: int
    seen_before: bool
    totals: list[list[float]]
    wrong: list[WrongRowOut]
    wrong_count: int


class PreviewStep(TypedDict):
    """One line of the answer: rows read so far, or the preview, which is the last line."""

    preview: NotRequired[PreviewOut | None]
    rows: NotRequired[int | None]


class PreviewUnit(TypedDict):
    denominator: float | None
    lines: list[PreviewLine]
    steps: int | None
    unit: str
    value: float | None


class Problem(TypedDict):
    """A problem document (RFC 9457)"""

    code: Literal[
        "malformed",
        "not-signed-in",
        "not-allowed",
        "not-found",
        "wrong-method",
        "conflict",
        "gone",
        "changed-since",
        "too-large",
        "wrong-type",
        "not-accepted",
        "too-many",
        "failed",
        "unavailable",
        "no-room",
        "second-factor",
    ]
    errors: NotRequired[list[dict[str, Any]]]
    status: int
    title: str
    type: Literal[
        "https://neat-verdict.example/problems/malformed",
        "https://neat-verdict.example/problems/not-signed-in",
        "https://neat-verdict.example/problems/not-allowed",
        "https://neat-verdict.example/problems/not-found",
        "https://neat-verdict.example/problems/wrong-method",
        "https://neat-verdict.example/problems/conflict",
        "https://neat-verdict.example/problems/gone",
        "https://neat-verdict.example/problems/changed-since",
        "https://neat-verdict.example/problems/too-large",
        "https://neat-verdict.example/problems/wrong-type",
        "https://neat-verdict.example/problems/not-accepted",
        "https://neat-verdict.example/problems/too-many",
        "https://neat-verdict.example/problems/failed",
        "https://neat-verdict.example/problems/unavailable",
        "https://neat-verdict.example/problems/no-room",
        "https://neat-verdict.example/problems/second-factor",
    ]


class QuestionOut(TypedDict):
    """What the size of the rule is called under it, and which verdicts may be given; ``yes`` follows "would"."""

    about_zero: bool
    band_words: str
    boundary_words: str
    explanation: str
    lines: Literal["both", "good"]
    looked_for: str
    name: str
    size_explanation: str
    size_name: str
    title: str
    verdicts: list[str]
    yes: str


class RampStepIO(TypedDict):
    days: int
    participation: float


class RankedOut(TypedDict):
    """``chance`` to be the best of all; ``behind`` is the lift against the leader, ``separable`` that it leaves out zero."""

    behind: IntervalOut
    chance: float
    letter: str
    separable: bool


class ReadinessOut(TypedDict):
    points: list[PointOut]
    ready: bool


class ReadingOut(TypedDict):
    """``verdict`` is the name of one of the vocabulary's verdicts; ``readable`` says that lifts are for use; ``scale`` is what
    effects are judged on, ``scale_unit`` what 1 of a difference placed on it is in the metric's unit, ``worthwhile_text`` the
    worthwhile effect on it; ``interval_confidence`` is that of both bounds together; ``summary`` is what the ``design`` reports
    in addition to its comparisons."""

    adds_up: NotRequired[bool]
    adjusted_by_days: NotRequired[int | None]
    arms: list[ArmOut]
    chance_meaning: NotRequired[str]
    comparisons: list[ComparisonOut]
    conditions: list[ConditionOut]
    confidence: float
    conflicts: NotRequired[list[ConflictOut]]
    credible: NotRequired[bool]
    currency: NotRequired[str]
    days: int
    design: NotRequired[str]
    design_caveat: NotRequired[str]
    design_words: NotRequired[str]
    detail: str
    figure: str
    first_day: NotRequired[str | None]
    good_direction: Literal["up", "down"]
    headline: str
    interval_confidence: float
    kind: NotRequired[Literal["rate", "mean", "ratio", "median", "90th percentile", "95th percentile", "ratio"]]
    last_day: NotRequired[str | None]
    method: NotRequired[str]
    metric: str
    next_look: NotRequired[str | None]
    one_sided: NotRequired[bool]
    overlap: OverlapOut | None
    planned_days: int
    progress: float | None
    question: str
    ranking: NotRequired[list[RankedOut]]
    read_on: NotRequired[str | None]
    readable: bool
    rule_in_words: str
    scale: NotRequired[Literal["lift", "difference"]]
    scale_unit: NotRequired[float]
    secondary: NotRequired[list[SecondaryOut]]
    short: str
    size_meaning: str
    split: SplitOut
    stratified_by: NotRequired[str]
    suggested: str
    summary: NotRequired[AdaptiveOut | FactorialOut | None]
    unit: NotRequired[str]
    unit_name: str
    variance_removed: NotRequired[float | None]
    variant: str | None
    verdict: str
    warnings: list[str]
    worthwhile_lift: float
    worthwhile_text: NotRequired[str]
    would_change: NotRequired[list[str]]


class ReadyAudienceOut(TypedDict):
    """Rules to take and edit. ``to_fill_in`` says that values are still to be given, so that there is no size of them."""

    description: str
    groups: list[ConditionGroupIO]
    name: str
    size: AudienceSizeOut | None
    to_fill_in: bool
    words: str


class ReallocateIn(TypedDict):
    reason: str


class ReceiptOut(TypedDict):
    """``unknown`` names what is kept but counted nowhere; ``unexposed`` are events of units that were never exposed; ``too_old``
    were not taken in, because what happened when they did is put away."""

    accepted: int
    duplicates: int
    held: int
    late: int
    too_old: int
    unexposed: int
    unknown: dict[str, int]


class RecordOut(TypedDict):
    """Of all decided experiments, whatever is searched for; sentences made in the application, figures in the core."""

    decided: int
    flat: int
    forecast_bias: float | None
    forecasts: int
    forecasts_held: int
    lost: int
    sentences: list[str]
    sound: int
    win_rate: IntervalOut
    winners_adjusted: float | None
    winners_seen: float | None
    won: int


class RecoveryCodes(TypedDict):
    """Shown this once; each opens once."""

    codes: list[str]


class ReducibleOut(TypedDict):
    """An experiment whose counts may come from where the data live. ``until`` is up to when data were looked at last."""

    days: int
    key: str
    name: str
    units: int
    until: str | None


class ReductionPlanOut(TypedDict):
    """What is to be counted, with its digest; the days that are there; and up to when (milliseconds since 1970) the last run that
    came to its end looked at data by the same plan."""

    days: list[KnownDayOut]
    digest: str
    plan: dict[str, Any]
    since: int | None


class RegionArmOut(TypedDict):
    """What one change of spending showed, to ``level`` of the usual; ``step`` is the money in between in words, "" where it is
    all of it. ``synthetic`` is the lift by synthetic control, a check."""

    arm: Literal["withheld", "lower", "higher"]
    by_group: list[OutcomeEffectOut]
    chance: ChanceOut | None
    confidence: float
    course: RegionCourseOut | None
    left_out: int
    level: float
    lost: float
    month: MonthOut | None
    others: list[OutcomeEffectOut]
    pair_by_pair: list[PairLiftOut]
    pairs: int
    primary: OutcomeEffectOut | None
    step: str
    synthetic: NotRequired[float | None]
    unread: list[str]
    watch: RegionWatchOut | None


class RegionCaseOut(TypedDict):
    """A decided test by region: what each unit of spend brought, of a graded one in a ``step`` of it ("from 50% up to the
    usual"), and what it must bring to pay."""

    break_even: float
    currency: str
    decided_at: str
    decision: str
    incremental: BoundsOut | None
    key: str
    name: str
    outcome: str
    step: str
    verdict: str


class RegionCasesOut(TypedDict):
    channels: list[ChannelOut]


class RegionCourseOut(TypedDict):
    """By day from ``first`` on, ``start`` being the place of the test's first; the running sums begin there."""

    expected: list[float]
    first: str
    high: list[float]
    low: list[float]
    observed: list[float]
    running: list[float]
    running_high: list[float]
    running_low: list[float]
    start: int


class RegionDecisionIn(TypedDict):
    """``choice`` is A to go on spending, B to stop, none for neither; of a graded test A is as planned, B less, C more. A
    ``reason`` is wanted where it differs from the rule."""

    choice: Literal["A", "B", "C", "none"]
    next_step: NotRequired[str]
    reason: NotRequired[str]


class RegionDesignOut(TypedDict):
    """``outcome_share`` and ``spend_share`` are withheld of all, ``spend`` in all; ``smallest_lift`` what it could show."""

    base_days: int
    cost: float
    fit: float
    outcome_share: float
    pairs: int
    smallest_lift: float
    smallest_return: float | None
    spend: float
    spend_share: float
    weeks: int


class RegionFindingOut(TypedDict):
    """What is odd about a region: gap (no row), nothing (0 on every day), outlier or shift of an outcome, ``size`` relative."""

    day: str
    days: int
    kind: Literal["gap", "nothing", "outlier", "shift"]
    outcome: str
    region: str
    size: float


class RegionPairOut(TypedDict):
    distance: float
    first: str
    second: str


class RegionPastOut(TypedDict):
    counts: dict[str, int]
    days: int
    file: str
    findings: list[RegionFindingOut]
    first: str
    groups: list[str]
    ignored: list[str]
    last: str
    left_out: list[str]
    missing_is_zero: bool
    outcomes: list[str]
    regions: int
    rows: int


class RegionPlanChanges(TypedDict):
    """Only the fields that are given change. ``outcome`` is a column of the past data; ``groups`` [] are all product groups;
    ``break_even`` is the outcome per unit of spend from which the spending pays; ``listed`` are pairs in place of matched ones;
    ``pairs`` and ``weeks`` choose one of the designs. ``lower`` and ``higher`` are the levels of a graded test, as shares of the
    usual spend; null, both of them, where spending is withheld. ``leak_limit`` is the share of the change of spend that may fail
    to come about, ``same_within`` the share of break-even within which there is no difference worth while."""

    break_even: NotRequired[float | None]
    confidence: NotRequired[float]
    cool_down: NotRequired[int]
    currency: NotRequired[str]
    excluded: NotRequired[list[str]]
    groups: NotRequired[list[str]]
    higher: NotRequired[float | None]
    leak_limit: NotRequired[float]
    less_is_better: NotRequired[list[str]]
    listed: NotRequired[list[list[str]]]
    lower: NotRequired[float | None]
    must: NotRequired[list[str]]
    outcome: NotRequired[str]
    pairs: NotRequired[int | None]
    power: NotRequired[float]
    same_within: NotRequired[float]
    tested: NotRequired[str]
    weeks: NotRequired[int | None]


class RegionPlanEdit(TypedDict):
    changes: RegionPlanChanges
    version: int


class RegionPlanOut(TypedDict):
    """``problem`` says why there are no designs; ``regions`` are the names of those that can be in a pair."""

    balance: list[BalanceOut]
    break_even: float | None
    cells: CellsOut | None
    confidence: float
    cool_down: int
    currency: str
    designs: list[RegionDesignOut]
    desk_reference: str
    excluded: list[str]
    groups: list[str]
    handed_over_at: str | None
    has_desk: bool
    higher: float | None
    leak_limit: float
    least_pvalue: float | None
    less_is_better: list[str]
    listed: list[list[str]]
    locked_at: str | None
    lower: float | None
    matched: list[RegionPairOut]
    missing_for_start: list[str]
    must: list[str]
    outcome: str
    pairs: int | None
    past: RegionPastOut | None
    power: float
    problem: str
    regions: list[str]
    same_within: float
    tested: str
    version: int
    weeks: int | None
    without_partner: list[str]


class RegionReadingOut(TypedDict):
    """The days so far and what the rule says. ``verdict`` is one of the vocabulary's region verdicts; ``decided`` says that it
    is as it was decided on. ``arms`` are what was changed: one, or the two levels of a graded test, lower first, each read at
    its own ``confidence`` so that both hold together with that of the reading. ``spend`` is by group."""

    arms: list[RegionArmOut]
    break_even: float
    conditions: list[ConditionOut]
    confidence: float
    cool_down_days: int
    currency: str
    days: int
    decided: bool
    detail: str
    ended_early: bool
    figure: str
    headline: str
    last: str
    leak_limit: float
    left_out: int
    outcome: str
    pairs: int
    phase: Literal["before", "test", "cool_down", "complete"]
    read_on: str
    response: ResponseOut | None
    rule_in_words: str
    same_within: float
    short: str
    spend: list[GroupSpendOut]
    start: str
    suggested: str
    test_days: int
    tested: str
    verdict: str
    warnings: list[str]
    would_change: list[str]


class RegionReportOut(TypedDict):
    """The same of a test by region; ``outcomes`` are its other outcomes and product groups in words."""

    against_rule: bool
    area: str
    because: str
    by_region: NotRequired[Literal[True]]
    caveats: list[str]
    date_line: str
    decided_at: str | None
    decided_by: str
    decision: str
    decision_reason: str
    decision_sentence: str
    facts: list[FactOut]
    how_decided: str
    key: str
    learnt: str
    name: str
    next_step: str
    outcomes: list[str]
    reading: RegionReadingOut
    rule_line: str
    state: str
    verdict_name: str
    why: str
    workspace: str


class RegionWatchOut(TypedDict):
    """``share`` is what was spent of the usual in the treated regions, ``leak`` the part of the change that did not come about:
    where nothing was to be spent, the same. ``leaks`` are the regions that are off their level. ``moved`` is the growth of the
    control regions over those not analysed, ``moved_too_far`` whether it went further than past windows do."""

    leak: float | None
    leaks: list[LeakOut]
    missing: list[MissingDaysOut]
    moved: float | None
    moved_too_far: bool
    share: float | None
    shocks: list[ShockOut]


class RehearsalOut(TypedDict):
    at: str
    by: str
    days: int
    id: int
    own_lift: float | None
    problem: str
    progress: float
    runs: int
    seed: int
    stale: bool
    state: Literal["running", "done", "cancelled", "failed"]
    worlds: list[WorldOut]


class RehearseAllocationIn(TypedDict):
    """``lifts`` are the true ones of the variants against control; ``drift`` how much all levels change over the run."""

    drift: NotRequired[float]
    lifts: list[float]
    runs: NotRequired[int]
    seed: NotRequired[int]


class RehearseIn(TypedDict):
    own_lift: NotRequired[float | None]
    runs: NotRequired[int]
    seed: NotRequired[int]


class ReplacedOut(TypedDict):
    """What a file changes of a metric and variant: days that were there with other figures, and on these ``units`` and ``total``
    before and after."""

    days: int
    letter: str
    metric: str
    total: list[float]
    units: list[int]


class ReportOut(TypedDict):
    """Everything a stakeholder reads, in words; ``rule_changes`` what was changed of the rule after the start."""

    against_rule: bool
    area: str
    because: str
    by_region: NotRequired[Literal[False]]
    caveats: list[str]
    data_until: str
    date_line: str
    decided_at: str | None
    decided_by: str
    decision: str
    decision_reason: str
    decision_sentence: str
    delivery_changes: list[DeliveryChangeOut]
    earlier_pictures: list[list[PictureOut]]
    facts: list[FactOut]
    how_decided: str
    hypothesis: str
    key: str
    learnt: str
    lines: list[VariantLineOut]
    name: str
    next_step: str
    pictures: list[list[PictureOut]]
    reading: ReadingOut
    rollout_brings: NotRequired[str]
    rule_changes: list[RuleChangeOut]
    rule_line: str
    rule_locked_at: str | None
    secondary: list[str]
    shared_out: str
    started_on: str | None
    state: str
    verdict_name: str
    why: str
    workspace: str


class ResponseOut(TypedDict):
    """How the outcome answers to spend. ``rising`` and ``flattening`` say whether the levels allow that more brings no less, and
    each further unit no more than the one before; ``isotonic`` are the lifts of the three levels in rising order that come
    nearest. ``at_most`` is the lift without any spending, at the most, whatever the form."""

    at_most: float | None
    curves: list[CurveOut]
    flattening: bool
    isotonic: list[float]
    levels: list[TriedLevelOut]
    rising: bool


class RetentionIn(TypedDict):
    """For how many days events stay in the database, and anything by the ids of units at all; null as long as there is room."""

    days_of_events: NotRequired[int | None]
    days_of_ids: NotRequired[int | None]


class RetentionOut(TypedDict):
    """The same with who chose it, and what there is: the database in bytes, of them ``free`` to be filled again, events in it
    and put away (with their bytes, and the first and last day), the open experiment that keeps more events than was asked for,
    and when it was last seen to."""

    by: str
    database: int
    days_of_events: NotRequired[int | None]
    days_of_ids: NotRequired[int | None]
    events: int
    free: int
    held_back_by: str
    put_away: int
    put_away_bytes: int
    put_away_days: list[str]
    tended_at: str | None


class RolloutIn(TypedDict):
    """``lines`` in order, the first that admits a unit decides; without any, everybody gets the variant that was decided for.
    A share ``holdout`` of those reached keeps control, to measure what the rollout brings."""

    holdout: NotRequired[float]
    lines: NotRequired[list[RolloutLineIO]]
    steps: list[StepIO]
    until: NotRequired[str | None]


class RolloutLineIO(TypedDict):
    """Who gets the variant of a letter: all that the rules admit, everybody without rules."""

    letter: str
    name: str
    rules: NotRequired[list[ConditionGroupIO]]


class RolloutOut(TypedDict):
    """``share_today`` of those admitted are reached; ``sentence`` is the plan. ``result`` is null where nobody is held out."""

    holdout: float
    letter: str
    lines: list[RolloutLineIO]
    released_at: str | None
    result: RolloutResultOut | None
    sentence: str
    served_here: bool
    share_today: float
    steps: list[StepIO]
    stopped_at: str | None
    until: str | None


class RolloutPlanIn(TypedDict):
    """``without_test`` gives a draft, which is then not tested."""

    holdout: NotRequired[float]
    lines: NotRequired[list[RolloutLineIO]]
    steps: list[StepIO]
    until: NotRequired[str | None]
    without_test: NotRequired[bool]


class RolloutResultOut(TypedDict):
    """What a rollout has brought since a moment. Intervals hold at any time; ``sound`` is false where the share held out
    contradicts the plan, and then no lift is given."""

    confidence: float
    metrics: list[MetricResultOut]
    sentence: str
    since: str
    sound: bool


class RoundOfOut(TypedDict):
    """A variant in one round, its lift with an interval of its own, on which no verdict rests; ``key`` opens a closed round, ""
    of the one that is shown."""

    first: str | None
    key: str
    last: str | None
    lift: IntervalOut | None
    number: int
    units: list[int]


class RoundOut(TypedDict):
    """A closed round. ``key`` opens it as it was."""

    ended_on: str
    key: str
    number: int
    started_on: str
    units: int


class RoundsOut(TypedDict):
    """The rounds of an experiment side by side and together. ``standing`` says what the figures together are worth: those of
    one plan, of a round after a plan that was not finished, or found afterwards. ``refused`` says why they are not read together,
    "" where they are."""

    planned: int
    refused: str
    sentence: str
    standing: Literal["planned", "continued", "exploratory"]
    together: list[TogetherOut]


class RuleChangeOut(TypedDict):
    after: str
    at: str
    before: str
    by: str
    reason: str


class RulesIn(TypedDict):
    groups: list[ConditionGroupIO]


class RunEndIn(TypedDict):
    """A run that has sent all its days: the plan's digest, the engine, up to when it looked at data, its days, how many of them
    changed, how long it took."""

    changed: int
    days: list[str]
    engine: str
    plan: str
    seconds: float
    until: int


class RunOut(TypedDict):
    """A run that came to its end, with the units that are there then."""

    at: str
    changed: int
    days: int
    engine: str
    seconds: float
    units: int
    until: str


class SampleOut(TypedDict):
    events: str


class SearchOut(TypedDict):
    """The best of each; ``further`` experiments hold the words, too."""

    experiments: list[FoundExperiment]
    further: int
    metrics: list[FoundMetric]
    people: list[FoundPerson]


class SecondCountFileOut(TypedDict):
    """Of what another system, the ``source``, counted."""

    changed: int
    days: int
    decimal_mark: str | None
    decimal_open: bool
    digest: str
    first_day: str | None
    ignored: list[str]
    last_day: str | None
    rows: int
    source: str
    stored: bool
    totals: dict[str, list[float]]
    wrong: list[WrongRowOut]
    wrong_count: int


class SecondCountOut(TypedDict):
    """What another system counted next to our own count, on the days that both have. ``same_verdict`` is None where it is not
    known; ``causes`` are what may be behind a disagreement."""

    causes: list[str]
    days: list[str]
    letters: list[str]
    quantities: list[SecondQuantityOut]
    same_verdict: bool | None
    sentence: str
    source: str
    tolerance: float


class SecondQuantityOut(TypedDict):
    """A quantity in both counts, by variant, and by day and variant; ``apart`` are the letters of the variants whose difference
    is another than control's, ``a_week`` is by how much the second count moves against the first in a week."""

    a_week: float | None
    apart: list[str]
    beyond: list[bool]
    differences: list[float | None]
    drift_pvalue: float | None
    drifts: bool
    first: list[float]
    first_by_day: list[list[float]]
    quantity: Literal["units", "conversions", "amount", "cost"]
    second: list[float]
    second_by_day: list[list[float]]


class SecondaryArmOut(TypedDict):
    letter: str
    level: IntervalOut
    units: int


class SecondaryComparisonOut(TypedDict):
    """``adjusted_pvalue`` allows for the other secondary metrics.

    ``kept`` tells a guardrail shown to be within its margin, ``lost`` a harm beyond what is allowed."""

    adjusted_pvalue: NotRequired[float | None]
    critical_value: NotRequired[float | None]
    difference: NotRequired[IntervalOut | None]
    effect: IntervalOut
    effect_per_month: NotRequired[IntervalOut | None]
    kept: bool
    letter: str
    lift: IntervalOut
    lost: bool
    pvalue: float
    sentence: str
    statistic: NotRequired[float | None]
    tone: Literal["ahead", "behind", "open"]


class SecondaryOut(TypedDict):
    arms: list[SecondaryArmOut]
    comparisons: list[SecondaryComparisonOut]
    currency: str
    good_direction: Literal["up", "down"]
    key: str
    kind: Literal["rate", "mean", "ratio", "median", "90th percentile", "95th percentile", "ratio"]
    margin: float | None
    name: str
    role: Literal["secondary", "guardrail", "goal", "exploratory"]
    unit: str


class SeenEventOut(TypedDict):
    """An event that came in, with properties among the latest events and their most frequent values."""

    name: str
    properties: list[SeenPropertyOut]
    times: int


class SeenLevelOut(TypedDict):
    """Of one experiment; ``traffic_text`` is what came a day of what was planned, ``planned_text`` the level of the plan."""

    key: str
    level: float
    level_text: str
    name: str
    planned_text: str
    traffic_text: str
    units: int


class SeenPageOut(TypedDict):
    """A page that asked; ``version`` is that of the script on it."""

    address: str
    first_at: str
    last_at: str
    version: str


class SeenPropertyOut(TypedDict):
    name: str
    values: list[str]


class SegmentOut(TypedDict):
    """``units`` and ``levels`` of control and the variant; ``lift`` is missing where there is too little to compare.

    ``share`` is the segment's part of the units; ``effect_per_month`` what a rollout to it alone would be worth a month."""

    effect_per_month: IntervalOut | None
    levels: list[float | None]
    lift: IntervalOut | None
    name: str
    partially_pooled: IntervalOut | None
    pvalue: float | None
    share: float
    small: bool
    tone: Literal["ahead", "behind", "open"]
    units: list[int]


class SegmentSetIn(TypedDict):
    by: str
    name: str
    values: list[str]


class SegmentSetOut(TypedDict):
    by: str
    id: int
    name: str
    values: list[str]


class SegmentsIO(TypedDict):
    """Properties at first exposure that tallies are kept by; a line of two crosses them."""

    segments: list[list[str]]


class SegmentsOut(TypedDict):
    """``adjusted_pvalue`` tests whether the lifts differ, for all properties that could be tried; ``within`` is the one lift over
    the segments, each compared within itself, ``crude`` that of their totals."""

    adjusted_pvalue: float
    by: str
    choices: list[str]
    chosen: NotRequired[list[str]]
    crude: IntervalOut | None
    currency: str
    effect_per_month_of_all: NotRequired[IntervalOut | None]
    i_squared: float
    kind: Literal["rate", "mean", "ratio", "median", "90th percentile", "95th percentile", "ratio"]
    left_out: int
    metric: str
    metric_name: str
    pvalue: float
    reversal: bool
    segments: list[SegmentOut]
    sentence: str
    sets: NotRequired[list[SegmentSetOut]]
    unit: str
    variant: str
    within: IntervalOut | None


class SelectedArmOut(TypedDict):
    letter: str
    level: IntervalOut
    units: int


class SelectedComparisonOut(TypedDict):
    letter: str
    lift: IntervalOut
    pvalue: float
    tone: Literal["ahead", "behind", "open"]


class SelectedRangeOut(TypedDict):
    """Some days alone. Always exploratory: no verdict is read from days that were picked after the fact."""

    arms: list[SelectedArmOut]
    comparisons: list[SelectedComparisonOut]
    days: int
    first: str
    last: str
    sentence: str


class SeriesOut(TypedDict):
    estimate: list[float | None]
    high: list[float | None]
    letter: str
    low: list[float | None]


class Session(TypedDict):
    """``provider`` is how the identity provider is called by which one can sign in too; "" where there is none. ``warning`` is
    what who works here has to know of the server."""

    account: Account | None
    currency: str
    demo_accounts: list[DemoAccount]
    preferences: Preferences
    provider: str
    time_zone: str
    warning: str
    workspace: str


class SetAsideOut(TypedDict):
    at: str
    because: str
    by: str
    day: str
    number: int
    short: str


class SettingOut(TypedDict):
    """A figure or choice of a method; ``minimum`` and ``maximum`` are included."""

    choices: list[ChoiceOut]
    explanation: str
    kind: Literal["choice", "percent", "whole", "days"]
    label: str
    maximum: float | None
    minimum: float | None
    name: str


class ShareDifferenceOut(TypedDict):
    """A share less control's, with an interval; ``adjusted`` is the p-value among all that are looked at."""

    adjusted: float
    clear: bool
    high: float
    low: float
    value: float


class ShareOut(TypedDict):
    """A simulated share with its Monte Carlo standard error."""

    error: float
    share: float
    text: str


class SharesByHandIn(TypedDict):
    """``shares`` with control first; they add up to 1."""

    reason: str
    shares: list[float]


class ShockOut(TypedDict):
    """A day out of the ordinary in a region of the pairs; ``size`` is relative to what was to be expected."""

    day: str
    region: str
    size: float


class SignIn(TypedDict):
    """``username`` may be the address of mail, where one account has it; ``code`` is that of the second factor."""

    code: NotRequired[str]
    password: str
    username: str


class SignedInOut(TypedDict):
    address: str
    began: str
    browser: str
    id: int
    seen: str
    this: bool


class SiteKeyIn(TypedDict):
    """``origins`` are those of the pages that may use it; ``per_minute`` requests at most."""

    events_per_day: NotRequired[int]
    expires_at: NotRequired[str | None]
    name: str
    origins: list[str]
    per_minute: NotRequired[int]


class SizeIn(TypedDict):
    audience_per_day: float
    baseline: float
    confidence: NotRequired[float]
    least_weeks: NotRequired[int]
    participation: NotRequired[float]
    power: NotRequired[float]
    question: NotRequired[Literal["superiority", "noninferiority", "equivalence"]]
    weights: NotRequired[list[float]]
    worthwhile_lift: float


class SnippetOut(TypedDict):
    """Code in a language; ``title`` names it for people."""

    code: str
    name: str
    title: str


class SpendArmOut(TypedDict):
    cost: float
    cost_each: IntervalOut
    cost_lift: IntervalOut | None
    impressions: float
    impressions_lift: IntervalOut | None
    letter: str
    per_thousand: IntervalOut


class SpendFileOut(TypedDict):
    """Of cost and impressions."""

    changed: int
    currency: str
    days: int
    decimal_mark: str | None
    decimal_open: bool
    digest: str
    first_day: str | None
    ignored: list[str]
    last_day: str | None
    remarks: list[str]
    rows: int
    stored: bool
    totals: dict[str, list[float]]
    wrong: list[WrongRowOut]
    wrong_count: int


class SpendOut(TypedDict):
    """Cost of one conversion (or of one unit of what the metric sums), and what a thousand impressions bring, by variant."""

    arms: list[SpendArmOut]
    currency: str
    metric: str


class SpendingCalendarIn(TypedDict):
    """``budget`` of all days in cents, left out for what is usual; ``again`` is where what is saved is spent again; ``reason`` is
    wanted for a difference from the budget beyond what is tolerated."""

    again: Literal["no", "other", "after"]
    budget: NotRequired[int | None]
    edits: NotRequired[list[SpendingEdit]]
    reason: NotRequired[str]
    start: str
    version: int


class SpendingCalendarOut(TypedDict):
    """``difference`` of the sum from the budget, in cents; ``beyond`` what is tolerated without a reason. ``balance`` is by
    weekday from Monday on: days with more, and with less, than usual. ``version`` is the plan's."""

    again: Literal["no", "other", "after"]
    balance: list[WeekdayBalanceOut]
    beyond: bool
    budget: int
    days: list[SpendingDayOut]
    difference: int
    groups: list[Literal["withheld", "lower", "higher", "control", "other"]]
    own_budget: bool
    reason: str
    start: str
    tolerance: float
    total: int
    version: int


class SpendingDayOut(TypedDict):
    """Cents by group, in the calendar's order."""

    day: str
    edited: list[Literal["withheld", "lower", "higher", "control", "other"]]
    phase: Literal["test", "cool_down", "after"]
    planned: list[int]
    usual: list[int]


class SpendingEdit(TypedDict):
    """An amount that somebody sets, in cents."""

    cents: int
    day: str
    group: Literal["withheld", "lower", "higher", "control", "other"]


class SplitChangeOut(TypedDict):
    """A change of the split, the stop of a variant (``stopped``, its letter), or one that ``joined``; ``stays`` says why it
    cannot be withdrawn; "" where it can."""

    at: str
    by: str
    from_day: str
    joined: str
    number: int
    reason: str
    sentence: str
    stays: str
    stopped: str


class SplitIn(TypedDict):
    """``weights`` with control first, above 0; from the beginning of ``from_day`` on."""

    from_day: str
    reason: str
    weights: list[float]


class SplitOut(TypedDict):
    as_planned: bool
    pvalue: float


class StartIn(TypedDict):
    """Now, on an earlier day, or (``starts_at``) at a time to come. ``reason`` starts it although not everything is ready."""

    ends_at: NotRequired[str | None]
    reason: NotRequired[str]
    started_on: NotRequired[str | None]
    starts_at: NotRequired[str | None]


class StepIO(TypedDict):
    day: str
    share: float


class StepOut(TypedDict):
    name: str
    value: str


class StopIn(TypedDict):
    reason: str


class StratumOut(TypedDict):
    alarm: bool
    name: str
    pvalue: float
    units: list[int]


class StretchOut(TypedDict):
    """Days of one split: ``shares`` control first, 0 of a variant that is stopped and of those ``awaited``, by letter, that join
    later; ``units`` that came in it."""

    awaited: list[str]
    first: str
    last: str | None
    number: int
    shares: list[float]
    units: list[int]


class StretchesOut(TypedDict):
    """The stretches of a round and what changed between them; ``refused``, ``stop_refused`` and ``join_refused`` say why nothing
    can be changed, no variant stopped, or none join; "" where it can. ``letters`` are those that can be stopped."""

    changes: list[SplitChangeOut]
    earliest_day: str
    join_refused: str
    letters: list[str]
    refused: str
    stop_refused: str
    stretches: list[StretchOut]


class StyleChange(TypedDict):
    """Colour, size and the like, by name."""

    find: Place
    kind: Literal["style"]
    on: NotRequired[bool]
    styles: dict[str, str]


class StylesheetChange(TypedDict):
    """Styles for the page as a whole."""

    css: str
    kind: Literal["css"]
    on: NotRequired[bool]


class TakenLookOut(TypedDict):
    """A look: ``statistic`` of the best variant (positive is good) against ``critical_value``; ``power_*`` the chance that the
    last look crosses, if it goes on as seen or if the lift is the worthwhile one. ``stored`` once it was taken; ``due``
    when it can be."""

    closed: bool
    critical_value: float | None
    day: str
    due: bool
    information: float
    letter: str | None
    lift: IntervalOut | None
    number: int
    power_as_seen: float | None
    power_if_worthwhile: float | None
    short: str
    statistic: float | None
    stored: bool
    taken_at: str | None
    taken_by: str
    verdict: str


class TenthUseOut(TypedDict):
    """Units by variant that came to the end of a tenth of the page, and mean seconds that it was in view."""

    differences: list[ShareDifferenceOut | None]
    reached: list[int]
    seconds: list[float]


class TextChange(TypedDict):
    """Another text, in place of all that the element holds."""

    find: Place
    kind: Literal["text"]
    on: NotRequired[bool]
    text: str


class TickIn(TypedDict):
    done: bool


class TogetherOut(TypedDict):
    """A variant over all rounds. ``homogeneity_pvalue`` asks whether the rounds have one lift in common."""

    homogeneity_pvalue: float | None
    letter: str
    lift: IntervalOut | None
    metric: str
    metric_name: str
    rounds: list[RoundOfOut]
    sentence: str
    tone: Literal["ahead", "behind", "open"]


class TokenIn(TypedDict):
    """``expires_at`` is in the workspace's zone where it names none."""

    expires_at: str
    name: str
    scopes: list[str]


class TokenOut(TypedDict):
    expires_at: str
    id: int
    made_at: str
    made_by: str
    name: str
    scopes: list[str]
    start: str
    used_at: str | None
    withdrawn_at: str | None


class TotalIO(TypedDict):
    """As `core.metrics.Total`."""

    metric: NotRequired[str]
    of: Literal["cost", "impressions", "units", "metric"]


class TriedLevelOut(TypedDict):
    """Spend as it was observed, as a share of the usual, and the lift against the usual."""

    lift: BoundsOut
    share: float


class UndoDrawIn(TypedDict):
    reason: str


class UnitsOut(TypedDict):
    """What a file of units comes to: totals by metric and variant, for everybody who counts. ``repeated_units`` are some of those
    with more than one row; ``replaces`` what it would change of what is there."""

    decimal_mark: str | None
    decimal_open: bool
    digest: str
    first_day: str | None
    ignored: list[str]
    last_day: str | None
    metrics: list[str]
    never_counted: int
    repeated: int
    repeated_units: list[str]
    replaces: list[ReplacedOut]
    rows: int
    seen_already: str
    segments: int
    stored: bool
    totals: list[list[float]]
    units: list[int]
    wrong: list[WrongUnitOut]
    wrong_count: int


class UseOut(TypedDict):
    experiment: str
    name: str
    role: str
    state: str
    version: int


class ValueKindOut(TypedDict):
    name: str
    operators: list[ChoiceOut]


class VariantIn(TypedDict):
    """``id`` is that of a variant that is there; without it a new one. ``copy_of`` takes its pictures along. ``address`` is that
    of a page of its own, which its visitors are sent to."""

    address: NotRequired[str]
    changes: NotRequired[list[str]]
    copy_of: NotRequired[int | None]
    id: NotRequired[int | None]
    link: NotRequired[str]
    name: str
    page_changes: NotRequired[
        list[
            TextChange
            | PictureChange
            | LinkChange
            | StyleChange
            | HideChange
            | MoveChange
            | InsertChange
            | StylesheetChange
        ]
    ]
    parameters: NotRequired[list[ParameterIO]]
    weight: NotRequired[float]


class VariantLineOut(TypedDict):
    """A variant in figures: its level, the counts behind it, and the lift (empty for control, or where none may be read)."""

    changes: str
    counts: str
    letter: str
    level: str
    lift: str
    name: str


class VariantOut(TypedDict):
    address: str
    changes: list[str]
    earlier_pictures: list[PictureOut]
    id: int
    letter: str
    link: str
    name: str
    page_changes: list[
        TextChange
        | PictureChange
        | LinkChange
        | StyleChange
        | HideChange
        | MoveChange
        | InsertChange
        | StylesheetChange
    ]
    page_changes_in_words: list[str]
    parameters: list[ParameterIO]
    pictures: list[PictureOut]
    weight: float


class VerdictOut(TypedDict):
    mark: str
    meaning: str
    name: str
    readable: bool
    rehearsed: bool
    settled: bool
    title: str
    tone: Literal["ahead", "behind", "same", "open", "unsound", "choice"]


class VersionOut(TypedDict):
    made_at: str
    made_by: str
    number: int
    words: str


class VocabularyOut(TypedDict):
    columns: dict[str, list[str]]
    designs: list[DesignOut]
    letters: str
    methods: list[MethodOut]
    metric_kinds: list[MetricKindOut]
    questions: list[QuestionOut]
    region_verdicts: list[VerdictOut]
    value_kinds: list[ValueKindOut]
    verdicts: list[VerdictOut]


class WantedEventOut(TypedDict):
    """Events to be sent, in words, by the metric that counts them; ``amount_of`` is the property that holds its amount."""

    amount_of: list[str]
    events: list[str]
    metric: str
    role: Literal["primary", "secondary", "guardrail", "goal", "exploratory"]
    words: str


class WayOut(TypedDict):
    """What came of one way of sharing out; ``shares`` by epoch and variant."""

    false: ShareOut
    median_days: float | None
    open: ShareOut
    picked: ShareOut
    pooled_bias: EstimateOut
    right: ShareOut
    shares: list[list[float]]
    stratified_bias: EstimateOut
    total: float


class WebhookChanges(TypedDict):
    """``paused``: nothing is sent; what happens meanwhile is sent when it goes on."""

    kinds: NotRequired[list[str] | None]
    name: NotRequired[str | None]
    paused: NotRequired[bool | None]
    url: NotRequired[str | None]


class WebhookIn(TypedDict):
    kinds: list[str]
    name: str
    url: str


class WebhookOut(TypedDict):
    """``secret`` is what its messages are signed with, for the other side to check them. ``pause`` says why it is paused, ""
    while it is not."""

    failed: int
    id: int
    kinds: list[str]
    last_sent: str | None
    made_at: str
    made_by: str
    name: str
    pause: str
    secret: str
    url: str
    waiting: int


class WebhooksOut(TypedDict):
    """``kinds`` are what can be chosen, with what each means."""

    kinds: dict[str, str]
    webhooks: list[WebhookOut]


class WeekdayBalanceOut(TypedDict):
    less: int
    more: int


class WhatIfOut(TypedDict):
    label: str
    name: str
    weeks: int | None


class WhoCountsOut(TypedDict):
    """How many units are people with ``several`` ids, how many of these saw two variants (``across``), and how many exposed ids
    are no units: they are never counted, or count with another of the same person."""

    across: int
    identity: Literal["id", "person"]
    never_counted: int
    never_counted_in_words: str
    several: int
    with_another: int


class WithdrawIn(TypedDict):
    reason: str


class Words(TypedDict):
    """All of them must be there, in any order and any case, with or without accents."""

    words: NotRequired[str]


class WorkspaceChanges(TypedDict):
    currency: NotRequired[str | None]
    longest_run_weeks: NotRequired[int | None]
    name: NotRequired[str | None]
    time_zone: NotRequired[str | None]


class WorkspaceOut(TypedDict):
    """``zone_stands``: there are data, whose days follow the zone; a command changes it (docs/operations.md)."""

    currency: str
    longest_run_weeks: int
    name: str
    time_zone: str
    zone_stands: bool


class WorldOut(TypedDict):
    """What came of a rehearsal in which variant B truly has this lift."""

    boundary: list[BoundaryOut]
    days_quantiles: list[float]
    decided_on: list[int]
    estimates: list[float | None]
    exaggeration: float | None
    false_winners: ShareOut
    key: Literal["none", "worthwhile", "margin", "own"]
    lift: float
    mean_days: float
    mean_units: float
    paths: list[PathOut]
    peeking_differences: ShareOut
    peeking_winners: ShareOut
    right_winners: ShareOut
    verdicts: dict[str, ShareOut]


class WrongRowOut(TypedDict):
    column: str
    line: int
    reason: str
    value: str


class WrongUnitOut(TypedDict):
    day: str
    reason: str
    unit: str
    variant: str
