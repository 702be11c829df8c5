"""Pages over HTTP: access, safety, errors beside their fields, and nothing typed lost."""

import re

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, TODAY, add_patient, order, scalar, visit_at_checkout
from tests.web.conftest import Browser, hidden
from tests.x12_samples import remittance
from zax.core.errors import NotFound
from zax.core.wording import money_words, span_words
from zax.demo.world import PASSWORD, TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.day.checkout import finish_checkout

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
    page = odile.get(f"/claims/payments/{scalar(desk, 'SELECT MIN(id) FROM remit')}").text
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
    assert re.search(r"this number: <b>[0-9a-f]{12}</b>", answer.text)
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
        "backup_hours_ago": None,
    }
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE beat SET at = at - INTERVAL 1 HOUR"))
    assert web.get("/healthz").json()["worker"] == "silent"


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


@pytest.mark.parametrize("method", ["TRACE", "PUT", "DELETE", "PATCH"])
def test_no_method_that_no_page_has_does_anything(juno: Browser, method: str) -> None:
    for path in ("/day", "/sign-in", "/setup/people"):
        assert juno.client.request(method, path).status_code == 405


def test_machines_are_told_when_it_is_ready_and_whom_to_write_to(web: Browser) -> None:
    assert web.get("/readyz").json() == {"ready": True}
    told = web.get("/.well-known/security.txt").text
    assert "Contact: mailto:desk@juniperquay.example.org" in told and "Expires: 20" in told
