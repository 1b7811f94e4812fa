"""Code for the site of an experiment, with the experiment's own names in it."""

from __future__ import annotations

import json
from pathlib import Path

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.queries import site_key
from neat_verdict.app.traffic.schemas import SnippetOut
from neat_verdict.app.traffic.serving import parameters_of

_FOLDER = Path(__file__).parent / "snippets"
NO_KEY = "the site’s key, see Connections"


LANGUAGES = {
    "page": "On the page",
    "held_page": "In the head of each page",  # in place of the former, where the page itself is changed
    "curl": "curl",
    "python": "Python",
    "javascript": "JavaScript",
    "open_feature_python": "OpenFeature, Python",
    "open_feature_web": "OpenFeature, web",
}
_TYPES = {bool: "boolean", int: "integer", float: "float", str: "string"}


def snippets(experiment: Experiment, address: str) -> list[SnippetOut]:
    """What an engineer needs, with the experiment's own names in it."""
    given = [parameters_of(variant.parameters) for variant in experiment.variants.all()]
    parameter = min({name for parameters in given for name in parameters}, default="")
    otherwise = given[0].get(parameter, False)
    type_ = _TYPES.get(type(otherwise), "object")
    names = {
        "address": address,
        "site_key": site_key() or NO_KEY,
        "key": _literal(experiment.key),
        "event": _literal(_event_of(experiment)),
        "parameter": _literal(parameter or "the name of a parameter"),
        "otherwise": _literal(otherwise),
        "otherwise_python": repr(otherwise),
        "type": type_,
        "Type": {"integer": "Number", "float": "Number"}.get(type_, type_.title()),
    }
    between_pages = any(variant.address or variant.page_changes for variant in experiment.variants.all())
    other = "page" if between_pages else "held_page"
    return [
        SnippetOut(name=name, title=title, code=_filled(name, names))
        for name, title in LANGUAGES.items()
        if name != other
    ]


def _literal(value: object) -> str:
    """A value as JavaScript has it, texts as Python and a shell's single quotes do too; nothing in it ends a script in a page."""
    return json.dumps(value, ensure_ascii=False).replace("</", "<\\/").replace("'", "\\u0027")


def _event_of(experiment: Experiment) -> str:
    use = experiment.primary
    measure = (use.definition.get("measure") or {}) if use else {}
    steps = (use.definition.get("steps") or []) if use else []
    return (measure.get("events") or {}).get("event") or (steps[-1]["event"] if steps else "booking_paid")


def _filled(language: str, names: dict[str, str]) -> str:
    code = (_FOLDER / f"{language}.txt").read_text()
    for name, value in names.items():
        code = code.replace(f"‹{name}›", value)
    return code
