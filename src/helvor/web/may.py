"""Who may use a route, said where the route is written. A route that does not say it does not start.

This is about what somebody is. Whose a page, a class or a file is the notebook asks with each statement, so that a
route that is open to benches is still closed to the bench next door.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from enum import Enum
from typing import Any, TypeVar

from fastapi.dependencies.models import Dependant
from fastapi.routing import APIRoute

_Endpoint = TypeVar("_Endpoint", bound=Callable[..., Any])


class May(Enum):
    """Who may use a route."""

    PUBLIC = "everybody, signed in or not; nothing of anybody's is in it"
    ANYBODY = "anybody who is signed in, a bench's tablet too"
    BENCH = "the bench whose page it is, and the staff of its class"
    STAFF = "instructors and assistants, of the class where there is one"
    INSTRUCTORS = "instructors, of the class where there is one"

    def role(self, role: str) -> bool:
        """Whether an account's role fits: ``instructor``, ``assistant`` or ``bench``."""
        if self is May.STAFF:
            return role != "bench"
        return role == "instructor" if self is May.INSTRUCTORS else True


def may(who: May) -> Callable[[_Endpoint], _Endpoint]:
    """Say who may use the route of the function below."""

    def said(endpoint: _Endpoint) -> _Endpoint:
        endpoint.may = who  # type: ignore[attr-defined]  # a mark of ours on the function
        return endpoint

    return said


def declared(endpoint: object) -> May | None:
    """What a route's function says of who may use it."""
    found = getattr(endpoint, "may", None)
    return found if isinstance(found, May) else None


class NotDeclared(RuntimeError):
    """A route does not say who may use it, or does not ask who uses it."""


def check(routes: Iterable[object], asks: Callable[..., Any]) -> None:
    """Refuse to start with a route whose declaration is missing, or would not be asked.

    Args:
        asks: the dependency that finds out who is asking, and holds them against the declaration.

    Raises:
        NotDeclared: with the route's address.
    """
    for route in routes:
        if not isinstance(route, APIRoute):
            continue
        who, name = declared(route.endpoint), f"{'/'.join(sorted(route.methods or ()))} {route.path}"
        if who is None:
            raise NotDeclared(f"{name} does not say who may use it: web/may.py")
        if (who is May.PUBLIC) == _asked(route.dependant, asks):
            raise NotDeclared(f"{name} is for {who.value}, and does not ask accordingly")


def _asked(dependant: Dependant, asks: Callable[..., Any]) -> bool:
    return dependant.call is asks or any(_asked(one, asks) for one in dependant.dependencies)
