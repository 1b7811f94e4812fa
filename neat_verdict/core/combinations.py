"""Which designs, questions, methods and kinds of metrics go together: one table, served to the screens."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DESIGNS, Design
from neat_verdict.core.methods import METHODS, Method
from neat_verdict.core.metrics import KINDS
from neat_verdict.core.questions import QUESTIONS, Question


@dataclass(frozen=True, slots=True)
class Combination:
    """One of each by name, and why they do not go together; "" where they do."""

    design: str
    question: str
    method: str
    kind: str
    refused_because: str


def why_not(design: Design, question: Question, method: type[Method]) -> str:
    """Why a design, a question and a method do not go together; "" where they do. Every kind of metric goes with all of them."""
    return design.refuses(method) or design.refuses_question(question)


def check_combination(design: Design, question: Question, method: type[Method]) -> None:
    """Raise InputError, naming the method or the question, for what does not go together."""
    if reason := design.refuses(method):
        raise InputError("method", method.name, reason)
    if reason := design.refuses_question(question):
        raise InputError("question", question.name, reason)


def combinations() -> Iterator[Combination]:
    """The whole table."""
    for design in DESIGNS.values():
        for question in QUESTIONS.values():
            for method in METHODS.values():
                for kind in KINDS:
                    reason = why_not(design, question, method)
                    yield Combination(design.name, question.name, method.name, kind, reason)
