"""The questions a test may ask. To add one: a module here, and a line below."""

from neat_verdict.core.questions.base import Question
from neat_verdict.core.questions.equivalence import Equivalence
from neat_verdict.core.questions.noninferiority import Noninferiority
from neat_verdict.core.questions.superiority import Superiority

QUESTIONS: dict[str, Question] = {
    question.name: question for question in (Superiority(), Noninferiority(), Equivalence())
}
DEFAULT_QUESTION = QUESTIONS[Superiority.name]

__all__ = ["DEFAULT_QUESTION", "QUESTIONS", "Question"]
