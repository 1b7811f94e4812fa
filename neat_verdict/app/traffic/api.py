"""Assignments for machines; audiences, keys and what engineers need for people."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from neat_verdict.app.experiments.queries import find, local_moment
from neat_verdict.app.http.downloads import answers
from neat_verdict.app.http.texts import is_whole
from neat_verdict.app.http.versions import has_it
from neat_verdict.app.people.auth import MachineAuth, person
from neat_verdict.app.people.keys import make_key, make_site_key, withdraw_key
from neat_verdict.app.people.models import MachineKey
from neat_verdict.app.traffic import (
    actions,
    assigning,
    audiences,
    joining,
    presenting,
    queries,
    reallocation,
    site_code,
    splitting,
)
from neat_verdict.app.traffic.models import SavedAudience
from neat_verdict.app.traffic.schemas import (
    AllocationOut,
    AssignIn,
    AssignOut,
    AudienceIn,
    AudienceOut,
    AudienceSizeOut,
    CheckIn,
    CheckOut,
    EpochRecordOut,
    ExclusionOut,
    JoinIn,
    KeyIn,
    KeyOut,
    NewKeyOut,
    ReadyAudienceOut,
    ReallocateIn,
    RulesIn,
    SharesByHandIn,
    SiteKeyIn,
    SnippetOut,
    SplitIn,
    StopIn,
    StretchesOut,
)
from neat_verdict.app.traffic.sightings import buffer, last_month
from neat_verdict.core.limits import MAX_ASKED_BYTES, MAX_ASKED_KEYS

router = Router(tags=["traffic"])
_LOCAL = Path(__file__).parent / "snippets" / "assign.mjs"


def _described(schema: Any) -> dict[str, Any]:
    """The body of a call that reads it by hand, because it answers bad input in its own way."""
    return {
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": schema.model_json_schema()}},
        }
    }


@router.post(
    "/assign",
    response=AssignOut,
    operation_id="assign",
    auth=MachineAuth("assign"),
    openapi_extra=_described(AssignIn),
    tags=["machines"],
)
def assign(request: HttpRequest) -> HttpResponse:
    """The variants of a unit. Bad input never breaks a site: the answer is control, with a note of the problem."""
    if len(request.body) > MAX_ASKED_BYTES:
        return JsonResponse({"assignments": {}, "problem": f"the body must be at most {MAX_ASKED_BYTES // 1024} kB"})
    try:
        body = json.loads(request.body or b"null")
    except (ValueError, RecursionError) as problem:
        return JsonResponse({"assignments": {}, "problem": f"the body must be JSON: {problem}"})
    body = body if isinstance(body, dict) else {}
    unit, keys, properties = body.get("unit"), body.get("experiments"), body.get("properties", {})
    problems = []
    if isinstance(unit, int) and not isinstance(unit, bool):
        unit = str(unit)
    if not isinstance(unit, str) or not is_whole(unit):
        problems.append("unit must be text of 1 to 200 characters")
        unit = ""
    if keys is not None and not (isinstance(keys, list) and all(isinstance(key, str) for key in keys)):
        problems.append("experiments must be a list of keys, or left out")
        keys = None
    if not isinstance(properties, dict):
        problems.append("properties must be an object")
        properties = {}
    if keys is not None and len(keys) > MAX_ASKED_KEYS:
        problems.append(f"experiments must be at most {MAX_ASKED_KEYS:,} keys; the first of them are answered")
        keys = keys[:MAX_ASKED_KEYS]
    properties, left_out = assigning.within_limits(properties)
    problems += left_out
    result = assigning.assign(unit, properties, keys)
    buffer.note(unit, properties)
    answers = {
        key: {
            "variant": answer.variant,
            "parameters": answer.parameters,
            "reason": answer.reason,
            "because": answer.because,
            "problem": answer.problem,
        }
        for key, answer in result.items()
    }
    return JsonResponse({"assignments": answers, "problem": "; ".join(problems) or None})


@router.get(
    "/running.json",
    operation_id="get_running",
    openapi_extra=answers("application/json"),
    auth=MachineAuth("read"),
    tags=["machines"],
)
def running(request: HttpRequest) -> HttpResponse:
    """All running experiments, to assign without asking: see assign.mjs for the algorithm. Asked again with the ETag of the
    answer before (If-None-Match), it is 304 while nothing has changed."""
    listed = assigning.running_list()
    same = json.dumps({**listed, "made_at": ""}, sort_keys=True)
    tag = f'"{hashlib.sha256(same.encode()).hexdigest()[:20]}"'
    unchanged = has_it(request, tag)
    answer = HttpResponse(status=304) if unchanged else JsonResponse(listed)
    answer["ETag"] = tag
    return answer


@router.get("/traffic/running.json", operation_id="download_running", openapi_extra=answers("application/json"))
def download_running(request: HttpRequest) -> HttpResponse:
    """The same list for a person to save."""
    body = json.dumps(assigning.running_list(), indent=1, ensure_ascii=False)
    answer = HttpResponse(body, content_type="application/json")
    answer["Content-Disposition"] = 'attachment; filename="running experiments.json"'
    return answer


@router.get(
    "/traffic/assign.mjs", operation_id="download_local_assignment", openapi_extra=answers("text/javascript"), auth=None
)
def local_assignment(request: HttpRequest) -> HttpResponse:
    """The algorithm in JavaScript."""
    return HttpResponse(_LOCAL.read_bytes(), content_type="text/javascript")


@router.post("/experiments/{key}/would-take-part", response=CheckOut, operation_id="check_visitor")
def check(request: HttpRequest, key: str, payload: CheckIn) -> CheckOut:
    """Whether a unit with these properties would be in, and why not."""
    return presenting.check(find(key), payload.unit, payload.properties)


@router.get("/experiments/{key}/snippets", response=list[SnippetOut], operation_id="get_snippets")
def snippets(request: HttpRequest, key: str) -> list[SnippetOut]:
    """Code that asks for variants and sends events, for several languages."""
    return site_code.snippets(find(key), request.build_absolute_uri("/").rstrip("/"))


@router.get("/exclusion-groups", response=list[ExclusionOut], operation_id="list_exclusion_groups")
def exclusion_groups(request: HttpRequest) -> list[ExclusionOut]:
    """Groups of experiments of which a unit is in one at most, with the share of units that each has."""
    return [presenting.exclusion_group(group) for group in queries.exclusion_groups()]


@router.get("/audiences", response=list[AudienceOut], operation_id="list_audiences")
def kept_audiences(request: HttpRequest) -> list[AudienceOut]:
    """The audiences that are kept for reuse, with how many of last month's units each would let in."""
    return audiences.kept_audiences()


@router.post("/audiences", response={201: AudienceOut}, operation_id="keep_audience")
def keep_audience(request: HttpRequest, payload: AudienceIn) -> Status[AudienceOut]:
    """Keep rules as an audience for reuse."""
    kept = actions.keep_audience(person(request), payload.name, payload.description, payload.model_dump()["groups"])
    return Status(201, audiences.described(kept, last_month()))


@router.get("/audiences/ready-made", response=list[ReadyAudienceOut], operation_id="list_ready_audiences")
def ready_audiences(request: HttpRequest) -> list[ReadyAudienceOut]:
    """Audiences that most tests need, to be taken and edited."""
    return audiences.ready_made()


@router.post("/audiences/size", response=AudienceSizeOut, operation_id="size_audience")
def size_audience(request: HttpRequest, payload: RulesIn) -> AudienceSizeOut:
    """How many of last month's units rules would have let in. Nothing is stored."""
    return audiences.size_of(payload.model_dump()["groups"])


@router.put("/audiences/{number}", response=AudienceOut, operation_id="change_audience")
def change_audience(request: HttpRequest, number: int, payload: AudienceIn) -> AudienceOut:
    """Other rules, name or description. Experiments that took it keep their copy."""
    get_object_or_404(SavedAudience, pk=number)
    groups = payload.model_dump()["groups"]
    changed = actions.change_audience(person(request), number, payload.name, payload.description, groups)
    return audiences.described(changed, last_month())


@router.delete("/audiences/{number}", response={204: None}, operation_id="remove_audience")
def remove_audience(request: HttpRequest, number: int) -> Status[None]:
    """Remove an audience. Experiments that took it keep their copy."""
    actions.remove_audience(person(request), number)
    return Status(204, None)


@router.get("/keys", response=list[KeyOut], operation_id="list_keys")
def keys(request: HttpRequest) -> list[KeyOut]:
    """Keys of servers and sites, without the keys themselves."""
    return [KeyOut(**_key(key)) for key in MachineKey.objects.select_related("made_by")]


@router.post("/keys", response={201: NewKeyOut}, operation_id="make_key")
def new_key(request: HttpRequest, payload: KeyIn) -> Status[NewKeyOut]:
    """A server's key."""
    expires_at = local_moment(payload.expires_at)
    result, secret = make_key(
        person(request),
        payload.name,
        scopes=payload.scopes,
        expires_at=expires_at,
        per_minute=payload.per_minute,
        events_per_day=payload.events_per_day,
    )
    return Status(201, NewKeyOut(**_key(result), secret=secret))


@router.post("/site-keys", response={201: KeyOut}, operation_id="make_site_key")
def new_site_key(request: HttpRequest, payload: SiteKeyIn) -> Status[KeyOut]:
    """A key that the pages of a site carry: it asks for assignments and sends events, and nothing else."""
    expires_at = local_moment(payload.expires_at)
    result = make_site_key(
        person(request),
        payload.name,
        payload.origins,
        per_minute=payload.per_minute,
        events_per_day=payload.events_per_day,
        expires_at=expires_at,
    )
    return Status(201, KeyOut(**_key(result)))


@router.delete("/keys/{number}", response=KeyOut, operation_id="withdraw_key")
def remove_key(request: HttpRequest, number: int) -> KeyOut:
    """Withdraw a key at once."""
    get_object_or_404(MachineKey, pk=number)
    return KeyOut(**_key(withdraw_key(person(request), number)))


def _key(machine_key: MachineKey) -> dict[str, Any]:
    fields = ("name", "kind", "start", "public", "scopes", "origins", "per_minute", "events_per_day",
              "made_at", "expires_at", "withdrawn_at",
              "used_at", "refused")  # fmt: skip
    return {
        "id": machine_key.pk,
        "made_by": machine_key.made_by.display_name,
        **{field: getattr(machine_key, field) for field in fields},
    }


@router.get("/experiments/{key}/allocation", response=AllocationOut, operation_id="get_allocation")
def get_allocation(request: HttpRequest, key: str) -> AllocationOut:
    """The epochs of an experiment whose traffic follows the evidence, the latest few hundred."""
    return presenting.allocation(find(key))


@router.get("/experiments/{key}/epochs.json", operation_id="get_epochs_file", openapi_extra=answers("application/json"))
def epochs_file(request: HttpRequest, key: str) -> HttpResponse:
    """Every epoch with its whole record, as a file."""
    answer = JsonResponse(presenting.records(find(key)), json_dumps_params={"indent": 1})
    answer["Content-Disposition"] = f'attachment; filename="{key}-epochs.json"'
    return answer


@router.get("/experiments/{key}/epochs/{number}", response=EpochRecordOut, operation_id="get_epoch_record")
def epoch_record(request: HttpRequest, key: str, number: int) -> EpochRecordOut:
    """An epoch's record, worked out once more."""
    return presenting.epoch_record(find(key), number)


@router.get("/experiments/{key}/split", response=StretchesOut, operation_id="get_split")
def get_split(request: HttpRequest, key: str) -> StretchesOut:
    """The split as it was and is, stretch by stretch."""
    return presenting.split(find(key))


@router.post("/experiments/{key}/split", response=StretchesOut, operation_id="change_split")
def change_split(request: HttpRequest, key: str, payload: SplitIn) -> StretchesOut:
    """Share units out by other weights from a day on."""
    splitting.change_split(person(request), find(key).key, payload.weights, payload.from_day, payload.reason)
    return presenting.split(find(key))


@router.post("/experiments/{key}/stopped-variants", response=StretchesOut, operation_id="stop_variant")
def stop_variant(request: HttpRequest, key: str, payload: StopIn) -> StretchesOut:
    """Give a variant no new units any more, at once."""
    splitting.stop_variant(
        person(request), find(key).key, payload.variant, payload.afterwards, payload.reason, payload.on_day
    )
    return presenting.split(find(key))


@router.post("/experiments/{key}/joining-variants", response=StretchesOut, operation_id="add_challenger")
def add_challenger(request: HttpRequest, key: str, payload: JoinIn) -> StretchesOut:
    """Let a new challenger join from a day on."""
    variant = payload.variant.model_dump(exclude={"id", "copy_of", "weight"})
    joining.add_challenger(person(request), find(key).key, variant, payload.weights, payload.from_day, payload.reason)
    return presenting.split(find(key))


@router.delete("/experiments/{key}/split/{number}", response=StretchesOut, operation_id="withdraw_split_change")
def withdraw_split_change(request: HttpRequest, key: str, number: int) -> StretchesOut:
    """Withdraw a change that does not hold yet, or that was noted wrongly."""
    splitting.withdraw_change(person(request), find(key).key, number)
    return presenting.split(find(key))


_MODES = {"freeze": reallocation.freeze, "follow": reallocation.resume_policy, "even": reallocation.return_to_even}


@router.post("/experiments/{key}/allocation/by-hand", response=AllocationOut, operation_id="set_shares_by_hand")
def by_hand(request: HttpRequest, key: str, payload: SharesByHandIn) -> AllocationOut:
    """Shares for one epoch, which begins now."""
    find(key)
    reallocation.set_by_hand(person(request), key, payload.shares, payload.reason)
    return presenting.allocation(find(key))


@router.post("/experiments/{key}/allocation/{way}", response=AllocationOut, operation_id="reallocate")
def reallocate(
    request: HttpRequest, key: str, way: Literal["freeze", "follow", "even"], payload: ReallocateIn
) -> AllocationOut:
    """Freeze the shares, let them follow the evidence again, or return to even ones."""
    find(key)
    _MODES[way](person(request), key, payload.reason)
    return presenting.allocation(find(key))
