"""What the screens must know of methods, designs, verdicts, metrics and conditions: one description, made from the core's
registries. ``bin/types`` writes the same into the front end."""

from __future__ import annotations

from typing import Any, Literal

from django.http import HttpRequest
from ninja import Router, Schema

from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.matching import OPERATOR_WORDS, OPERATORS
from neat_verdict.core.methods import METHODS
from neat_verdict.core.metrics import KINDS
from neat_verdict.core.questions import QUESTIONS
from neat_verdict.core.text.column_names import COLUMN_NAMES
from neat_verdict.core.text.glossary import GLOSSARY
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import VERDICTS, VerdictKind
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS, RegionVerdictKind
from neat_verdict.core.verdicts.kinds.base import Tone


class ChoiceOut(Schema):
    name: str
    title: str


class SettingOut(Schema):
    """A figure or choice of a method; ``minimum`` and ``maximum`` are included."""

    name: str
    label: str
    kind: Literal["choice", "percent", "whole", "days"]
    explanation: str
    choices: list[ChoiceOut]
    minimum: float | None
    maximum: float | None


class MethodOut(Schema):
    name: str
    title: str
    explanation: str
    note: str
    several_note: str
    has_looks: bool
    holds_at_any_time: bool
    credible: bool
    settings: list[SettingOut]
    defaults: dict[str, Any]


class QuestionOut(Schema):
    """What the size of the rule is called under it, and which verdicts may be given; ``yes`` follows "would"."""

    name: str
    title: str
    explanation: str
    size_name: str
    size_explanation: str
    looked_for: str
    boundary_words: str
    band_words: str
    lines: Literal["both", "good"]
    yes: str
    about_zero: bool
    verdicts: list[str]


class DesignOut(Schema):
    """``refused`` says, by the name of a method, why it does not hold in this design, ``refused_questions`` the same of
    questions."""

    name: str
    title: str
    explanation: str
    refused: dict[str, str]
    refused_questions: dict[str, str]


class VerdictOut(Schema):
    name: str
    title: str
    meaning: str
    mark: str
    tone: Tone
    readable: bool
    settled: bool
    rehearsed: bool


class MetricKindOut(Schema):
    """``parts`` are the parts of a definition that the kind has; ``level_words`` say what today's level is."""

    name: str
    title: str
    explanation: str
    units: list[str]
    fields: list[str]
    parts: list[str]
    measured_as: str
    is_rate: bool
    level_words: str
    spread_words: str


class ValueKindOut(Schema):
    name: str
    operators: list[ChoiceOut]


class TermOut(Schema):
    """A word with its explanation; ``own`` for a word of this product."""

    name: str
    explanation: str
    own: bool


# What a table pasted into the Scratchpad may have columns of.
_PASTED = ("variant", "units", "conversions", "cost", "impressions", "amount")


class VocabularyOut(Schema):
    letters: str
    questions: list[QuestionOut]
    methods: list[MethodOut]
    designs: list[DesignOut]
    verdicts: list[VerdictOut]
    region_verdicts: list[VerdictOut]
    metric_kinds: list[MetricKindOut]
    value_kinds: list[ValueKindOut]
    # How columns of a pasted table may be called, by what stands in them; without case and accents.
    columns: dict[str, list[str]]


def glossary() -> list[TermOut]:
    """The words that screens explain on the spot."""
    return [TermOut(name=term.name, explanation=term.explanation, own=term.own) for term in GLOSSARY]


def _verdict(verdict: VerdictKind | RegionVerdictKind, *, rehearsed: bool) -> VerdictOut:
    return VerdictOut(
        name=verdict.name,
        title=verdict.title,
        meaning=verdict.meaning,
        mark=verdict.mark,
        tone=verdict.tone,
        readable=verdict.readable,
        settled=verdict.settled,
        rehearsed=rehearsed,
    )


def vocabulary() -> VocabularyOut:
    """The whole description."""
    return VocabularyOut(
        letters=LETTERS,
        questions=[
            QuestionOut(
                name=question.name,
                title=question.title,
                explanation=question.explanation,
                size_name=question.size_name,
                size_explanation=question.size_explanation,
                looked_for=question.looked_for,
                boundary_words=question.boundary_words,
                band_words=question.band_words,
                lines=question.lines,
                yes=question.yes,
                about_zero=question.about_zero,
                verdicts=[name for name in VERDICTS if name in question.verdicts],
            )
            for question in QUESTIONS.values()
        ],
        methods=[
            MethodOut(
                name=method.name,
                title=method.title,
                explanation=method.explanation,
                note=method.method_note,
                several_note=method.several_note,
                has_looks=method.has_looks,
                holds_at_any_time=method.holds_at_any_time,
                credible=method.credible,
                settings=[
                    SettingOut(
                        name=setting.name,
                        label=setting.label,
                        kind=setting.kind,
                        explanation=setting.explanation,
                        choices=[ChoiceOut(name=name, title=title) for name, title in setting.choices],
                        minimum=setting.minimum,
                        maximum=setting.maximum,
                    )
                    for setting in method.settings
                ],
                defaults={name: value for name, value in method().record().items() if name != "name"},
            )
            for method in METHODS.values()
        ],
        designs=[
            DesignOut(
                name=design.name,
                title=design.title,
                explanation=design.explanation,
                refused={name: why for name, method in METHODS.items() if (why := design.refuses(method))},
                refused_questions={
                    name: why for name, question in QUESTIONS.items() if (why := design.refuses_question(question))
                },
            )
            for design in DESIGNS.values()
        ],
        verdicts=[_verdict(verdict, rehearsed=verdict.rehearsed) for verdict in VERDICTS.values()],
        region_verdicts=[_verdict(verdict, rehearsed=False) for verdict in REGION_VERDICTS.values()],
        metric_kinds=[
            MetricKindOut(
                name=kind.name,
                title=kind.title,
                explanation=kind.explanation,
                units=list(kind.units),
                fields=list(kind.tally.fields) if kind.tally.typed else [],
                parts=list(kind.parts),
                measured_as=kind.measured_as,
                is_rate=kind.is_rate,
                level_words=kind.level_words,
                spread_words=kind.spread_words,
            )
            for kind in KINDS.values()
        ],
        value_kinds=[
            ValueKindOut(name=kind, operators=[ChoiceOut(name=one, title=OPERATOR_WORDS[one]) for one in operators])
            for kind, operators in OPERATORS.items()
        ],
        columns={field: sorted(COLUMN_NAMES[field]) for field in _PASTED},
    )


router = Router(tags=["vocabulary"])


@router.get("/vocabulary", response=VocabularyOut, auth=None, operation_id="get_vocabulary", summary="What there is")
def get_vocabulary(request: HttpRequest) -> VocabularyOut:
    """Methods, designs, verdicts, kinds of metrics and conditions, with their words and settings."""
    return vocabulary()
