"""Every page and every form, sent what nobody should send: an answer each time, never an error page."""

from __future__ import annotations

import inspect
import os
import re
import sys
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import cycle
from typing import Any, TypeVar

import pytest
from fastapi.routing import APIRoute

from tests.conftest import add_patient, visit_at_checkout
from tests.web.conftest import Browser
from zax.core.form import Form
from zax.desk.acts.transaction import Desk
from zax.desk.moving.lists import LISTS
from zax.web.app import ROOMS

NUMBERS = ["0", "-1", "1", "2147483648", "99999999999999999999999", "9" * 400]
TEXTS = [
    *(
        "",
        " ",
        "0",
        "-1",
        "1.5",
        "1e308",
        "1e999999",
        "NaN",
        "Infinity",
        "987654321",
        "9" * 23,
        "9" * 400,
        "x" * 100,
        "x" * 5000,
    ),
    *(
        "0001-01-01",
        "9999-12-31",
        "2026-02-30",
        "1899-12-31",
        "2201-01-01",
        "12/31/9999",
        "1/1/1",
        "24:00",
        "99:99",
    ),
    *(
        "'",
        '"',
        "\\",
        "%",
        "_",
        "<b>",
        "{{ 1 }}",
        "\x00",
        "a\x00b",
        "\r\n",
        "é",
        "€",
        "李",
        "😀",
        "\u202e",
        "ﬁ",
        "٣٤",
    ),
    *(
        "true",
        "null",
        "None",
        "[]",
        "{}",
        '{"a": 1}',
        "[[[1e999, 1]]]",
        "[[[NaN, 1]]]",
        "1,2,3",
        "1|2|3",
        "1:2",
        "-",
    ),
    *(
        "../../etc/passwd",
        "//evil.example",
        "/day",
        "=1+1",
        "@SUM(1)",
        ";",
        "--",
        "a b c d e",
        "2026-11-24|x|y|z|1",
    ),
]


# Some of it is good setup: the tables are put back.
pytestmark = pytest.mark.usefixtures("setup")


# Every so manieth route is a test of its own, so that they are shared by all workers.
SHARES = range(4)
# Each route meets every third value, the next route the next third: all of them together some ten thousand
# tries. ZAX_EVERY_VALUE=1 sends every value everywhere, which takes three times as long.
STRIDE = 1 if os.environ.get("ZAX_EVERY_VALUE") else 3
Value = TypeVar("Value")


def some(values: Sequence[Value], turn: int) -> Sequence[Value]:
    """The values whose turn it is."""
    return values[turn % STRIDE :: STRIDE]


def routes(method: str, share: int | None = None) -> Iterator[APIRoute]:
    found = [
        route
        for room in ROOMS
        for route in room.router.routes
        if isinstance(route, APIRoute) and method in route.methods
    ]
    return iter(found if share is None else found[share :: len(SHARES)])


def path_with(route: APIRoute, value: str) -> str:
    path = route.path
    for each in route.dependant.path_params:
        path = path.replace("{" + each.name + "}", value)
    return path


def fields_of(route: APIRoute) -> set[str]:
    """The names of every form that the route's module reads, and those it reads by name."""
    module = sys.modules[route.endpoint.__module__]
    shapes = [each for each in vars(module).values() if inspect.isclass(each) and issubclass(each, Form)]
    names = {field.validation_alias or name for shape in shapes for name, field in shape.model_fields.items()}
    by_name = re.findall(r'form\["(\w+)"\]', inspect.getsource(module))
    return {str(name) for name in names} | set(by_name) | {"back", "once"}


def trouble(ask: Callable[[], Any]) -> str:
    try:
        answer = ask()
    except Exception as error:  # noqa: BLE001
        return f"{type(error).__name__}: {str(error)[:150]}"
    return f"status {answer.status_code}" if answer.status_code >= 500 else ""


# After these nobody is signed in, and what is sent next is answered by the sign-in alone.
ENDS = {"/sign-out", "/sign-in", "/lock", "/switch"}


@pytest.mark.slow
@pytest.mark.parametrize("share", SHARES)
def test_every_form_takes_anything(sam: Browser, desk: Desk, share: int) -> None:
    patient = add_patient(desk, 1)
    visit = visit_at_checkout(desk, patient, dental=True)
    numbers = cycle(("1", str(patient), str(visit)))
    failed = []
    for turn, route in enumerate(routes("POST", share)):
        if route.path in ENDS:
            continue
        names = fields_of(route)
        # So many values that each number is sent with every kind of them.
        for value, number in zip(some(TEXTS, turn), numbers, strict=False):
            why = trouble(partial(sam.post, path_with(route, number), **dict.fromkeys(names, value)))
            if why:
                failed.append((route.path, value[:30], number, why))
    assert failed == []


# Of the values above those that broke something once, one kind each.
WORST = ["x" * 5000, "9" * 23, "9999-12-31", "😀", "[[[1e999, 1]]]"]


@pytest.mark.slow
@pytest.mark.parametrize("share", SHARES)
def test_every_field_by_itself_takes_the_worst(sam: Browser, desk: Desk, share: int) -> None:
    """The other fields hold what gets furthest, so that it is this field that is looked at."""
    patient = add_patient(desk, 1)
    visit_at_checkout(desk, patient, dental=True)
    failed = []
    for route in routes("POST", share):
        if route.path in ENDS:
            continue
        names = fields_of(route)
        for turn, name in enumerate(sorted(names)):
            for value in some(WORST, turn + share):
                sent = dict.fromkeys(names - {"once", "back"}, "1") | {name: value}
                why = trouble(partial(sam.post, path_with(route, str(patient)), **sent))
                if why:
                    failed.append((route.path, name, value[:30], why))
    assert failed == []


CONTENTS = [
    *(b"", b"%PDF-1.7\n", b"\x89PNG\r\n\x1a\n", b"ISA*00*", b"\xff\xfe\x00", b"{}", b"a,b\n1"),
    *(
        b"PK\x03\x04",
        b"PK\x05\x06" + bytes(18),
        b"BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART:9\n",
        b"BEGIN:VCARD\n",
    ),
]
UPLOADS = [
    ("/patients/{patient}/files", "file"),
    ("/patients/{patient}/photo", "photo"),
    ("/import", "file"),
    ("/claims/import", "file"),
]


@pytest.mark.slow
@pytest.mark.parametrize(
    "name", ["€.pdf", "x" * 300 + ".png", "../../etc/passwd", "a\r\nb.csv", "", "😀", "a\x00b"]
)
def test_every_upload_takes_anything(sam: Browser, desk: Desk, name: str) -> None:
    patient = add_patient(desk, 1)
    failed = []
    for content in CONTENTS:
        for path, field in UPLOADS:
            at = path.format(patient=patient)
            files = {field: (name, content, "application/octet-stream")}
            for kind in (*LISTS, "1") if path == "/import" else ("1",):
                data = {"csrf": sam.token, "title": name, "kind": kind, "list": kind}
                why = trouble(partial(sam.client.post, at, data=data, files=files, follow_redirects=False))
                if why:
                    failed.append((at, kind, content, why))
    assert failed == []


@pytest.mark.slow
@pytest.mark.parametrize("share", SHARES)
def test_every_address_takes_anything(sam: Browser, desk: Desk, share: int) -> None:
    patient = add_patient(desk, 1)
    visit_at_checkout(desk, patient, dental=True)
    failed = []
    for turn, route in enumerate(routes("GET", share)):
        if "events" in route.path or route.path in {"/live", "/healthz"}:
            continue
        queries = [each.alias for each in route.dependant.query_params]
        for value in some(NUMBERS, turn):
            why = trouble(partial(sam.get, path_with(route, value)))
            if why:
                failed.append((route.path, value[:30], "path", why))
        for value in some(TEXTS, turn) if queries else ():
            why = trouble(partial(sam.get, path_with(route, "1"), params=dict.fromkeys(queries, value)))
            if why:
                failed.append((route.path, value[:30], "query", why))
    assert failed == []
