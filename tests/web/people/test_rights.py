"""Who may see and do what: every route has a rule, and every role that lacks its right is turned away at the
door, whatever it sends.
"""

from __future__ import annotations

import ast
import inspect
import textwrap
from collections.abc import Callable, Iterator
from functools import cache

import pytest
from fastapi.routing import APIRoute

from tests.conftest import add_patient, visit_at_checkout
from tests.web.conftest import Browser
from zax.core.people.roles import RIGHT_WORDS, SHIPPED
from zax.desk.acts.transaction import Desk
from zax.web.app import ROOMS

SIGN_IN = {"receptionist": "juno", "biller": "odile", "clinician": "ines"}
# Open to whoever has the link, the code, the device or the gateway's secret; each is tried where it is made.
OPEN = {
    *(
        "ask",
        "calendar",
        "callbacks",
        "feed",
        "join",
        "live",
        "locked",
        "my",
        "open",
        "p",
        "register",
        "sign-in",
    ),
    *(".well-known", "readyz"),
    *("sign-out", "switch", "tablet", "unlock", "v", "wall", "lock", ""),
}
SELF = {"me"}
# The right depends on the kind of paper; `papers.send` names it for each.
BY_KIND = {"send"}


def routes() -> Iterator[APIRoute]:
    for room in ROOMS:
        for route in room.router.routes:
            if isinstance(route, APIRoute):
                yield route


def rights_of(endpoint: Callable[..., object], depth: int = 2) -> set[str]:
    """The rights that a page asks for, as it is written: `enter(request, "claims")`, here or in what it
    calls.
    """
    module = inspect.getmodule(endpoint)
    found: set[str] = set()
    called: set[str] = set()
    for node in ast.walk(_tree(endpoint)):
        if not isinstance(node, ast.Call):
            continue
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        if name in {"enter", "enter_self"}:
            given = node.args[1] if len(node.args) > 1 else None
            if name == "enter_self":
                found.add("")
            elif given is None:
                found.add("see")
            elif isinstance(given, ast.Constant):
                found.add(str(given.value))
        elif name:
            called.add(name)
    if found or not depth:
        return found
    for name in called:
        other = getattr(module, name, None)
        if inspect.isfunction(other) and inspect.getmodule(other) is module:
            found |= rights_of(other, depth - 1)
    return found


@cache
def _tree(function: Callable[..., object]) -> ast.AST:
    return ast.parse(textwrap.dedent(inspect.getsource(function)))


def first_part(route: APIRoute) -> str:
    return route.path.split("/")[1]


def test_no_route_is_without_a_rule() -> None:
    without = {
        route.path
        for route in routes()
        if first_part(route) not in OPEN | SELF | BY_KIND and not rights_of(route.endpoint) - {""}
    }
    assert without == set()


def test_every_rule_is_a_right_that_there_is() -> None:
    asked = {right for route in routes() for right in rights_of(route.endpoint)} - {""}
    assert asked <= RIGHT_WORDS.keys()
    assert asked >= {"see", "book", "payments", "claims", "setup", "people", "audit"}


def closed_to(key: str) -> list[APIRoute]:
    """The routes whose rights the role lacks, every one of them."""
    role = SHIPPED[key]
    return [
        route for route in routes() if (asked := rights_of(route.endpoint) - {""}) and not asked & role.rights
    ]


@pytest.mark.parametrize("key", SIGN_IN)
def test_whoever_lacks_a_right_is_turned_away_at_every_door(web: Browser, desk: Desk, key: str) -> None:
    patient = add_patient(desk, 1)
    visit_at_checkout(desk, patient, dental=True)
    web.sign_in(SIGN_IN[key])
    doors = closed_to(key)
    assert len(doors) > 20
    let_in = []
    for route in doors:
        path = _filled(route)
        for method in sorted(route.methods & {"GET", "POST"}):
            answer = (
                web.get(path) if method == "GET" else web.post(path, once=f"{key}{len(let_in)}{path}"[:40])
            )
            if answer.status_code not in {403, 404, 422}:
                let_in.append((method, path, answer.status_code))
    assert let_in == []


def _filled(route: APIRoute) -> str:
    path = route.path
    for name in route.param_convertors:
        path = path.replace(f"{{{name}}}", "1").replace(f"{{{name}:path}}", "1")
    return path


def test_nobody_gets_anywhere_without_signing_in(web: Browser) -> None:
    got_in = []
    for route in routes():
        if first_part(route) in OPEN:
            continue
        path = _filled(route)
        for method in sorted(route.methods & {"GET", "POST"}):
            answer = web.get(path) if method == "GET" else web.post(path)
            signed_out = answer.status_code in {401, 403, 404, 422} or (
                answer.status_code == 303 and answer.headers["location"].startswith("/sign-in")
            )
            if not signed_out:
                got_in.append((method, path, answer.status_code))
    assert got_in == []
