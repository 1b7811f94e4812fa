"""A second factor: codes that a phone makes from a secret (TOTP, RFC 6238), and codes for when the phone is lost."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime

import pyotp
import segno
from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.models import SecondFactor, User
from neat_verdict.core.checks import InputError

ISSUER = "Neat Verdict"
RECOVERY_CODES = 10
STEP = 30  # seconds (RFC 6238, section 5.2)
_DRIFT = 1  # steps by which a phone's clock may be wrong
_ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz"  # without what is mistaken for something else


def has_second_factor(user: User) -> bool:
    """Whether signing in asks for a code."""
    return SecondFactor.objects.filter(user=user, confirmed_at__isnull=False).exists()


def codes_left(user: User) -> int:
    """How many codes for a lost phone were not used yet."""
    found = SecondFactor.objects.filter(user=user, confirmed_at__isnull=False).first()
    return len(found.recovery) if found else 0


@transaction.atomic
def begin(user: User) -> tuple[str, str]:
    """A secret for the person's phone, and its address (``otpauth:``); nothing asks for it before `confirm`.

    Raises Conflict where there is one already."""
    if has_second_factor(user):
        raise Conflict("There is a second factor already; remove it first")
    secret = pyotp.random_base32()
    SecondFactor.objects.update_or_create(user=user, defaults={"secret": secret, "last_step": 0, "recovery": []})
    return secret, pyotp.TOTP(secret).provisioning_uri(name=user.username, issuer_name=ISSUER)


def picture_of(address: str) -> str:
    """The address as a QR code (ISO/IEC 18004): an SVG picture as a ``data:`` address."""
    return segno.make(address, micro=False).svg_data_uri(scale=4, border=2, dark="#1b2521", light="#ffffff")


@transaction.atomic
def confirm(user: User, code: str) -> list[str]:
    """From now on signing in asks for a code; returns those for a lost phone, which are shown once. Raises Conflict where nothing
    was begun, InputError for a code that is not that of the secret now."""
    found = SecondFactor.objects.select_for_update().filter(user=user, confirmed_at__isnull=True).first()
    if found is None:
        raise Conflict("There is nothing to confirm; begin with a new secret")
    step = step_of(found.secret, code, clock.now(), found.last_step)
    if step is None:
        raise InputError(
            "code", code[:20], "must be the six digits that the app shows now; is the phone’s clock right?"
        )
    codes = _new_codes(found)
    found.confirmed_at, found.last_step = clock.now(), step
    found.save()
    note(user, user, "second factor", "Signing in asks for a second factor from now on")
    return codes


@transaction.atomic
def renew_codes(user: User) -> list[str]:
    """Other codes for a lost phone; those before open nothing any more. Raises Conflict without a second factor."""
    found = SecondFactor.objects.select_for_update().filter(user=user, confirmed_at__isnull=False).first()
    if found is None:
        raise Conflict("There is no second factor")
    codes = _new_codes(found)
    found.save()
    note(user, user, "second factor", "Made other recovery codes")
    return codes


@transaction.atomic
def remove(by: User, user: User) -> None:
    """Signing in asks for no code any more. Raises Conflict without a second factor."""
    if not SecondFactor.objects.filter(user=user, confirmed_at__isnull=False).delete()[0]:
        raise Conflict("There is no second factor")
    whose = "" if by == user else f" of {user.username}"
    note(by, user, "second factor", f"Removed the second factor{whose}")


@transaction.atomic
def accepts(user: User, code: str) -> bool:
    """Whether a code opens: that of the phone, once, or one for a lost phone, which is used up by that."""
    found = SecondFactor.objects.select_for_update().filter(user=user, confirmed_at__isnull=False).first()
    if found is None:
        return True
    step = step_of(found.secret, code, clock.now(), found.last_step)
    if step is not None:
        found.last_step = step
        found.save(update_fields=["last_step"])
        return True
    digest = _digest(code)
    if digest not in found.recovery:
        return False
    found.recovery = [one for one in found.recovery if one != digest]
    found.save(update_fields=["recovery"])
    note(user, user, "second factor", f"Signed in with a recovery code; {len(found.recovery)} are left")
    return True


def step_of(secret: str, code: str, moment: datetime, after: int) -> int | None:
    """The time step of a code (RFC 6238) that is that of now, or of one step before or after, and later than step ``after``; None
    where it is of none."""
    typed = "".join(code.split())
    now = int(moment.timestamp()) // STEP
    for step in range(now - _DRIFT, now + _DRIFT + 1):
        if step > after and secrets.compare_digest(pyotp.HOTP(secret).at(step).encode(), typed.encode()):
            return step
    return None


def _new_codes(found: SecondFactor) -> list[str]:
    codes = [
        "-".join("".join(secrets.choice(_ALPHABET) for _ in range(5)) for _ in range(2)) for _ in range(RECOVERY_CODES)
    ]
    found.recovery = [_digest(code) for code in codes]
    return codes


def _digest(code: str) -> str:
    # Ten characters of thirty-one, drawn at random, are not guessed from a digest.
    return hashlib.sha256("".join(code.lower().replace("-", "").split()).encode()).hexdigest()
