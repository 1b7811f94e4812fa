"""The person behind a request."""

from django.http import HttpRequest

from neat_verdict.app.people.models import User


def person(request: HttpRequest) -> User:
    """The signed-in account; the API lets no other request through."""
    assert isinstance(request.user, User)
    return request.user
