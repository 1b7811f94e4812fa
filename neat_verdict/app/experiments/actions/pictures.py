"""Pictures of variants."""

from __future__ import annotations

import io

from django.core.files.base import ContentFile, File
from django.db import transaction
from PIL import Image, UnidentifiedImageError

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.models import Experiment, Picture, Variant
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import MAX_PICTURE_BYTES, MAX_PICTURE_PIXELS, MAX_PICTURE_SIDE

MAX_PICTURES = 6
_FORMATS = ("PNG", "JPEG", "WEBP", "GIF")
STORED_AS = ("image/png", "image/jpeg")


@transaction.atomic
def add_picture(by: User, experiment: Experiment, variant_id: int, file: File[bytes], caption: str) -> Picture:
    """Keep a picture of a variant, drawn again from what was sent so that nothing else in the file survives.

    Raises InputError for what is no PNG, JPEG, WebP or GIF, or is too large; Conflict once the experiment is decided.
    """
    variant = _variant(by, experiment, variant_id)
    if variant.pictures.count() >= MAX_PICTURES:
        raise Conflict(f"A variant has at most {MAX_PICTURES} pictures; remove one first")
    drawn, kind = _redrawn(file)
    out = io.BytesIO()
    drawn.save(out, kind, quality=88) if kind == "jpeg" else drawn.save(out, kind)
    picture = Picture(variant=variant, caption=caption.strip()[:200], width=drawn.width, height=drawn.height)
    picture.image.save(f"{experiment.key}-{variant.letter}.{kind}", ContentFile(out.getvalue()))
    record(experiment, by, "picture", f"Added a picture of {variant.letter}", picture=picture.pk)
    return picture


@transaction.atomic
def remove_picture(by: User, experiment: Experiment, picture_id: int) -> None:
    """Remove a picture. Before the first start its file goes with it; later it stays as what was shown until now, unless it is
    removed once more."""
    row = Picture.everything.filter(pk=picture_id, variant__experiment=experiment).select_related("variant").first()
    if row is None:
        raise InputError("picture", picture_id, "is no picture of this experiment")
    variant = _variant(by, experiment, row.variant.pk)
    if row.removed_at is None and (experiment.started_at is not None or experiment.rounds.exists()):
        row.removed_at = clock.now()
        row.save(update_fields=["removed_at"])
        record(experiment, by, "picture", f"Removed a picture of {variant.letter}; it is kept as shown until now")
        return
    storage, name = row.image.storage, str(row.image.name)
    row.delete()
    transaction.on_commit(lambda: storage.delete(name))
    earlier = ", shown earlier, for good" if row.removed_at is not None else ""
    record(experiment, by, "picture", f"Removed a picture of {variant.letter}{earlier}")


def _variant(by: User, experiment: Experiment, variant_id: int) -> Variant:
    require_editor(by)
    if experiment.state in ("decided", "archived"):
        raise Conflict(f"This experiment is {experiment.state}; it can be copied, not changed")
    row = experiment.variants.filter(pk=variant_id).first()
    if row is None:
        raise InputError("variant", variant_id, "is no variant of this experiment")
    return row


def _redrawn(file: File[bytes]) -> tuple[Image.Image, str]:
    if (file.size or 0) > MAX_PICTURE_BYTES:
        rule = f"must not be larger than {MAX_PICTURE_BYTES / 1e6:.0f} MB"
        raise InputError("file", f"{(file.size or 0) / 1e6:.1f} MB", rule)
    try:
        with Image.open(file, formats=_FORMATS) as image:
            if max(image.size) > MAX_PICTURE_SIDE or image.width * image.height > MAX_PICTURE_PIXELS:
                rule = f"must be at most {MAX_PICTURE_SIDE} pixels a side, and {MAX_PICTURE_PIXELS / 1e6:.0f} million in all"
                raise InputError("file", f"{image.width}×{image.height}", rule)
            image.load()
            kind = "jpeg" if image.format == "JPEG" else "png"
            return image.convert("RGB" if kind == "jpeg" else "RGBA"), kind
    except (UnidentifiedImageError, OSError, SyntaxError, Image.DecompressionBombError) as problem:
        raise InputError("file", file.name or "file", "must be a picture: PNG, JPEG, WebP or GIF") from problem
