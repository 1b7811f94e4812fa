"""What can be asked, a function for each operation; made by `bin/types` from docs/openapi.json."""

from __future__ import annotations

from typing import Any, Literal

from neat_verdict.client import shapes
from neat_verdict.client.calling import Call, Upload, path_of


def add_challenger(key: str, body: shapes.JoinIn) -> Call[shapes.StretchesOut]:
    """Let a new challenger join from a day on."""
    return Call("POST", path_of("/experiments/{key}/joining-variants", key=key), "json", body=body)


def add_metric(key: str, body: shapes.AddedMetricIn) -> Call[shapes.ExperimentOut]:
    """Watch one more metric on the events that are there already: exploratory, never a part of the rule."""
    return Call("POST", path_of("/experiments/{key}/added-metrics", key=key), "json", body=body)


def add_note(key: str, body: shapes.NoteIn) -> Call[shapes.NoteOut]:
    """Note what happened on a day, for this experiment or for all."""
    return Call("POST", path_of("/experiments/{key}/notes", key=key), "json", body=body)


def add_picture(key: str, variant: int, file: Upload, *, caption: str | None = None) -> Call[shapes.ExperimentOut]:
    """Add a picture of a variant."""
    return Call(
        "POST",
        path_of("/experiments/{key}/variants/{variant}/pictures", key=key, variant=variant),
        "json",
        files={"file": file},
        form={"caption": caption},
    )


def add_place(key: str, body: shapes.PlaceIn) -> Call[shapes.HandoverOut]:
    """Note a place where the winning variant is still to be built in."""
    return Call("POST", path_of("/experiments/{key}/places", key=key), "json", body=body)


def ask_for_password_link(body: shapes.LinkAsked) -> Call[None]:
    """Mail a link to choose another password by. The answer is the same whether anybody has that name or not."""
    return Call("POST", "/password-links", "nothing", body=body)


def assign(body: shapes.AssignIn) -> Call[shapes.AssignOut]:
    """The variants of a unit. Bad input never breaks a site: the answer is control, with a note of the problem."""
    return Call("POST", "/assign", "json", body=body)


def begin_second_factor(body: shapes.Confirmed) -> Call[shapes.NewFactor]:
    """A secret for an app on a phone; nothing asks for it until a code of it was confirmed."""
    return Call("POST", "/me/second-factor", "json", body=body)


def bring_region_days(
    key: str, file: Upload, *, decimal_mark: Literal["", ".", ","] | None = None
) -> Call[shapes.BroughtDaysOut]:
    """A file with days of the test (CSV or Parquet, columns as in the past): what it contains replaces what was
    there."""
    return Call(
        "POST",
        path_of("/experiments/{key}/regions/days", key=key),
        "json",
        files={"file": file},
        form={"decimal_mark": decimal_mark},
    )


def bring_region_past(
    key: str, file: Upload, *, decimal_mark: Literal["", ".", ","] | None = None, missing_is_zero: bool | None = None
) -> Call[shapes.RegionPlanOut]:
    """A file with a row a region and day (CSV or Parquet): all of it, or nothing and what is wrong with it."""
    return Call(
        "POST",
        path_of("/experiments/{key}/regions/past", key=key),
        "json",
        files={"file": file},
        form={"decimal_mark": decimal_mark, "missing_is_zero": missing_is_zero},
    )


def cancel_aa_test(key: str, number: int) -> Call[shapes.LatestAATest]:
    """Stop an A/A test."""
    return Call("DELETE", path_of("/metrics/{key}/aa-test/{number}", key=key, number=number), "json")


def cancel_placebo(key: str, number: int) -> Call[shapes.LatestPlacebo]:
    """Stop a run of placebo tests."""
    return Call("DELETE", path_of("/experiments/{key}/regions/placebo/{number}", key=key, number=number), "json")


def cancel_rehearsal(key: str, number: int) -> Call[shapes.LatestRehearsal]:
    """Stop a rehearsal."""
    return Call("DELETE", path_of("/experiments/{key}/rehearsal/{number}", key=key, number=number), "json")


def change_audience(number: int, body: shapes.AudienceIn) -> Call[shapes.AudienceOut]:
    """Other rules, name or description. Experiments that took it keep their copy."""
    return Call("PUT", path_of("/audiences/{number}", number=number), "json", body=body)


def change_password(body: shapes.PasswordChanged) -> Call[shapes.Me]:
    """Another password; everywhere else one is signed out."""
    return Call("POST", "/me/password", "json", body=body)


def change_split(key: str, body: shapes.SplitIn) -> Call[shapes.StretchesOut]:
    """Share units out by other weights from a day on."""
    return Call("POST", path_of("/experiments/{key}/split", key=key), "json", body=body)


def check_visitor(key: str, body: shapes.CheckIn) -> Call[shapes.CheckOut]:
    """Whether a unit with these properties would be in, and why not."""
    return Call("POST", path_of("/experiments/{key}/would-take-part", key=key), "json", body=body)


def choose_breakdowns(key: str, body: shapes.SegmentsIO) -> Call[shapes.ExperimentOut]:
    """What the evidence of one experiment is broken down by; its events are counted again."""
    return Call("PUT", path_of("/experiments/{key}/breakdowns", key=key), "json", body=body)


def choose_never_counted(body: shapes.NeverCountedIO) -> Call[shapes.NeverCountedIO]:
    """Choose them; it holds for experiments that are made from now on."""
    return Call("PUT", "/never-counted", "json", body=body)


def choose_password(body: shapes.PasswordChosen) -> Call[shapes.Session]:
    """Choose a password by a link, which signs in where there is no second factor."""
    return Call("POST", "/passwords", "json", body=body)


def choose_preferences(body: shapes.PreferenceChanges) -> Call[shapes.Preferences]:
    """How one wants to see and use the application."""
    return Call("PATCH", "/me/preferences", "json", body=body)


def choose_retention(body: shapes.RetentionIn) -> Call[shapes.RetentionOut]:
    """Choose it; it is seen to each night."""
    return Call("PUT", "/retention", "json", body=body)


def choose_segments(body: shapes.SegmentsIO) -> Call[shapes.SegmentsIO]:
    """Choose them, from now on and for what has come in: all is counted again."""
    return Call("PUT", "/segments", "json", body=body)


def collect(body: dict[str, Any]) -> Call[shapes.ReceiptOut]:
    """A batch of exposures and events: wholly stored, or refused with the index and reason of each bad item."""
    return Call("POST", "/collect", "json", body=body)


def confirm_second_factor(body: shapes.Code) -> Call[shapes.RecoveryCodes]:
    """From now on signing in asks for a code; the recovery codes are shown this once."""
    return Call("POST", "/me/second-factor/confirm", "json", body=body)


def copy_experiment(key: str) -> Call[shapes.ExperimentOut]:
    """A draft with the same brief, variants, metrics, rule and audience."""
    return Call("POST", path_of("/experiments/{key}/copy", key=key), "json")


def copy_region_test(key: str) -> Call[shapes.ExperimentOut]:
    """A draft with the same brief, plan and past data."""
    return Call("POST", path_of("/experiments/{key}/regions/copy", key=key), "json")


def count_lake(name: str) -> Call[shapes.LakeRunOut]:
    """Count a lake now; `list_lakes` says how far it is."""
    return Call("POST", path_of("/lakes/{name}/runs", name=name), "json")


def create_experiment(body: shapes.NewExperiment) -> Call[shapes.ExperimentOut]:
    """Make a draft; its key is made of its name, and stays."""
    return Call("POST", "/experiments", "json", body=body)


def create_metric(body: shapes.MetricIn) -> Call[shapes.MetricOut]:
    """Define a metric."""
    return Call("POST", "/metrics", "json", body=body)


def create_region_test(body: shapes.NewRegionTest) -> Call[shapes.ExperimentOut]:
    """Make a draft of a test by region."""
    return Call("POST", "/region-tests", "json", body=body)


def deactivate_account(username: str, body: shapes.Deactivation) -> Call[shapes.AccountOut]:
    """Nobody comes in by the account any more; what was made in its name ends, or passes to somebody."""
    return Call("POST", path_of("/accounts/{username}/deactivate", username=username), "json", body=body)


def decide(key: str, body: shapes.DecideIn) -> Call[shapes.ExperimentOut]:
    """Decide for a variant, or for control; a decision against the verdict needs its reason."""
    return Call("POST", path_of("/experiments/{key}/decision", key=key), "json", body=body)


def decide_region_test(key: str, body: shapes.RegionDecisionIn) -> Call[shapes.ExperimentOut]:
    """Decide a test by region."""
    return Call("POST", path_of("/experiments/{key}/regions/decision", key=key), "json", body=body)


def delete_metric(key: str) -> Call[None]:
    """Delete a metric that no experiment uses."""
    return Call("DELETE", path_of("/metrics/{key}", key=key), "nothing")


def docket_looked(body: shapes.Looked) -> Call[None]:
    """What had changed by then one has seen; what came after stays news on the docket."""
    return Call("POST", "/me/docket-looked", "nothing", body=body)


def download_forgotten() -> Call[bytes]:
    """The ids that are still to be erased where the data live, one a line."""
    return Call("GET", "/forgotten.csv", "bytes")


def download_local_assignment() -> Call[bytes]:
    """The algorithm in JavaScript."""
    return Call("GET", "/traffic/assign.mjs", "bytes")


def download_region_list(key: str, name: str) -> Call[bytes]:
    """A list of regions to hand over: withheld (lower and higher of a graded test), control or not-analysed."""
    return Call("GET", path_of("/experiments/{key}/regions/lists/{name}.csv", key=key, name=name), "bytes")


def download_running() -> Call[bytes]:
    """The same list for a person to save."""
    return Call("GET", "/traffic/running.json", "bytes")


def download_spending_calendar(key: str, form: Literal["csv", "ics"]) -> Call[bytes]:
    """The spending calendar to hand over, as CSV or iCalendar."""
    return Call("GET", path_of("/experiments/{key}/regions/calendar.{form}", key=key, form=form), "bytes")


def draw_cells(key: str, body: shapes.DrawIn) -> Call[shapes.RegionPlanOut]:
    """Draw which regions are treated; the draw stays on record."""
    return Call("POST", path_of("/experiments/{key}/regions/draw", key=key), "json", body=body)


def edit_account(username: str, body: shapes.AccountChanges) -> Call[shapes.AccountOut]:
    """Another role, name or address."""
    return Call("PATCH", path_of("/accounts/{username}", username=username), "json", body=body)


def edit_experiment(key: str, body: shapes.Edit) -> Call[shapes.ExperimentOut]:
    """Change what is sent and nothing else; what may be changed depends on the state."""
    return Call("PATCH", path_of("/experiments/{key}", key=key), "json", body=body)


def edit_me(body: shapes.OwnChanges) -> Call[shapes.Me]:
    """Another name or address; for another address the password is needed."""
    return Call("PATCH", "/me", "json", body=body)


def edit_metric(key: str, body: shapes.MetricEdit) -> Call[shapes.MetricOut]:
    """Change a metric. Another definition is a new version, which running experiments do not take."""
    return Call("PUT", path_of("/metrics/{key}", key=key), "json", body=body)


def edit_region_plan(key: str, body: shapes.RegionPlanEdit) -> Call[shapes.RegionPlanOut]:
    """Change parts of the plan before the start."""
    return Call("PATCH", path_of("/experiments/{key}/regions", key=key), "json", body=body)


def edit_webhook(number: int, body: shapes.WebhookChanges) -> Call[shapes.WebhookOut]:
    """Another name, address or kinds; pause it, or go on."""
    return Call("PATCH", path_of("/webhooks/{number}", number=number), "json", body=body)


def edit_workspace(body: shapes.WorkspaceChanges) -> Call[shapes.WorkspaceOut]:
    """Name, time zone (before there are data), currency and longest run; admins only."""
    return Call("PATCH", "/workspace", "json", body=body)


def end_other_sessions() -> Call[shapes.Me]:
    """Be signed out everywhere else."""
    return Call("DELETE", "/me/sessions", "json")


def end_reduction(key: str, body: shapes.RunEndIn) -> Call[shapes.RunOut]:
    """Says that all days of a run are there; the next need look only at what comes in later."""
    return Call("POST", path_of("/reductions/{key}/runs", key=key), "json", body=body)


def end_session(number: int) -> Call[shapes.Me]:
    """Be signed out in one place."""
    return Call("DELETE", path_of("/me/sessions/{number}", number=number), "json")


def end_sessions_of_account(username: str) -> Call[shapes.AccountOut]:
    """Sign a person out everywhere."""
    return Call("DELETE", path_of("/accounts/{username}/sessions", username=username), "json")


def fetch_desk_spend(key: str) -> Call[shapes.BroughtDaysOut]:
    """Ask the advertising desk what was spent up to yesterday."""
    return Call("POST", path_of("/experiments/{key}/regions/desk/spend", key=key), "json")


def follow_up(key: str) -> Call[shapes.ExperimentOut]:
    """A draft whose control is what a decided experiment rolled out."""
    return Call("POST", path_of("/experiments/{key}/follow-up", key=key), "json")


def forecast(key: str, body: shapes.ForecastIn) -> Call[shapes.ForecastsOut]:
    """Say what the caller expects; until the start it can be changed."""
    return Call("PUT", path_of("/experiments/{key}/forecasts/mine", key=key), "json", body=body)


def forget_person(body: shapes.PersonIn) -> Call[shapes.ForgottenOut]:
    """Erase what is kept of a person, by all their ids."""
    return Call("POST", "/forget", "json", body=body)


def get_aa_test(key: str) -> Call[shapes.LatestAATest]:
    """The latest A/A test of a metric, or how far it is."""
    return Call("GET", path_of("/metrics/{key}/aa-test", key=key), "json")


def get_account(username: str) -> Call[shapes.AccountOut]:
    """An account with the keys, links, tokens and experiments in its name."""
    return Call("GET", path_of("/accounts/{username}", username=username), "json")


def get_account_log(*, offset: int | None = None, limit: int | None = None) -> Call[shapes.AccountLogOut]:
    """Who changed what of accounts, keys and tokens, the latest first."""
    return Call("GET", "/account-log", "json", query={"offset": offset, "limit": limit})


def get_allocation(key: str) -> Call[shapes.AllocationOut]:
    """The epochs of an experiment whose traffic follows the evidence, the latest few hundred."""
    return Call("GET", path_of("/experiments/{key}/allocation", key=key), "json")


def get_allocation_rehearsal(key: str) -> Call[shapes.LatestAllocationRehearsal]:
    """The latest rehearsal of the policy against the even split, or how far it is."""
    return Call("GET", path_of("/experiments/{key}/allocation/rehearsal", key=key), "json")


def get_calendar(secret: str) -> Call[bytes]:
    """Starts, looks and ends of experiments, for whoever has the address (iCalendar)."""
    return Call("GET", path_of("/calendar/{secret}.ics", secret=secret), "bytes")


def get_casebook(
    *,
    offset: int | None = None,
    limit: int | None = None,
    search: str | None = None,
    area: str | None = None,
    verdict: str | None = None,
) -> Call[shapes.CasebookOut]:
    """Decided experiments with their verdict, decision and lesson, filtered and searched."""
    return Call(
        "GET",
        "/casebook",
        "json",
        query={"offset": offset, "limit": limit, "search": search, "area": area, "verdict": verdict},
    )


def get_cohorts(
    key: str, *, metric: str | None = None, variant: str | None = None, days_a_group: int | None = None
) -> Call[shapes.CohortsOut]:
    """A variant's lift by groups of days of first exposure: does it fade?"""
    return Call(
        "GET",
        path_of("/experiments/{key}/cohorts", key=key),
        "json",
        query={"metric": metric, "variant": variant, "days_a_group": days_a_group},
    )


def get_counts_table(key: str, form: Literal["csv", "parquet"]) -> Call[bytes]:
    """Daily counts per variant and metric, as a table to save."""
    return Call("GET", path_of("/experiments/{key}/counts.{form}", key=key, form=form), "bytes")


def get_derivation(
    key: str,
    *,
    figure: Literal[
        "level",
        "lift",
        "difference",
        "pvalue",
        "adjusted_pvalue",
        "superiority",
        "impact",
        "adjusted_effect",
        "chance",
        "chance_ahead",
        "against_leader",
        "boundary",
        "power",
        "partially_pooled",
        "within",
        "crude",
        "differ",
        "trend",
        "exact_pvalue",
        "margin_pvalue",
        "split",
        "cost_each",
        "per_thousand",
        "cost_lift",
        "impressions_lift",
        "pooled",
        "policy",
        "remaining",
        "gain",
        "effects",
    ],
    variant: str,
    metric: str | None = None,
    segment: str | None = None,
    by: str | None = None,
    set_: int | None | None = None,
    look: int | None | None = None,
    first: str | None | None = None,
    last: str | None | None = None,
    together: bool | None = None,
    step: str | None = None,
) -> Call[shapes.DerivationOut]:
    """How a figure is made: words, formula, source and inputs; of everybody, or of a segment, a look, some days, a
    step alone."""
    return Call(
        "GET",
        path_of("/experiments/{key}/derivation", key=key),
        "json",
        query={
            "figure": figure,
            "variant": variant,
            "metric": metric,
            "segment": segment,
            "by": by,
            "set": set_,
            "look": look,
            "first": first,
            "last": last,
            "together": together,
            "step": step,
        },
    )


def get_docket(
    *,
    search: str | None = None,
    area: str | None = None,
    owner: str | None = None,
    metric: str | None = None,
    state: list[Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]]
    | None = None,
    verdict: list[str] | None = None,
    mine: bool | None = None,
    archived: bool | None = None,
    changed: bool | None = None,
    changed_since: str | None | None = None,
    sort: Literal["urgency", "name", "-name", "changed", "-changed", "started", "-started", "lift", "-lift"]
    | None = None,
    offset: int | None = None,
    limit: int | None = None,
) -> Call[shapes.Docket]:
    """Experiments with state, verdict and next step, what needs a decision first; without a filter only the latest
    few of the decided ones."""
    return Call(
        "GET",
        "/docket",
        "json",
        query={
            "search": search,
            "area": area,
            "owner": owner,
            "metric": metric,
            "state": state,
            "verdict": verdict,
            "mine": mine,
            "archived": archived,
            "changed": changed,
            "changed_since": changed_since,
            "sort": sort,
            "offset": offset,
            "limit": limit,
        },
    )


def get_epoch_record(key: str, number: int) -> Call[shapes.EpochRecordOut]:
    """An epoch's record, worked out once more."""
    return Call("GET", path_of("/experiments/{key}/epochs/{number}", key=key, number=number), "json")


def get_epochs_file(key: str) -> Call[bytes]:
    """Every epoch with its whole record, as a file."""
    return Call("GET", path_of("/experiments/{key}/epochs.json", key=key), "bytes")


def get_evidence(key: str) -> Call[shapes.EvidenceOut]:
    """Estimates, intervals, p-values and the verdict by the experiment's rule, with the checks of its data."""
    return Call("GET", path_of("/experiments/{key}/evidence", key=key), "json")


def get_evidence_json(key: str) -> Call[bytes]:
    """The evidence as a file to save."""
    return Call("GET", path_of("/experiments/{key}/evidence.json", key=key), "bytes")


def get_evidence_table(key: str, form: Literal["csv", "parquet"]) -> Call[bytes]:
    """The evidence as a table to save, a row per variant, metric and segment."""
    return Call("GET", path_of("/experiments/{key}/evidence.{form}", key=key, form=form), "bytes")


def get_experiment(key: str) -> Call[shapes.ExperimentOut]:
    """An experiment whole: brief, variants, metrics, rule, plan, audience and state."""
    return Call("GET", path_of("/experiments/{key}", key=key), "json")


def get_for_engineer(token: str) -> Call[shapes.EngineerOut]:
    """What an engineer needs, behind a link; no account is needed, and nothing can be changed."""
    return Call("GET", path_of("/for-engineers/{token}", token=token), "json")


def get_handover(key: str) -> Call[shapes.HandoverOut]:
    """The rollout of a decided experiment: steps, guardrails, places still to be changed, lesson."""
    return Call("GET", path_of("/experiments/{key}/handover", key=key), "json")


def get_installation() -> Call[shapes.InstallationOut]:
    """Whether this installation is well, and what the scheduler did last; admins only."""
    return Call("GET", "/installation", "json")


def get_ledger(key: str, *, offset: int | None = None, limit: int | None = None) -> Call[shapes.LedgerPage]:
    """Who did what and when, the latest first."""
    return Call("GET", path_of("/experiments/{key}/ledger", key=key), "json", query={"offset": offset, "limit": limit})


def get_levels(*, by: str | None = None) -> Call[shapes.LevelsOut]:
    """What control showed in decided experiments, by metric, and by area, month or a property that tallies are kept
    by."""
    return Call("GET", "/casebook/levels", "json", query={"by": by})


def get_live(key: str) -> Call[shapes.LiveOut]:
    """The running experiment: exposures, data quality, progress and the next look."""
    return Call("GET", path_of("/experiments/{key}/live", key=key), "json")


def get_me() -> Call[shapes.Me]:
    """One's own account, with where it is signed in and its tokens."""
    return Call("GET", "/me", "json")


def get_measures() -> Call[bytes]:
    """Requests, events, mails, scheduler, database and disk, for a monitoring system (OpenMetrics 1.0)."""
    return Call("GET", "/openmetrics", "bytes")


def get_metric(key: str) -> Call[shapes.MetricOut]:
    """A metric with its definition and where it is used."""
    return Call("GET", path_of("/metrics/{key}", key=key), "json")


def get_never_counted() -> Call[shapes.NeverCountedIO]:
    """Units and events that no experiment counts: tests, robots, staff."""
    return Call("GET", "/never-counted", "json")


def get_on_page(key: str, *, days: int | None = None) -> Call[shapes.OnPageOut]:
    """Links to look at each variant on the page, open for so many days, and whether the page has the script."""
    return Call("GET", path_of("/experiments/{key}/on-page", key=key), "json", query={"days": days})


def get_page_use(key: str) -> Call[shapes.PageUseOut]:
    """Where units clicked on the page and how far down they came, per variant, from a sample drawn by hash.
    Exploratory."""
    return Call("GET", path_of("/experiments/{key}/page-use", key=key), "json")


def get_password_link(place: str, token: str) -> Call[shapes.PasswordLink]:
    """Whose password is chosen by a link; 410 where it opens nothing any more."""
    return Call("GET", path_of("/password-links/{place}/{token}", place=place, token=token), "json")


def get_picture(picture: int) -> Call[bytes]:
    """A variant's picture."""
    return Call("GET", path_of("/pictures/{picture}", picture=picture), "bytes")


def get_placebo(key: str) -> Call[shapes.LatestPlacebo]:
    """The latest run of placebo tests on past days, or how far it is."""
    return Call("GET", path_of("/experiments/{key}/regions/placebo", key=key), "json")


def get_readiness(key: str) -> Call[shapes.ReadinessOut]:
    """What is still missing before the start, point by point."""
    return Call("GET", path_of("/experiments/{key}/readiness", key=key), "json")


def get_reduction_plan(key: str) -> Call[shapes.ReductionPlanOut]:
    """What is to be counted of an experiment, and what is there already."""
    return Call("GET", path_of("/reductions/{key}", key=key), "json")


def get_region_cases() -> Call[shapes.RegionCasesOut]:
    """Decided tests by region: the incremental return by channel over time."""
    return Call("GET", "/casebook/regions", "json")


def get_region_derivation(
    key: str,
    *,
    figure: Literal["region_return", "region_lift", "region_pvalue"],
    outcome: str | None = None,
    group: str | None = None,
    arm: str | None = None,
) -> Call[shapes.DerivationOut]:
    """How a figure of a test by region is made: of the outcome that decides, or of another, or of a product group."""
    return Call(
        "GET",
        path_of("/experiments/{key}/regions/derivation", key=key),
        "json",
        query={"figure": figure, "outcome": outcome, "group": group, "arm": arm},
    )


def get_region_plan(key: str) -> Call[shapes.RegionPlanOut]:
    """The plan of a test by region: spending, regions, cells, dates and power."""
    return Call("GET", path_of("/experiments/{key}/regions", key=key), "json")


def get_region_reading(key: str) -> Call[shapes.RegionReadingOut]:
    """What the test shows with the days so far, whether it runs as planned, and what the rule says."""
    return Call("GET", path_of("/experiments/{key}/regions/reading", key=key), "json")


def get_rehearsal(key: str) -> Call[shapes.LatestRehearsal]:
    """The latest rehearsal of the plan, or how far it is."""
    return Call("GET", path_of("/experiments/{key}/rehearsal", key=key), "json")


def get_report(key: str) -> Call[shapes.ReportOut | shapes.RegionReportOut]:
    """The report for stakeholders: the verdict in words, figures and pictures' data."""
    return Call("GET", path_of("/experiments/{key}/report", key=key), "json")


def get_report_html(key: str) -> Call[bytes]:
    """One file that needs nothing else: styles, fonts and pictures are in it."""
    return Call("GET", path_of("/experiments/{key}/report.html", key=key), "bytes")


def get_report_picture(
    key: str, kind: Literal["svg", "png"], *, which: Literal["lifts", "over_time"] | None = None
) -> Call[bytes]:
    """The interval strips, or the lift as data came in, as a picture."""
    return Call(
        "GET", path_of("/experiments/{key}/picture.{kind}", key=key, kind=kind), "bytes", query={"which": which}
    )


def get_report_slides(key: str) -> Call[bytes]:
    """The report as slides."""
    return Call("GET", path_of("/experiments/{key}/report.pptx", key=key), "bytes")


def get_retention() -> Call[shapes.RetentionOut]:
    """For how long events and ids are kept, and how much there is."""
    return Call("GET", "/retention", "json")


def get_rollout_table(key: str, form: Literal["csv", "parquet"]) -> Call[bytes]:
    """What the rollout brings, a row a metric and line."""
    return Call("GET", path_of("/experiments/{key}/rollout.{form}", key=key, form=form), "bytes")


def get_running() -> Call[bytes]:
    """All running experiments, to assign without asking: see assign.mjs for the algorithm. Asked again with the ETag
    of the answer before (If-None-Match), it is 304 while nothing has changed."""
    return Call("GET", "/running.json", "bytes")


def get_second_counts_table(key: str, form: Literal["csv", "parquet"]) -> Call[bytes]:
    """The counts of the other system, as a table to save."""
    return Call("GET", path_of("/experiments/{key}/second-counts.{form}", key=key, form=form), "bytes")


def get_segment_evidence(
    key: str,
    *,
    by: str | None = None,
    metric: str | None = None,
    variant: str | None = None,
    set_: int | None | None = None,
) -> Call[shapes.SegmentsOut]:
    """A variant's lift segment by segment, of a saved set alone where one is named. Exploratory: the rule reads
    everybody."""
    return Call(
        "GET",
        path_of("/experiments/{key}/segments", key=key),
        "json",
        query={"by": by, "metric": metric, "variant": variant, "set": set_},
    )


def get_segments() -> Call[shapes.SegmentsIO]:
    """The properties that tallies are kept by, and evidence is broken down by."""
    return Call("GET", "/segments", "json")


def get_selected_range(key: str, *, first: str, last: str, metric: str | None = None) -> Call[shapes.SelectedRangeOut]:
    """Some days alone; no verdict is read from them."""
    return Call(
        "GET",
        path_of("/experiments/{key}/selected-range", key=key),
        "json",
        query={"first": first, "last": last, "metric": metric},
    )


def get_session() -> Call[shapes.Session]:
    """Who is signed in, and what the screens need to know first."""
    return Call("GET", "/session", "json")


def get_shared_picture(token: str, picture: int) -> Call[bytes]:
    """A variant's picture, of a report behind a link."""
    return Call("GET", path_of("/shared/{token}/pictures/{picture}", token=token, picture=picture), "bytes")


def get_shared_report(token: str) -> Call[shapes.ReportOut | shapes.RegionReportOut]:
    """The report behind a link; no account is needed, and nothing can be changed."""
    return Call("GET", path_of("/shared/{token}", token=token), "json")


def get_snippets(key: str) -> Call[list[shapes.SnippetOut]]:
    """Code that asks for variants and sends events, for several languages."""
    return Call("GET", path_of("/experiments/{key}/snippets", key=key), "json")


def get_spending_calendar(key: str) -> Call[shapes.LatestSpendingCalendar]:
    """What is to be spent per region and day."""
    return Call("GET", path_of("/experiments/{key}/regions/calendar", key=key), "json")


def get_split(key: str) -> Call[shapes.StretchesOut]:
    """The split as it was and is, stretch by stretch."""
    return Call("GET", path_of("/experiments/{key}/split", key=key), "json")


def get_verdict_file(key: str) -> Call[bytes]:
    """The verdict with counts, rule, figures and record, and two scripts that arrive at it without this application."""
    return Call("GET", path_of("/experiments/{key}/verdict.zip", key=key), "bytes")


def get_vocabulary() -> Call[shapes.VocabularyOut]:
    """Methods, designs, verdicts, kinds of metrics and conditions, with their words and settings."""
    return Call("GET", "/vocabulary", "json")


def get_workspace() -> Call[shapes.WorkspaceOut]:
    """The workspace's name, time zone, currency and longest run."""
    return Call("GET", "/workspace", "json")


def hand_over(key: str, body: shapes.HandOverIn) -> Call[shapes.ExperimentOut]:
    """Give the experiment to somebody else."""
    return Call("POST", path_of("/experiments/{key}/hand-over", key=key), "json", body=body)


def hand_over_to_desk(key: str) -> Call[shapes.RegionPlanOut]:
    """Give lists and calendar to the advertising desk that is set up."""
    return Call("POST", path_of("/experiments/{key}/regions/desk", key=key), "json")


def judge_counts(body: shapes.CountsIn) -> Call[shapes.JudgedOut]:
    """Lift, interval, p-value and verdict from counts. Nothing is stored."""
    return Call("POST", "/scratchpad/verdict", "json", body=body)


def keep_audience(body: shapes.AudienceIn) -> Call[shapes.AudienceOut]:
    """Keep rules as an audience for reuse."""
    return Call("POST", "/audiences", "json", body=body)


def keep_outline(key: str, body: shapes.OutlineIn) -> Call[None]:
    """Keep where the elements of a variant's page stand, as the script saw them in a preview."""
    return Call("PUT", path_of("/experiments/{key}/outlines", key=key), "nothing", body=body)


def list_accounts(*, offset: int | None = None, limit: int | None = None) -> Call[shapes.AccountsOut]:
    """Every account, by name; admins only."""
    return Call("GET", "/accounts", "json", query={"offset": offset, "limit": limit})


def list_audiences() -> Call[list[shapes.AudienceOut]]:
    """The audiences that are kept for reuse, with how many of last month's units each would let in."""
    return Call("GET", "/audiences", "json")


def list_deliveries(number: int, *, offset: int | None = None, limit: int | None = None) -> Call[shapes.DeliveriesOut]:
    """What it was sent, the latest first."""
    return Call(
        "GET", path_of("/webhooks/{number}/deliveries", number=number), "json", query={"offset": offset, "limit": limit}
    )


def list_exclusion_groups() -> Call[list[shapes.ExclusionOut]]:
    """Groups of experiments of which a unit is in one at most, with the share of units that each has."""
    return Call("GET", "/exclusion-groups", "json")


def list_experiments(
    *,
    search: str | None = None,
    state: list[Literal["draft", "scheduled", "running", "paused", "ended", "decided", "tailored", "archived"]]
    | None = None,
    area: str | None = None,
    owner: str | None = None,
    metric: str | None = None,
    created_since: str | None | None = None,
    sort: Literal["name", "-name", "created", "-created", "started", "-started", "decided", "-decided"] | None = None,
    offset: int | None = None,
    limit: int | None = None,
) -> Call[shapes.ExperimentPage]:
    """All experiments, or those that fit every filter that is given."""
    return Call(
        "GET",
        "/experiments",
        "json",
        query={
            "search": search,
            "state": state,
            "area": area,
            "owner": owner,
            "metric": metric,
            "created_since": created_since,
            "sort": sort,
            "offset": offset,
            "limit": limit,
        },
    )


def list_forecasts(key: str) -> Call[shapes.ForecastsOut]:
    """What people expected before the start; those of others stay hidden until the decision."""
    return Call("GET", path_of("/experiments/{key}/forecasts", key=key), "json")


def list_forgotten() -> Call[list[shapes.ForgottenOut]]:
    """Who was forgotten, the last first."""
    return Call("GET", "/forgotten", "json")


def list_imports(key: str, *, offset: int | None = None, limit: int | None = None) -> Call[shapes.ImportsOut]:
    """Files of daily sums that were stored, the latest first."""
    return Call("GET", path_of("/experiments/{key}/imports", key=key), "json", query={"offset": offset, "limit": limit})


def list_keys() -> Call[list[shapes.KeyOut]]:
    """Keys of servers and sites, without the keys themselves."""
    return Call("GET", "/keys", "json")


def list_lakes() -> Call[shapes.LakesOut]:
    """The lakes that the application counts, with their schedules and last runs."""
    return Call("GET", "/lakes", "json")


def list_metrics(
    *, offset: int | None = None, limit: int | None = None, search: str | None = None, kind: str | None = None
) -> Call[shapes.MetricPage]:
    """The library of metrics."""
    return Call("GET", "/metrics", "json", query={"offset": offset, "limit": limit, "search": search, "kind": kind})


def list_notes(key: str) -> Call[list[shapes.NoteOut]]:
    """Notes on days, of this experiment and of all."""
    return Call("GET", path_of("/experiments/{key}/notes", key=key), "json")


def list_notices(*, offset: int | None = None, limit: int | None = None) -> Call[shapes.NoticesOut]:
    """Notices, the latest first."""
    return Call("GET", "/notices", "json", query={"offset": offset, "limit": limit})


def list_owners() -> Call[list[shapes.OwnerOut]]:
    """Who may own experiments."""
    return Call("GET", "/owners", "json")


def list_past(key: str) -> Call[shapes.PastsOut]:
    """What control showed in decided experiments with the same deciding metric."""
    return Call("GET", path_of("/experiments/{key}/past", key=key), "json")


def list_ready_audiences() -> Call[list[shapes.ReadyAudienceOut]]:
    """Audiences that most tests need, to be taken and edited."""
    return Call("GET", "/audiences/ready-made", "json")


def list_reductions() -> Call[list[shapes.ReducibleOut]]:
    """The experiments whose counts may come from where the data live."""
    return Call("GET", "/reductions", "json")


def list_report_links(key: str) -> Call[list[shapes.LinkOut]]:
    """Links to the report that were made, with how often each was opened."""
    return Call("GET", path_of("/experiments/{key}/report-links", key=key), "json")


def list_seen_events() -> Call[list[shapes.SeenEventOut]]:
    """Names of events that came in, with their properties: what metrics can be made of."""
    return Call("GET", "/events/seen", "json")


def list_webhooks() -> Call[shapes.WebhooksOut]:
    """The systems that are sent what happens."""
    return Call("GET", "/webhooks", "json")


def make_account(body: shapes.AccountIn) -> Call[shapes.InvitedOut]:
    """Invite a person, who chooses a password by a link; or an account for a system, which works by tokens."""
    return Call("POST", "/accounts", "json", body=body)


def make_calendar() -> Call[shapes.Me]:
    """A calendar of starts, looks and ends at an address that nobody else knows; one that was there opens nothing
    any more."""
    return Call("POST", "/me/calendar", "json")


def make_key(body: shapes.KeyIn) -> Call[shapes.NewKeyOut]:
    """A server's key."""
    return Call("POST", "/keys", "json", body=body)


def make_service_token(username: str, body: shapes.TokenIn) -> Call[shapes.NewTokenOut]:
    """A token of a system's account; people make theirs themselves."""
    return Call("POST", path_of("/accounts/{username}/tokens", username=username), "json", body=body)


def make_site_key(body: shapes.SiteKeyIn) -> Call[shapes.KeyOut]:
    """A key that the pages of a site carry: it asks for assignments and sends events, and nothing else."""
    return Call("POST", "/site-keys", "json", body=body)


def make_token(body: shapes.TokenIn) -> Call[shapes.NewTokenOut]:
    """A token with which programmes do what one may do oneself."""
    return Call("POST", "/me/tokens", "json", body=body)


def make_webhook(body: shapes.WebhookIn) -> Call[shapes.WebhookOut]:
    """Have a system be sent what happens from now on."""
    return Call("POST", "/webhooks", "json", body=body)


def move_experiment(
    key: str,
    move: Literal["pause", "resume", "end", "archive", "restore", "unschedule", "to-draft", "new-round"],
    *,
    hold_units: bool | None = None,
) -> Call[shapes.ExperimentOut]:
    """Into another state. After a pause or the end ``hold_units`` lets units that are in keep their variant; without
    it all get control."""
    return Call(
        "POST", path_of("/experiments/{key}/move/{move}", key=key, move=move), "json", query={"hold_units": hold_units}
    )


def note_erased(number: int) -> Call[shapes.ForgottenOut]:
    """Note that a person was erased where the data live too."""
    return Call("POST", path_of("/forgotten/{number}/erased", number=number), "json")


def plan_rollout(key: str, body: shapes.RolloutPlanIn) -> Call[shapes.HandoverOut]:
    """Serve the decided variant by steps, to some or to all; or, of a draft, variants without a test. One step of
    100% gives all of it at once."""
    return Call("PUT", path_of("/experiments/{key}/rollout", key=key), "json", body=body)


def point_at_page(key: str, body: shapes.PointIn) -> Call[shapes.PointingOut]:
    """A link to the page, open for an hour, by which the caller changes a variant there by pointing at elements."""
    return Call("POST", path_of("/experiments/{key}/pointing", key=key), "json", body=body)


def preview_forget(body: shapes.PersonIn) -> Call[shapes.KnownOut]:
    """What would be erased; nothing is."""
    return Call("POST", "/forget/preview", "json", body=body)


def preview_import(
    key: str,
    file: Upload,
    *,
    columns: str | None = None,
    decimal_mark: Literal["", ".", ","] | None = None,
    metric: str | None = None,
) -> Call[list[shapes.PreviewStep]]:
    """Answers in lines (NDJSON), so that a large file shows its progress. Nothing is stored. ``metric`` is the key
    of one of the experiment's metrics; empty for the one that decides."""
    return Call(
        "POST",
        path_of("/experiments/{key}/imports/preview", key=key),
        "lines",
        files={"file": file},
        form={"columns": columns, "decimal_mark": decimal_mark, "metric": metric},
    )


def preview_metric(body: shapes.MetricPreviewIn) -> Call[shapes.MetricPreview]:
    """What a definition would count of events that are sent. Nothing is stored."""
    return Call("POST", "/metrics/preview", "json", body=body)


def preview_second_count(
    key: str, file: Upload, *, source: str, decimal_mark: Literal["", ".", ","] | None = None
) -> Call[shapes.SecondCountFileOut]:
    """What another system's counts by day and variant come to. Nothing is stored."""
    return Call(
        "POST",
        path_of("/experiments/{key}/second-counts/preview", key=key),
        "json",
        files={"file": file},
        form={"decimal_mark": decimal_mark, "source": source},
    )


def preview_spend(
    key: str, file: Upload, *, currency: str | None = None, decimal_mark: Literal["", ".", ","] | None = None
) -> Call[shapes.SpendFileOut]:
    """What a file of cost and impressions by day and variant comes to. Nothing is stored."""
    return Call(
        "POST",
        path_of("/experiments/{key}/spend/preview", key=key),
        "json",
        files={"file": file},
        form={"currency": currency, "decimal_mark": decimal_mark},
    )


def preview_units(
    key: str, file: Upload, *, decimal_mark: Literal["", ".", ","] | None = None
) -> Call[shapes.UnitsOut]:
    """What a file with a row a unit (CSV or Parquet) comes to. Nothing is stored."""
    return Call(
        "POST",
        path_of("/experiments/{key}/unit-files/preview", key=key),
        "json",
        files={"file": file},
        form={"decimal_mark": decimal_mark},
    )


def reactivate_account(username: str) -> Call[shapes.AccountOut]:
    """The account may be used again; what ended with it stays so."""
    return Call("POST", path_of("/accounts/{username}/reactivate", username=username), "json")


def read_notices() -> Call[shapes.NoticesOut]:
    """Mark all notices as read."""
    return Call("POST", "/notices/read", "json")


def read_past_data(
    file: Upload,
    *,
    kind: Literal["conversion", "count", "amount", "ratio", "funnel", "median", "p90", "p95", "totals"] | None = None,
) -> Call[shapes.PastOut]:
    """Level, standard deviation and traffic from a file of past data, as a metric of the kind is planned with."""
    return Call("POST", "/past-data", "json", query={"kind": kind}, files={"file": file})


def reallocate(
    key: str, way: Literal["freeze", "follow", "even"], body: shapes.ReallocateIn
) -> Call[shapes.AllocationOut]:
    """Freeze the shares, let them follow the evidence again, or return to even ones."""
    return Call("POST", path_of("/experiments/{key}/allocation/{way}", key=key, way=way), "json", body=body)


def release_rollout(key: str) -> Call[shapes.HandoverOut]:
    """The variant is a part of the product now: its rollout ends."""
    return Call("POST", path_of("/experiments/{key}/rollout/release", key=key), "json")


def remove_audience(number: int) -> Call[None]:
    """Remove an audience. Experiments that took it keep their copy."""
    return Call("DELETE", path_of("/audiences/{number}", number=number), "nothing")


def remove_calendar() -> Call[shapes.Me]:
    """The address of the calendar opens nothing any more."""
    return Call("DELETE", "/me/calendar", "json")


def remove_metric(key: str, metric: str) -> Call[shapes.ExperimentOut]:
    """Watch a metric no more that was added after the start."""
    return Call("DELETE", path_of("/experiments/{key}/added-metrics/{metric}", key=key, metric=metric), "json")


def remove_note(key: str, number: int) -> Call[None]:
    """Remove a note."""
    return Call("DELETE", path_of("/experiments/{key}/notes/{number}", key=key, number=number), "nothing")


def remove_picture(key: str, picture: int) -> Call[shapes.ExperimentOut]:
    """Remove a variant's picture."""
    return Call("DELETE", path_of("/experiments/{key}/pictures/{picture}", key=key, picture=picture), "json")


def remove_place(key: str, place: int) -> Call[shapes.HandoverOut]:
    """Remove such a place."""
    return Call("DELETE", path_of("/experiments/{key}/places/{place}", key=key, place=place), "json")


def remove_second_count(key: str, source: str) -> Call[None]:
    """Remove the counts of another system."""
    return Call("DELETE", path_of("/experiments/{key}/second-counts/{source}", key=key, source=source), "nothing")


def remove_second_factor(body: shapes.Confirmed) -> Call[shapes.Me]:
    """Signing in asks for no code any more."""
    return Call("POST", "/me/second-factor/remove", "json", body=body)


def remove_segment_set(number: int) -> Call[None]:
    """Remove a saved choice of segments."""
    return Call("DELETE", path_of("/segment-sets/{number}", number=number), "nothing")


def remove_webhook(number: int) -> Call[None]:
    """Remove a webhook; nothing more is sent to its address."""
    return Call("DELETE", path_of("/webhooks/{number}", number=number), "nothing")


def renew_recovery_codes(body: shapes.Confirmed) -> Call[shapes.RecoveryCodes]:
    """Other recovery codes; those before open nothing any more."""
    return Call("POST", "/me/second-factor/recovery-codes", "json", body=body)


def reset_second_factor(username: str) -> Call[shapes.AccountOut]:
    """For somebody who lost both the phone and the recovery codes."""
    return Call("DELETE", path_of("/accounts/{username}/second-factor", username=username), "json")


def sample_events() -> Call[shapes.SampleOut]:
    """Made-up events, to try a definition on."""
    return Call("GET", "/metrics/sample-events", "json")


def save_segment_set(body: shapes.SegmentSetIn) -> Call[shapes.SegmentSetOut]:
    """Save a choice of segments under a name."""
    return Call("POST", "/segment-sets", "json", body=body)


def schedule_lake(name: str, body: shapes.LakeScheduleIn) -> Call[shapes.LakeOut]:
    """When a lake is counted by itself, in the name of whoever sets it."""
    return Call("PUT", path_of("/lakes/{name}/schedule", name=name), "json", body=body)


def search(*, words: str | None = None) -> Call[shapes.SearchOut]:
    """Experiments by name, hypothesis, lesson and reason of the decision, metrics, and who owns experiments: the
    best of each."""
    return Call("GET", "/search", "json", query={"words": words})


def send_again(number: int, delivery: int) -> Call[shapes.DeliveryOut]:
    """Send it once more, with the same id."""
    return Call(
        "POST", path_of("/webhooks/{number}/deliveries/{delivery}/again", number=number, delivery=delivery), "json"
    )


def send_password_link(username: str) -> Call[shapes.InvitedOut]:
    """Another link by which the person chooses a password."""
    return Call("POST", path_of("/accounts/{username}/link", username=username), "json")


def set_end(key: str, body: shapes.EndIn) -> Call[shapes.ExperimentOut]:
    """When the experiment ends by itself, or that it does not."""
    return Call("PUT", path_of("/experiments/{key}/end-time", key=key), "json", body=body)


def set_lesson(key: str, body: shapes.LessonIO) -> Call[shapes.HandoverOut]:
    """Write down what was learnt."""
    return Call("PUT", path_of("/experiments/{key}/lesson", key=key), "json", body=body)


def set_look_aside(key: str, number: int, body: shapes.AsideIn) -> Call[shapes.EvidenceOut]:
    """Leave a look out because its data were wrong; it stays on record."""
    return Call(
        "POST", path_of("/experiments/{key}/looks/{number}/set-aside", key=key, number=number), "json", body=body
    )


def set_shares_by_hand(key: str, body: shapes.SharesByHandIn) -> Call[shapes.AllocationOut]:
    """Shares for one epoch, which begins now."""
    return Call("POST", path_of("/experiments/{key}/allocation/by-hand", key=key), "json", body=body)


def set_spending_calendar(key: str, body: shapes.SpendingCalendarIn) -> Call[shapes.LatestSpendingCalendar]:
    """Set what is to be spent per region and day."""
    return Call("PUT", path_of("/experiments/{key}/regions/calendar", key=key), "json", body=body)


def share_report(key: str, body: shapes.LinkIn) -> Call[shapes.LinkOut]:
    """Make a link to the report that needs no account; it ends after so many days."""
    return Call("POST", path_of("/experiments/{key}/report-links", key=key), "json", body=body)


def sign_in(body: shapes.SignIn) -> Call[shapes.Session]:
    """Sign in. Where the account has a second factor and no ``code`` is sent the answer is 401 with the code
    *second-factor*."""
    return Call("POST", "/session", "json", body=body)


def sign_out() -> Call[shapes.Session]:
    """End the session."""
    return Call("DELETE", "/session", "json")


def size_audience(body: shapes.RulesIn) -> Call[shapes.AudienceSizeOut]:
    """How many of last month's units rules would have let in. Nothing is stored."""
    return Call("POST", "/audiences/size", "json", body=body)


def size_plan(body: shapes.SizeIn) -> Call[shapes.PlanOut]:
    """Sample size and duration for a plan. Nothing is stored."""
    return Call("POST", "/scratchpad/size", "json", body=body)


def start_aa_test(key: str, body: shapes.AATestIn) -> Call[shapes.AATestOut]:
    """Split the workspace's past units at random, again and again, and read each split."""
    return Call("POST", path_of("/metrics/{key}/aa-test", key=key), "json", body=body)


def start_allocation_rehearsal(key: str, body: shapes.RehearseAllocationIn) -> Call[shapes.AllocationRehearsalOut]:
    """Hold the even split against the policy, on the experiment's own figures."""
    return Call("POST", path_of("/experiments/{key}/allocation/rehearsal", key=key), "json", body=body)


def start_experiment(key: str, body: shapes.StartIn) -> Call[shapes.ExperimentOut]:
    """Start the experiment now or at a time; its rule is fixed from then on."""
    return Call("POST", path_of("/experiments/{key}/start", key=key), "json", body=body)


def start_placebo(key: str, body: shapes.PlaceboIn) -> Call[shapes.PlaceboOut]:
    """Read past days as if a test had been there, many times, to see how often it errs."""
    return Call("POST", path_of("/experiments/{key}/regions/placebo", key=key), "json", body=body)


def start_region_test(key: str) -> Call[shapes.ExperimentOut]:
    """Fix the plan; spending is changed from the calendar's first day on."""
    return Call("POST", path_of("/experiments/{key}/regions/start", key=key), "json")


def start_rehearsal(key: str, body: shapes.RehearseIn) -> Call[shapes.RehearsalOut]:
    """Simulate the experiment as planned, many times, to see how often its rule errs and how long it runs."""
    return Call("POST", path_of("/experiments/{key}/rehearsal", key=key), "json", body=body)


def stop_rollout(key: str, body: shapes.StopIn) -> Call[shapes.HandoverOut]:
    """Stop the rollout, with its reason; units get control again."""
    return Call("POST", path_of("/experiments/{key}/rollout/stop", key=key), "json", body=body)


def stop_variant(key: str, body: shapes.StopIn) -> Call[shapes.StretchesOut]:
    """Give a variant no new units any more, at once."""
    return Call("POST", path_of("/experiments/{key}/stopped-variants", key=key), "json", body=body)


def store_import(
    key: str,
    file: Upload,
    *,
    digest: str,
    columns: str | None = None,
    decimal_mark: Literal["", ".", ","] | None = None,
    leave_out_wrong: bool | None = None,
    metric: str | None = None,
) -> Call[shapes.ImportOut]:
    """Store a file of daily sums; what it corrects of earlier files is counted once."""
    return Call(
        "POST",
        path_of("/experiments/{key}/imports", key=key),
        "json",
        files={"file": file},
        form={
            "columns": columns,
            "decimal_mark": decimal_mark,
            "digest": digest,
            "leave_out_wrong": leave_out_wrong,
            "metric": metric,
        },
    )


def store_second_count(
    key: str, file: Upload, *, digest: str, source: str, decimal_mark: Literal["", ".", ","] | None = None
) -> Call[shapes.SecondCountFileOut]:
    """Store daily counts of the same experiment from another system, to be compared."""
    return Call(
        "POST",
        path_of("/experiments/{key}/second-counts", key=key),
        "json",
        files={"file": file},
        form={"decimal_mark": decimal_mark, "digest": digest, "source": source},
    )


def store_spend(
    key: str,
    file: Upload,
    *,
    digest: str,
    currency: str | None = None,
    decimal_mark: Literal["", ".", ","] | None = None,
) -> Call[shapes.SpendFileOut]:
    """Store a file of what was spent and earned per region and day."""
    return Call(
        "POST",
        path_of("/experiments/{key}/spend", key=key),
        "json",
        files={"file": file},
        form={"currency": currency, "decimal_mark": decimal_mark, "digest": digest},
    )


def store_units(
    key: str,
    file: Upload,
    *,
    digest: str,
    decimal_mark: Literal["", ".", ","] | None = None,
    leave_out_wrong: bool | None = None,
) -> Call[shapes.UnitsOut]:
    """Store a file with a line for each unit."""
    return Call(
        "POST",
        path_of("/experiments/{key}/unit-files", key=key),
        "json",
        files={"file": file},
        form={"decimal_mark": decimal_mark, "digest": digest, "leave_out_wrong": leave_out_wrong},
    )


def take_in_event_file(file: Upload) -> Call[shapes.EventFileOut]:
    """A file with one event a line (NDJSON, gzip too): all of it, or nothing and what is wrong with it."""
    return Call("POST", "/event-files", "json", files={"file": file})


def take_looks(key: str) -> Call[shapes.EvidenceOut]:
    """Take the looks that are due, and keep them."""
    return Call("POST", path_of("/experiments/{key}/looks", key=key), "json")


def tick_place(key: str, place: int, body: shapes.TickIn) -> Call[shapes.HandoverOut]:
    """Say that a place is done, or that it is not."""
    return Call("POST", path_of("/experiments/{key}/places/{place}", key=key, place=place), "json", body=body)


def try_webhook(number: int) -> Call[shapes.WebhookOut]:
    """Send it something that did not happen; it goes out within a minute."""
    return Call("POST", path_of("/webhooks/{number}/test", number=number), "json")


def undo_draw(key: str, body: shapes.UndoDrawIn) -> Call[shapes.RegionPlanOut]:
    """Undo the draw, as long as the test has not started."""
    return Call("POST", path_of("/experiments/{key}/regions/draw/undo", key=key), "json", body=body)


def withdraw_decision(key: str, body: shapes.WithdrawIn) -> Call[shapes.ExperimentOut]:
    """Withdraw the decision, with its reason; it stays on record."""
    return Call("POST", path_of("/experiments/{key}/withdraw-decision", key=key), "json", body=body)


def withdraw_forecast(key: str) -> Call[shapes.ForecastsOut]:
    """Withdraw what the caller expects."""
    return Call("DELETE", path_of("/experiments/{key}/forecasts/mine", key=key), "json")


def withdraw_key(number: int) -> Call[shapes.KeyOut]:
    """Withdraw a key at once."""
    return Call("DELETE", path_of("/keys/{number}", number=number), "json")


def withdraw_report_link(key: str, link: int) -> Call[shapes.LinkOut]:
    """Withdraw a link at once."""
    return Call("POST", path_of("/experiments/{key}/report-links/{link}/withdraw", key=key, link=link), "json")


def withdraw_split_change(key: str, number: int) -> Call[shapes.StretchesOut]:
    """Withdraw a change that does not hold yet, or that was noted wrongly."""
    return Call("DELETE", path_of("/experiments/{key}/split/{number}", key=key, number=number), "json")


def withdraw_token(number: int) -> Call[shapes.TokenOut]:
    """Withdraw a token at once."""
    return Call("DELETE", path_of("/me/tokens/{number}", number=number), "json")


def withdraw_token_of_account(username: str, number: int) -> Call[shapes.TokenOut]:
    """The token opens nothing any more."""
    return Call("DELETE", path_of("/accounts/{username}/tokens/{number}", username=username, number=number), "json")
