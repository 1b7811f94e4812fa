"""Links to a page by which the script there does something for whoever follows them: signed, not stored, ending by themselves."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from urllib.parse import urlsplit, urlunsplit

from django.core import signing

from neat_verdict.app import clock
from neat_verdict.app.http.problems import Gone
from neat_verdict.core.checks import InputError


@dataclass(frozen=True, slots=True)
class SignedLink:
    """Where it leads, and until when."""

    address: str
    expires_at: datetime


@dataclass(frozen=True, slots=True)
class LinkKind:
    """What links are for; a link of one kind is none of another. ``parameter`` is its name in the address, where the script finds
    it; the others are the words of refusals."""

    parameter: str
    purpose: str
    stranger: str
    expired: str

    def to(self, address: str, expires_at: datetime, *names: int) -> SignedLink:
        """A link that carries numbers, such as that of a variant."""
        token = self._signer.sign("-".join(str(part) for part in (*names, int(expires_at.timestamp()))))
        parts = urlsplit(address)
        query = f"{parts.query}&" if parts.query else ""
        return SignedLink(urlunsplit(parts._replace(query=f"{query}{self.parameter}={token}")), expires_at)

    def read(self, token: str) -> tuple[list[int], datetime]:
        """The numbers that a link carries, and until when. Raises InputError for one that was never made, Gone for one that has
        expired."""
        try:
            *names, until = (int(part) for part in self._signer.unsign(token).split("-"))
        except (signing.BadSignature, ValueError) as bad:
            raise InputError("token", token[:80], self.stranger) from bad
        expires_at = datetime.fromtimestamp(until, UTC)
        if expires_at <= clock.now():
            raise Gone(self.expired)
        return names, expires_at

    @property
    def _signer(self) -> signing.Signer:
        return signing.Signer(salt=self.purpose, sep="~")
