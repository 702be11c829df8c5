"""Every form carries a key of its own: pressed six times, it is done once; refused, it can be sent again."""

from __future__ import annotations

import re
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest
from fastapi.routing import APIRoute

from tests.conftest import JUNO, SAM, add_patient, scalar, visit_at_checkout
from tests.desk.paying import agrees, items_of
from tests.web.conftest import Browser, hidden
from zax.core.errors import DoneBefore, NotAllowed, Refused
from zax.desk.acts.actor import Actor, Once
from zax.desk.acts.transaction import Desk
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.corrections import OffForm, give_discount, write_off
from zax.desk.worker.beats import prune_feed
from zax.web.app import ROOMS
from zax.web.shell.request_context import posted_form

WEB = Path(__file__).parents[3] / "src" / "zax" / "web"
# Nobody is signed in: the sign-in itself, invitations, a new clinic; the page behind a link, where pressing
# twice is once; what gateways tell, where each has its own key.
WITHOUT = {
    "/sign-in",
    "/sign-in/code",
    "/sign-in/forgot",
    "/sign-in/passkey",
    "/sign-in/passkey/begin",
    "/switch",
    "/join/{token}",
    "/open/{key}",
    "/v/{link}",
    "/p/{link}",
    "/ask/who",
    "/ask/code/{number}",
    "/ask/done/{link}",
    "/ask/move/{link}",
    "/callbacks/messages",
    "/register",
    "/register/code/{number}",
    "/register/{link}",
    "/register/{link}/{key}",
    "/my/sign-in",
    "/my/code/{number}",
    "/my/s/{link}",
    "/my/sign-out",
    "/my/for",
    "/my/fill-in",
    "/my/visits/{visit_id}",
    "/my/visits/{visit_id}/move",
    "/my/pay",
    "/my/pay/{key}",
    "/my/messages",
    "/my/settings",
    "/my/password",
    "/my/elsewhere",
    "/ask/deposit/{link}",
    "/ask/deposit/{link}/{key}",
    "/tablet",
    "/tablet/next",
    "/tablet/touch",
}


def test_every_posting_route_reads_its_form_with_its_key() -> None:
    without = set()
    for room in ROOMS:
        for route in room.router.routes:
            if isinstance(route, APIRoute) and "POST" in route.methods:
                calls = {each.call for each in route.dependant.dependencies}
                if posted_form not in calls:
                    without.add(route.path)
    assert without == WITHOUT


def test_every_form_on_every_page_carries_token_and_key() -> None:
    forms = 0
    for template in WEB.rglob("*.html"):
        text = template.read_text()
        for found in re.finditer(r'<form[^>]*method="post"(.*?)</form>', text, re.S):
            forms += 1
            assert re.search(r"csrf_field\(|hidden\(", found[1]), (template.name, found[0][:80])
        assert 'name="csrf"' not in text, template.name
    assert forms > 100


@pytest.fixture
def owing(desk: Desk) -> tuple[int, int]:
    """Somebody who owes 286.00; the patient and the line."""
    patient = add_patient(desk)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, dental=True))
    return patient, items_of(desk, patient).lines[0].line_id


def off(line: int, amount: str, **more: object) -> OffForm:
    return OffForm(**({"line_id": str(line), "amount": amount, "reason_id": "1", "why": "x"} | more))


def test_a_write_off_pressed_six_times_at_once_is_one(
    sam: Browser, desk: Desk, owing: tuple[int, int]
) -> None:
    patient, line = owing
    charge = scalar(desk, "SELECT MAX(id) FROM journal WHERE kind = 'charge'")
    page = sam.get(f"/accounts/{patient}/why/e{charge}").text
    form = {
        "do": "write-off",
        "line_id": line,
        "at": f"e{charge}",
        "amount": "10",
        "reason_id": "1",
        "why": "x",
    }
    once = hidden(page, "once")
    from_there = {"Referer": f"http://127.0.0.1/accounts/{patient}?by=date"}
    token = sam.token

    def press(_: int) -> tuple[int, str]:
        data = {name: str(value) for name, value in ({"csrf": token, "once": once} | form).items()}
        answer = sam.client.post(
            f"/accounts/{patient}/correct", data=data, headers=from_there, follow_redirects=False
        )
        return answer.status_code, answer.headers["location"]

    with ThreadPoolExecutor(6) as pool:
        answers = list(pool.map(press, range(6)))
    assert {code for code, _ in answers} == {303}
    assert f"/accounts/{patient}?by=date" in {to for _, to in answers}
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'writeoff'") == 1 and agrees(desk)
    again = sam.get(f"/accounts/{patient}/why/e{charge}").text
    assert hidden(again, "once") != once  # the same thing once more on purpose is a new form


def test_a_refused_form_leaves_its_key_free_and_a_second_act_of_one_form_is_another(
    desk: Desk, owing: tuple[int, int]
) -> None:
    _, line = owing

    def sent(key: str) -> Actor:
        return replace(SAM, once=Once(key))

    with pytest.raises(Refused):
        write_off(desk, sent("a"), off(line, "10", reason_id="0"))
    person = sent("a")
    write_off(desk, person, off(line, "10"))
    write_off(desk, person, off(line, "5"))
    with pytest.raises(DoneBefore):
        write_off(desk, sent("a"), off(line, "10"))
    assert scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE kind = 'writeoff'") == -1_500


def test_many_small_write_offs_are_no_way_round_the_limit(desk: Desk, owing: tuple[int, int]) -> None:
    _, line = owing
    write_off(desk, JUNO, off(line, "15"))
    give_discount(desk, JUNO, off(line, "5"))
    with pytest.raises(NotAllowed, match=r"20\.00 was done today already"):
        write_off(desk, JUNO, off(line, "5.01"))
    write_off(desk, JUNO, off(line, "5"))
    write_off(desk, SAM, off(line, "100"))  # what somebody else may do is not counted against it
    with pytest.raises(NotAllowed):
        give_discount(desk, JUNO, off(line, "0.01"))


def test_keys_of_forms_are_forgotten_once_no_page_can_hold_them(desk: Desk, owing: tuple[int, int]) -> None:
    _, line = owing
    write_off(desk, replace(SAM, once=Once("old")), off(line, "1"))
    prune_feed(desk, timedelta(days=-1))
    assert scalar(desk, "SELECT COUNT(*) FROM form_done") == 0
