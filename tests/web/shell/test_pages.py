"""Pages over HTTP: access, safety, errors beside their fields, and nothing typed lost."""

import re
from html import unescape

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, TODAY, add_patient, order, scalar, state_of, visit_at_checkout
from tests.web.conftest import Browser, hidden
from tests.x12_samples import remittance
from zax.core.errors import NotFound
from zax.core.people.roles import Role
from zax.core.wording import money_words, span_words
from zax.demo.world import PASSWORD, TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.day.checkout import finish_checkout
from zax.web.shell import keys
from zax.web.shell.screens import SCREENS, find_screens

BOOKING = {
    "day": TODAY,
    "provider_id": 5,
    "at": "14:00",
    "type_id": TYPE_ID["Sick visit"],
    "minutes": 30,
    "key": "k1",
}


def test_nobody_sees_anything_without_signing_in(web: Browser) -> None:
    for path in (
        "/day",
        "/book",
        "/patients",
        "/money",
        "/claims",
        "/accounts/1",
        "/patients/1",
        "/visits/1/checkout",
    ):
        answer = web.get(path)
        assert (answer.status_code, answer.headers["location"].split("?")[0]) == (303, "/sign-in"), path
    assert web.get("/live").status_code == 401
    fragment = web.get("/day", headers={"HX-Request": "true", "X-Live": "1"})
    assert (fragment.status_code, fragment.headers["hx-redirect"]) == (401, "/sign-in")


def test_signing_in_leads_back_to_where_one_wanted(web: Browser) -> None:
    page = web.get("/sign-in?to=/book%3Fday=2026-11-25").text
    assert hidden(page, "to") == "/book?day=2026-11-25"
    answer = web.post("/sign-in", name="juno", password=PASSWORD, to="/book?day=2026-11-25")
    assert answer.headers["location"] == "/book?day=2026-11-25"
    assert web.get("/sign-in?to=//evil.example").text.count("evil") == 0
    wrong = web.post("/sign-in", name="juno", password="no", to="/day")
    assert wrong.status_code == 422
    assert "don’t match" in wrong.text and 'value="juno"' in wrong.text


def test_every_answer_carries_the_safety_headers(juno: Browser) -> None:
    for path in ("/day", "/nowhere", "/sign-in", "/static/shell/base.css"):
        headers = juno.get(path).headers
        assert "default-src 'self'" in headers["content-security-policy"]
        assert "unsafe" not in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
    assert juno.get("/day").headers["cache-control"] == "no-store"


def test_pages_have_nothing_inline(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    patient_id = scalar(desk, "SELECT id FROM patient")
    for path in (
        "/day",
        f"/day?visit={visit_id}",
        "/book",
        "/book?provider=5&at=15:00",
        f"/visits/{visit_id}/charges",
        f"/visits/{visit_id}/checkout",
        f"/accounts/{patient_id}",
        f"/patients/{patient_id}",
        "/money",
        "/keys",
        "/patients",
    ):
        answer = juno.get(path)
        assert answer.status_code == 200, path
        assert not re.search(r"\sstyle=|\son\w+=|<style|javascript:", answer.text), path
        assert all("src=" in tag for tag in re.findall(r"<script[^>]*>", answer.text)), path


def test_a_form_without_the_browsers_token_is_refused(juno: Browser, desk: Desk) -> None:
    patient_id = add_patient(desk)
    answer = juno.client.post(
        "/book",
        data={"csrf": "forged", "patient_id": str(patient_id), **{k: str(v) for k, v in BOOKING.items()}},
    )
    assert answer.status_code == 403
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 0


def test_booking_shows_the_visit_on_the_book(juno: Browser, desk: Desk) -> None:
    patient_id = add_patient(desk)
    answer = juno.post("/book", patient_id=patient_id, **BOOKING)
    assert answer.status_code == 303
    page = juno.get(answer.headers["location"]).text
    assert "Helen Vasquez" in page and "Sick visit" in page and "Booked." in page


def test_wrong_fields_come_back_with_messages_and_everything_typed(juno: Browser) -> None:
    answer = juno.post(
        "/book",
        **(BOOKING | {"at": "9:00"}),
        first="Ana",
        last="",
        birth="11/25/2026",
        phone="12",
        note="<b>hello</b>",
    )
    assert answer.status_code == 422
    assert 'id="err-at"' in answer.text and "has passed" in answer.text
    assert 'value="Ana"' in answer.text and 'value="11/25/2026"' in answer.text
    assert "&lt;b&gt;hello&lt;/b&gt;" in answer.text and "<b>hello</b>" not in answer.text
    again = juno.post("/book", **BOOKING, first="Ana", last="", birth="11/25/2026", phone="12")
    for field in ("last", "birth", "phone"):
        assert f'id="err-{field}"' in again.text


def test_a_collision_answers_409_and_keeps_the_form(juno: Browser, desk: Desk) -> None:
    book_visit(desk, JUNO, order(add_patient(desk)))
    patient_id = add_patient(desk, first="Ben")
    answer = juno.post("/book", patient_id=patient_id, **BOOKING)
    assert answer.status_code == 409
    assert "by Helen Vasquez" in answer.text and "<b>Ben Vasquez</b>" in answer.text


@pytest.mark.parametrize(
    ("path", "status"),
    [
        ("/visits/99999999", 404),
        ("/visits/abc", 404),
        ("/nowhere", 404),
        ("/day?day=soon", 404),
        ("/accounts/99999999", 404),
        ("/patients/99999999", 404),
        ("/claims", 403),
        ("/claims/1", 403),
        ("/files/1", 403),
        ("/day?visit=99999999", 404),
        ("/visits/99999999/receipt.pdf", 404),
    ],
)
def test_unknown_things_and_other_roles_pages(juno: Browser, path: str, status: int) -> None:
    answer = juno.get(path)
    assert answer.status_code == status
    assert "Not allowed" in answer.text


def test_roles_see_only_their_entries(web: Browser) -> None:
    page = web.sign_in("ines").get("/day").text
    assert 'href="/book"' in page
    for hidden_entry in ('href="/claims"', 'href="/money"', "Book a visit"):
        assert hidden_entry not in page
    assert web.get("/money").status_code == 403


def test_an_expired_session_in_the_middle_of_a_form_loses_nothing(juno: Browser, desk: Desk) -> None:
    patient_id = add_patient(desk)
    juno.get("/book")
    del juno.client.cookies["zax_session"]
    answer = juno.post("/book", patient_id=patient_id, note="wants a “window” chair", **BOOKING)
    assert answer.status_code == 401
    assert "What you typed is saved" in answer.text
    kept = hidden(answer.text, "kept").replace("&#34;", '"').replace("&quot;", '"')
    resend = juno.post("/sign-in", name="juno", password=PASSWORD, to=hidden(answer.text, "to"), kept=kept)
    assert resend.status_code == 200
    fields = {
        name: hidden(resend.text, name)
        for name in ("day", "provider_id", "at", "type_id", "minutes", "key", "patient_id", "note")
    }
    assert fields["note"] == "wants a “window” chair"
    assert juno.post("/book", **fields).status_code == 303
    assert scalar(desk, "SELECT note FROM visit") == "wants a “window” chair"


def test_a_refused_step_shows_on_the_page_it_was_pressed_on(juno: Browser, desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    answer = juno.post(f"/visits/{visit_id}/act/check-in", version=7, back="/day")
    assert answer.status_code == 409
    assert "You’re seeing the latest now" in answer.text and re.search(r"<h1>\s*Tuesday", answer.text)
    canceled = juno.post(
        f"/visits/{visit_id}/act/cancel", reason="", back=f"/book?day={TODAY}&visit={visit_id}"
    )
    assert canceled.status_code == 422 and "Choose why the visit is canceled" in canceled.text
    assert juno.post(f"/visits/{visit_id}/act/dance", back="/day").status_code == 404
    outside = juno.post(f"/visits/{visit_id}/act/check-in", back="https://evil.example/x")
    assert outside.headers["location"] == "/day"


def test_finishing_a_visit_without_charges_asks_for_the_reason(juno: Browser, desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    for act in ("check-in", "to-room"):
        assert juno.post(f"/visits/{visit_id}/act/{act}", back="/day").status_code == 303
    line_id = scalar(desk, "SELECT id FROM charge_line")
    assert juno.post(f"/visits/{visit_id}/charges/remove", line_id=line_id).status_code == 303
    answer = juno.post(f"/visits/{visit_id}/act/finish", back=f"/visits/{visit_id}/charges", reason="")
    assert answer.status_code == 422
    assert 'id="err-reason"' in answer.text
    assert state_of(desk, visit_id) == "room"


def test_charges_are_added_changed_and_removed(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    base = f"/visits/{visit_id}/charges"
    assert (
        "White filling, back, one surface" in juno.get(f"/visits/{visit_id}/services?what=fillng%20one").text
    )
    assert "D2740" in juno.get(f"/visits/{visit_id}/services?what=d274").text
    assert juno.post(f"{base}/add", choice="", what="crown").status_code == 422
    assert juno.post(f"{base}/add", choice="service:12").status_code == 303
    line_id = scalar(desk, "SELECT MAX(id) FROM charge_line")
    wrong = juno.post(f"{base}/change", line_id=line_id, tooth="44", surfaces="", units="1", billed="yes")
    assert wrong.status_code == 422 and "There is no tooth “44”" in wrong.text and 'value="44"' in wrong.text
    assert (
        juno.post(
            f"{base}/change", line_id=line_id, tooth="14", surfaces="", units="1", billed=""
        ).status_code
        == 303
    )
    assert juno.post(f"{base}/remove", line_id=line_id).status_code == 303
    assert "Put it back" in juno.get(base).text
    assert juno.post(f"{base}/put-back", line_id=line_id).status_code == 303


def test_diagnoses_are_searched_and_kept(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    hits = juno.get(f"/visits/{visit_id}/diagnoses?diagnosis=cough").text
    assert "R05.1" in hits and "R05.2" in hits
    assert juno.post(f"/visits/{visit_id}/charges/add-diagnosis", code="J02").status_code == 422
    assert juno.post(f"/visits/{visit_id}/charges/add-diagnosis", code="R05.1").status_code == 303
    assert juno.post(f"/visits/{visit_id}/charges/remove-diagnosis", code="R05.1").status_code == 303


def test_favorite_diagnoses_are_offered_before_anything_is_typed(web: Browser, desk: Desk) -> None:
    ines = web.sign_in("ines")
    visit_id = visit_at_checkout(desk, add_patient(desk))
    offered = f"/visits/{visit_id}/diagnoses?diagnosis="
    assert "J02.9" not in ines.get(offered).text
    ines.post(f"/visits/{visit_id}/charges/add-diagnosis", code="J02.9")
    assert ines.post(f"/visits/{visit_id}/charges/favorite", code="J02.9", kept="yes").status_code == 303
    assert "J02.9" in ines.get(offered).text
    page = ines.get(f"/visits/{visit_id}/charges").text
    assert 'aria-pressed="true"' in page.split("J02.9", 1)[1]
    assert "J02.9" not in web.sign_in("juno").get(offered).text
    ines = web.sign_in("ines")
    ines.post(f"/visits/{visit_id}/charges/favorite", code="J02.9", kept="")
    assert "J02.9" not in ines.get(offered).text
    assert ines.post(f"/visits/{visit_id}/charges/favorite", code="Q99", kept="yes").status_code == 422


def test_paying_and_finishing_in_one_press(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    page = juno.get(f"/visits/{visit_id}/checkout").text
    assert "80 percent of $236.00 after $50.00 deductible" in page and "$97.20" in page
    form = {
        "tender": "check",
        "amount": "97.20",
        "key": hidden(page, "key"),
        "version": hidden(page, "version"),
        "receipt": "none",
        "do": "pay-finish",
    }
    wrong = juno.post(f"/visits/{visit_id}/checkout", **form, number="")
    assert wrong.status_code == 422 and "printed on the check" in wrong.text and 'value="97.20"' in wrong.text
    done = juno.post(f"/visits/{visit_id}/checkout", **form, number="1184")
    assert (done.status_code, done.headers["location"]) == (303, "/day")
    again = juno.post(f"/visits/{visit_id}/checkout", **(form | {"receipt": "print"}), number="1184")
    assert "Print the receipt" in juno.get(again.headers["location"]).text
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 1
    assert state_of(desk, visit_id) == "left"
    pdf = juno.get(f"/visits/{visit_id}/receipt.pdf")
    assert pdf.headers["content-type"] == "application/pdf" and pdf.content[:5] == b"%PDF-"


@pytest.mark.parametrize("amount", ["0", "-1", "10000000", "abc", ""])
def test_amounts_that_cannot_be(juno: Browser, desk: Desk, amount: str) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    answer = juno.post(f"/visits/{visit_id}/checkout", tender="cash", amount=amount, key="k", do="pay")
    assert answer.status_code == 422
    assert 'id="err-amount-1"' in answer.text
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 0


def test_finding_people_and_screens(juno: Browser, desk: Desk) -> None:
    add_patient(desk)
    assert "Vasquez, Helen" in juno.get("/find?q=vas").text
    assert 'href="/money"' in juno.get("/find?q=mon").text
    assert 'href="/claims"' not in juno.get("/find?q=cla").text
    assert "No one found" in juno.get("/find?q=zzzz").text
    assert "Vasquez, Helen" in juno.get("/book/people?who=0148").text
    assert "found for “vas”" in juno.get("/patients?q=vas").text


def test_a_new_patient_is_put_on_file_without_a_visit(juno: Browser, desk: Desk) -> None:
    page = juno.get("/patients/new?q=finch, otis").text
    assert 'value="Otis"' in page and 'value="Finch"' in page
    assert "/patients/new?q=zzyzx" in juno.get("/find?q=zzyzx").text
    form = {"first": "Otis", "last": "Finch", "birth": "5/3/1984", "phone": "360 555 0148"}
    wrong = juno.post("/patients/new", **form | {"birth": "soon"})
    assert wrong.status_code == 422 and 'id="err-birth"' in wrong.text and 'value="Otis"' in wrong.text
    there = juno.post("/patients/new", **form).headers["location"]
    assert "Otis Finch" in juno.get(there).text and scalar(desk, "SELECT COUNT(*) FROM visit") == 0


def test_book_a_visit_without_a_place_opens_the_first_free_time(juno: Browser) -> None:
    answer = juno.get("/book/new")
    assert re.search(r"/book\?day=2026-11-24&provider=\d&at=10:4[25]|at=10:45", answer.headers["location"])
    assert juno.get(answer.headers["location"]).status_code == 200
    assert juno.get("/book?day=2026-11-26").text.count("Thanksgiving") >= 1


def test_importing_files_by_hand(web: Browser, desk: Desk) -> None:
    odile = web.sign_in("odile")
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    finish_checkout(desk, JUNO, visit_id)
    number, line = scalar(desk, "SELECT number FROM claim"), scalar(desk, "SELECT id FROM charge_line")
    good = remittance(number, "AD:D2392", "286", "188.8", "CAS*PR*1*50**2*47.2", f"L{line}", trace="T901")

    def upload(content: str):  # type: ignore[no-untyped-def]
        return odile.client.post(
            "/claims/import",
            data={"csrf": odile.token},
            files={"file": ("x.835", content)},
            follow_redirects=False,
        )

    for content, says, status in (
        (good[:300], "damaged", 422),
        ("hello", "not an X12 file", 422),
        (remittance("NOBODY"), "", 303),
        (good, "", 303),
        (good, "imported before", 409),
    ):
        answer = upload(content)
        assert answer.status_code == status
        assert says in answer.text
    page = odile.get("/claims?show=answers").text
    assert "We have no claim NOBODY" in page
    claim_id = scalar(desk, "SELECT id FROM claim")
    assert "posted" in odile.get(f"/claims/{claim_id}").text
    assert odile.get(f"/files/{scalar(desk, 'SELECT MIN(id) FROM x12_file')}").text.startswith("ISA")
    assert odile.get("/claims?show=nonsense").status_code == 404
    assert "97.20" in odile.get(f"/accounts/{scalar(desk, 'SELECT id FROM patient')}").text
    assert "Collect $97.20" in odile.get("/money").text


def test_a_defect_says_its_number_and_nothing_more(juno: Browser, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("zax.web.money.account.account_of", lambda *_: 1 / 0)
    juno.client._transport.raise_server_exceptions = False
    answer = juno.get("/accounts/1")
    assert answer.status_code == 500
    assert re.search(r"this number: <b>[0-9a-f]{8}</b>", answer.text)
    assert "ZeroDivision" not in answer.text
    assert "content-security-policy" in answer.headers


def test_health_tells_database_and_worker(web: Browser, desk: Desk) -> None:
    from zax.desk.worker.beats import beat

    assert (web.get("/healthz").status_code, web.get("/healthz").json()["worker"]) == (503, "never started")
    beat(desk)
    assert web.get("/healthz").json() | {"worker_seconds_ago": 0} == {
        "database": "up",
        "worker": "up",
        "worker_seconds_ago": 0,
    }
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE beat SET at = at - INTERVAL 1 HOUR"))
    assert web.get("/healthz").json()["worker"] == "silent"


def test_the_map_of_keys_is_shown_and_no_group_says_a_key_twice(juno: Browser) -> None:
    """What may stand on one page together is tried in the browser, page by page."""
    for keys_of_group in keys.groups().values():
        presses = [key.press for key in keys_of_group]
        assert sorted(presses) == sorted(set(presses))
    assert len(keys.BY_NAME) == len(keys.KEYS)
    everywhere = {key.press for key in keys.groups()["Everywhere"]}
    assert not everywhere & {key.press for key in keys.KEYS if key.group not in {"Everywhere", keys.SCREENS}}
    page = unescape(juno.get("/keys").text)
    assert all(key.words in page for key in keys.KEYS)
    with pytest.raises(KeyError):
        keys.key_attributes("no such key")


@pytest.mark.parametrize(
    ("typed", "first"),
    [
        ("clos", "Close the day"),
        ("holi", "Closed days"),
        ("calendar", "Book"),
        ("setup form", "Forms"),
        ("dupl", "Likely duplicates"),
        ("free time", "Openings"),
    ],
)
def test_screens_are_found_by_what_people_call_them(typed: str, first: str) -> None:
    assert find_screens(typed, Role.MANAGER)[0].words == first


def test_screens_of_others_are_not_offered() -> None:
    assert not find_screens("setup", Role.RECEPTIONIST) and not find_screens("  ", Role.MANAGER)
    assert all(each.right != "setup" for each in find_screens("s", Role.RECEPTIONIST))


def test_every_page_of_the_rail_and_the_setup_is_among_the_screens(web: Browser) -> None:
    """Kills: a new screen that nobody finds by its words."""
    sam = web.sign_in("sam")
    known = {each.href for each in SCREENS}
    rail = re.findall(r'<a href="(/[^"]*)"[^>]* data-go=', sam.get("/day").text)
    assert len(rail) >= 8 and set(rail) <= known
    for each in SCREENS:
        assert sam.get(each.href).status_code in {200, 303}, each


def test_every_key_named_in_a_template_is_on_the_map() -> None:
    from zax.web.shell.rendering import WEB

    used = {
        name
        for path in WEB.rglob("*.html")
        for name in re.findall(r'(?:key|cap)\("(\w+)"\)', path.read_text())
    }
    assert used <= set(keys.BY_NAME)
    assert {"new", "step", "done", "find"} <= used


def test_sites_and_signing_out(juno: Browser) -> None:
    assert juno.post("/site", site_id=2, back="/book").headers["location"] == "/book"
    assert "At Hillcrest" not in juno.get("/book").text
    assert "Nadia Ferro NP" in juno.get("/book").text and "Maren Sollis" not in juno.get("/book").text
    assert juno.post("/sign-out").status_code == 303
    assert juno.get("/day").status_code == 303


def test_amounts_and_spans_in_words() -> None:
    assert (money_words(-123456), money_words(5, "$"), money_words(0)) == ("−1,234.56", "$0.05", "0.00")
    assert (span_words(59), span_words(75)) == ("59 min", "1 h 15")
    assert NotFound("x").status == 404


def test_steps_back_through_the_whole_visit(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    for state, back_to in (("checkout", "room"), ("room", "here"), ("here", "booked")):
        assert state_of(desk, visit_id) == state
        assert juno.post(f"/visits/{visit_id}/act/undo", reason="", back="/day").status_code == 422
        assert (
            juno.post(f"/visits/{visit_id}/act/undo", reason="wrong patient", back="/day").status_code == 303
        )
        assert state_of(desk, visit_id) == back_to
    assert scalar(desk, "SELECT COALESCE(SUM(patient_cents), 0) FROM journal") == 0


def test_leaving_with_an_open_rest_and_paying_it_later(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    assert juno.post(f"/visits/{visit_id}/checkout", do="finish", receipt="none").status_code == 303
    assert state_of(desk, visit_id) == "left"
    assert "Collect $286.00" in juno.get("/money").text and "Collect $286.00" in juno.get("/day").text
    page = juno.get(f"/visits/{visit_id}/checkout").text
    paid = juno.post(
        f"/visits/{visit_id}/checkout", do="pay", tender="cash", amount="286", key=hidden(page, "key")
    )
    assert paid.status_code == 303
    assert state_of(desk, visit_id) == "settled"
    number = scalar(desk, "SELECT id FROM receipt")
    assert f"receipt {number}" in juno.get(f"/visits/{visit_id}/checkout").text
    assert juno.get(f"/receipts/{number}.pdf").content[:5] == b"%PDF-"
    assert juno.get("/payments/999999/receipt.pdf").status_code == 404


def test_the_sheet_comes_alone_or_over_its_page(juno: Browser, desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk, street="", alert="Latex allergy")))
    alone = juno.get(f"/visits/{visit_id}/sheet?on=day").text
    assert alone.strip().startswith("<aside") and "<html" not in alone
    assert (
        'href="/day"' in alone and "Latex allergy" in alone and "No address, so no claim can go out" in alone
    )
    for path in (f"/day?visit={visit_id}", f"/book?visit={visit_id}"):
        assert "Latex allergy" in juno.get(path).text
    assert juno.get(f"/visits/{visit_id}").headers["location"] == f"/book?day={TODAY}&visit={visit_id}"
    assert scalar(desk, "SELECT COUNT(*) FROM look WHERE screen = 'visit'") == 3


def test_people_looked_at_last_come_first(juno: Browser, desk: Desk) -> None:
    first, second = add_patient(desk, first="Ada"), add_patient(desk, first="Ben")
    assert "No one yet" in juno.get("/patients").text
    for patient_id in (first, second):
        juno.get(f"/patients/{patient_id}")
    page = juno.get("/patients").text
    assert page.index("Vasquez, Ben") < page.index("Vasquez, Ada")


def test_names_are_shown_as_text_never_as_markup(juno: Browser, desk: Desk) -> None:
    patient_id = add_patient(desk, last="O<script>x</script>")
    book_visit(desk, JUNO, order(patient_id))
    for path in (
        "/day",
        "/book",
        f"/patients/{patient_id}",
        f"/accounts/{patient_id}",
        "/find?q=o%3Csc",
        "/patients?q=o%3Csc",
    ):
        assert "<script>x" not in juno.get(path).text, path


def test_the_back_address_stays_at_home(juno: Browser, desk: Desk) -> None:
    for bad in ("//evil.example", "https://evil.example", "/\\evil.example", "evil", ""):
        assert juno.post("/site", site_id=1, back=bad).headers["location"] == "/day"
    assert juno.post("/site", site_id="x", back="/day").status_code == 422
