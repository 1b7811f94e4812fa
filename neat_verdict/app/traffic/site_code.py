"""Code for the site of an experiment, with the experiment's own names in it."""

from __future__ import annotations

import json
from collections.abc import Mapping

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.queries import site_key
from neat_verdict.app.traffic.schemas import SnippetsOut
from neat_verdict.app.traffic.serving import parameters_of


def snippets(experiment: Experiment, address: str) -> SnippetsOut:
    """What an engineer needs, with the experiment's own names in it."""
    names = {"address": address, "key": experiment.key, "event": _event_of(experiment)}
    parameters = sorted({line["name"] for v in experiment.variants.all() for line in v.parameters})
    reading = parameters[0] if parameters else ""
    use = (
        f"neat.get({_for_page(reading)}, {_for_page(_of_control(experiment, reading))})"
        if reading
        else 'neat.get("…", false)'
    )
    return SnippetsOut(
        page=_filled(_PAGE, {**names, "site_key": site_key() or "the site’s key, see Connections", "use": use}),
        python=_filled(
            _PYTHON, {**names, "use": f"parameters[{json.dumps(reading)}]" if reading else 'variant == "B"'}
        ),
        javascript=_filled(
            _JAVASCRIPT, {**names, "use": f"parameters[{json.dumps(reading)}]" if reading else 'variant === "B"'}
        ),
        curl=_filled(_CURL, names),
    )


def _for_page(value: object) -> str:
    """A value as a script within a page may hold it: nothing in it ends the script."""
    return json.dumps(value, ensure_ascii=False).replace("</", "<\\/")


def _of_control(experiment: Experiment, parameter: str) -> object:
    """What the page shows without us: what control has."""
    return parameters_of(experiment.variants.all()[0].parameters).get(parameter)


def _event_of(experiment: Experiment) -> str:
    use = experiment.primary
    measure = (use.definition.get("measure") or {}) if use else {}
    steps = (use.definition.get("steps") or []) if use else []
    return (measure.get("events") or {}).get("event") or (steps[-1]["event"] if steps else "booking_paid")


def _filled(template: str, names: Mapping[str, str]) -> str:
    for name, value in names.items():
        template = template.replace(f"‹{name}›", value)
    return template


_PAGE = """\
<script src="‹address›/site/v1/neat.js" async
  data-key="‹site_key›" data-timeout="300"></script>
<script>
  (window.neatQueue = window.neatQueue || []).push(async (neat) => {
    await neat.ready; // after 300 ms at the latest; then everybody sees what is there without us
    console.log(‹use›); // reading it is the exposure
  });
  // later, when it happens:
  window.neatQueue.push((neat) => neat.track("‹event›"));
</script>
"""
_CURL = """\
curl -s ‹address›/api/v1/assign \\
  -H "Authorization: Bearer $NEAT_VERDICT_KEY" -H "Content-Type: application/json" \\
  -d '{"unit": "visitor-1", "properties": {"device": "phone"}, "experiments": ["‹key›"]}'

curl -s ‹address›/api/v1/collect \\
  -H "Authorization: Bearer $NEAT_VERDICT_KEY" -H "Content-Type: application/json" \\
  -d '{"events": [
    {"id": "e-1", "unit": "visitor-1", "event": "exposure", "at": "'$(date -u +%FT%TZ)'",
     "experiment": "‹key›", "variant": "B", "device": "phone"},
    {"id": "e-2", "unit": "visitor-1", "event": "‹event›", "at": "'$(date -u +%FT%TZ)'"}]}'
"""
_PYTHON = """\
import json, os, urllib.request, uuid
from datetime import datetime, timezone

def ask(path, body):
    request = urllib.request.Request(
        "‹address›/api/v1/" + path, json.dumps(body).encode(),
        {"Authorization": "Bearer " + os.environ["NEAT_VERDICT_KEY"], "Content-Type": "application/json"})
    with urllib.request.urlopen(request, timeout=2) as answer:
        return json.load(answer)

def event(unit, name, **more):
    at = datetime.now(timezone.utc).isoformat()
    return {"id": str(uuid.uuid4()), "unit": unit, "event": name, "at": at, **more}

unit, properties = "visitor-1", {"device": "phone"}
answer = ask("assign", {"unit": unit, "properties": properties, "experiments": ["‹key›"]})
result = answer["assignments"]["‹key›"]
variant, parameters = result["variant"], result["parameters"]
if result["reason"] in ("assigned", "forced"):  # only who is shown the difference is an exposure
    shown = {"experiment": "‹key›", "variant": variant, "reason": result["reason"]}
    ask("collect", {"events": [event(unit, "exposure", **shown, **properties)]})
print(‹use›)
# later, when it happens:
ask("collect", {"events": [event(unit, "‹event›")]})
"""
_JAVASCRIPT = """\
const ask = (path, body) =>
  fetch("‹address›/api/v1/" + path, {
    method: "POST",
    headers: { Authorization: "Bearer " + NEAT_VERDICT_KEY, "Content-Type": "application/json" },
    body: JSON.stringify(body),
  }).then((answer) => answer.json());
const event = (unit, name, more) => ({ id: crypto.randomUUID(), unit, event: name, at: new Date().toISOString(), ...more });

const unit = "visitor-1";
const properties = { device: "phone" };
const { assignments } = await ask("assign", { unit, properties, experiments: ["‹key›"] });
const { variant, parameters, reason } = assignments["‹key›"];
if (reason === "assigned" || reason === "forced") {
  // only who is shown the difference is an exposure
  await ask("collect", { events: [event(unit, "exposure", { experiment: "‹key›", variant, reason, ...properties })] });
}
console.log(‹use›);
// later, when it happens:
await ask("collect", { events: [event(unit, "‹event›")] });
"""
