"""The pages from arrival to leaving, over HTTP: what they show, what they refuse beside its field, and what
they keep.
"""

from typing import Any

import pytest

from tests.conftest import JUNO, SAM, add_patient, known_patient, order, scalar, state_of, visit_at_checkout
from tests.desk.acting import STROKES
from tests.web.conftest import Browser, hidden
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, check_in, save_step
from zax.desk.arrivals.forms import save_template
from zax.desk.arrivals.heads_ups import HeadsUpForm, Row, save_headsup
from zax.desk.book.booking import book_visit
from zax.desk.day.checkout import finish_checkout


def step(desk: Desk, words: str, kind: str = "own", **more: Any) -> int:
    return save_step(
        desk, SAM, 0, StepForm(kind=kind, words=words, note="", required=more.pop("required", False), **more)
    )


@pytest.fixture
def visit(desk: Desk) -> int:
    return book_visit(desk, JUNO, order(known_patient(desk, 4)))


# --- arrival
def test_a_needed_step_is_done_on_the_page_and_then_the_door_opens(
    juno: Browser, desk: Desk, visit: int
) -> None:
    number = step(desk, "Read the address back", required=True)
    page = juno.get(f"/visits/{visit}/arrival").text
    assert "1 step before “here”" in page and "Read the address back" in page
    refused = juno.post(f"/visits/{visit}/arrival/check-in", version=hidden(page, "version"))
    assert (
        refused.status_code == 409
        and "A manager can check them in" in refused.text
        and 'name="boss"' in refused.text
    )
    assert juno.post(f"/visits/{visit}/arrival/skip", step_id=number, note="").status_code == 422
    assert juno.post(f"/visits/{visit}/arrival/done", step_id=number).status_code == 303
    page = juno.get(f"/visits/{visit}/arrival").text
    assert "done, Juno Park" in page and "Ready to check in" in page
    assert (
        juno.post(f"/visits/{visit}/arrival/check-in", version=hidden(page, "version")).headers["location"]
        == "/day"
    )
    assert state_of(desk, visit) == "here"


def test_a_managers_password_is_checked_and_never_kept_in_the_page(
    juno: Browser, desk: Desk, visit: int
) -> None:
    step(desk, "Read the address back", required=True)
    wrong = juno.post(
        f"/visits/{visit}/arrival/check-in", boss="sam", boss_password="guess-7", reason="in pain"
    )
    assert wrong.status_code == 422 and "don’t match" in wrong.text
    assert "guess-7" not in wrong.text and 'value="in pain"' in wrong.text
    juno.client.cookies.delete("zax_session")
    out = juno.post(
        f"/visits/{visit}/arrival/check-in", boss="sam", boss_password="ferry-bell-7", reason="in pain"
    )
    assert out.status_code == 401 and "in pain" in out.text and "ferry-bell-7" not in out.text
    juno.sign_in("juno")
    good = juno.post(
        f"/visits/{visit}/arrival/check-in", boss="sam", boss_password="ferry-bell-7", reason="in pain"
    )
    assert good.status_code == 303 and state_of(desk, visit) == "here"


def test_pressing_check_in_on_day_with_steps_open_leads_to_the_list(
    juno: Browser, desk: Desk, visit: int
) -> None:
    step(desk, "Read the address back", required=True)
    assert f'href="/visits/{visit}/arrival"' in juno.get("/day").text
    answer = juno.post(f"/visits/{visit}/act/check-in", back="/day", version="1")
    assert answer.status_code == 409 and "Read the address back" in answer.text


def test_a_copay_is_taken_at_arrival_and_a_declined_card_leaves_the_step_open(
    juno: Browser, desk: Desk, visit: int
) -> None:
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=visit)
    other = visit_at_checkout(desk, patient, start="15:00")
    finish_checkout(desk, JUNO, other)
    number = step(desk, "Collect", "collect")
    page = juno.get(f"/visits/{visit}/arrival").text
    assert 'Take <span id="takes">$105.60</span>' in page
    wrong = juno.post(
        f"/visits/{visit}/arrival/collect", step_id=number, tender="check", amount="x", key="k1", also=other
    )
    assert (
        wrong.status_code == 422 and "isn’t an amount" in wrong.text and "printed on the check" in wrong.text
    )
    done = juno.post(
        f"/visits/{visit}/arrival/collect",
        step_id=number,
        tender="cash",
        amount="105.60",
        key="k2",
        also=other,
    )
    assert done.status_code == 303 and state_of(desk, other) == "left"
    assert scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE visit_id = :id", id=other) == 0


def test_cards_and_photos_are_taken_at_arrival(juno: Browser, desk: Desk, visit: int) -> None:
    number, photo = step(desk, "Card", "coverage"), step(desk, "Photo", "photo")
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=visit)
    for act, which in (("card", number), ("photo", photo)):
        empty = juno.post(
            f"/visits/{visit}/arrival/{act}", step_id=which, patient_id=patient, kind="card_front"
        )
        assert empty.status_code == 422 and "picture" in empty.text
    assert juno.post(f"/visits/{visit}/arrival/dance", step_id=number).status_code == 404


# --- heads-ups
def test_a_heads_up_shows_in_its_places_and_is_put_away_by_name(
    juno: Browser, desk: Desk, visit: int
) -> None:
    places = ["booking", "arrival", "checkout", "record"]
    number = save_headsup(
        desk,
        SAM,
        0,
        HeadsUpForm(
            words="{first} hears badly", todo="Speak slowly", places=places, groups=[[Row("older", "40")]]
        ),
    )
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=visit)
    pages = (
        f"/visits/{visit}/arrival",
        f"/day?visit={visit}",
        f"/patients/{patient}",
        f"/book/about/{patient}",
    )
    assert all(
        "Helen hears badly" in juno.get(page).text and "Speak slowly" in juno.get(page).text for page in pages
    )
    away = juno.post(
        f"/headsups/{number}/away", patient_id=patient, visit_id=visit, back=f"/visits/{visit}/arrival"
    )
    assert away.status_code == 303
    page = juno.get(f"/visits/{visit}/arrival").text
    assert "dismissed by Juno Park" in page and "Speak slowly" not in page
    juno.post(f"/headsups/{number}/again", patient_id=patient, back="/day")
    assert "Speak slowly" in juno.get(f"/visits/{visit}/arrival").text


def test_a_heads_up_is_written_tried_and_saved(sam: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    typed = {
        "words": "Owes {balance}",
        "todo": "Ask",
        "places": "arrival",
        "group": "1",
        "negated": "no",
        "what": "kind:none",
        "value": "",
        "inner": "all",
        "outer": "any",
        "active": "yes",
        "version": "0",
    }
    tried = sam.post("/setup/headsups/0", **typed, do="try", patient_id=patient)
    assert tried.status_code == 200 and "It would say" in tried.text and "Owes $0.00" in tried.text
    assert sam.post("/setup/headsups/0", **typed, do="try").status_code == 422
    wrong = sam.post("/setup/headsups/0", **(typed | {"words": "Owes {tea}"}), do="save")
    assert wrong.status_code == 422 and "isn’t available here" in wrong.text and "Owes {tea}" in wrong.text
    assert sam.post("/setup/headsups/0", **typed, do="save").status_code == 303
    number = next(iter(desk.clinic.headsups))
    assert (
        "the coverage is: missing" in sam.get(f"/setup/headsups?edit={number}").text
        and "Owes {balance}" in sam.get("/setup/headsups").text
    )
    assert sam.get("/setup/headsups?edit=999").status_code == 404


# --- forms
def test_a_form_is_written_signed_at_arrival_and_shown_as_signed(
    sam: Browser, desk: Desk, visit: int
) -> None:
    wrong = sam.client.post(
        "/setup/forms/0",
        data={
            "csrf": sam.token,
            "name": "",
            "kind": ["text"],
            "words": ["Hello {first}"],
            "more": [""],
            "needed": ["no"],
            "again_months": "x",
            "version": "0",
        },
        follow_redirects=False,
    )
    assert (
        wrong.status_code == 422
        and "Give the form a name" in wrong.text
        and "Hello {first}" in wrong.text
        and "1 to 120" in wrong.text
    )
    data = {
        "csrf": sam.token,
        "name": "Policy",
        "kind": ["text", "choice"],
        "words": ["Hello {first}", "May we?"],
        "more": ["", "Yes, No"],
        "needed": ["no", "yes"],
        "again_months": "12",
        "active": "yes",
        "version": "0",
    }
    assert sam.client.post("/setup/forms/0", data=data, follow_redirects=False).status_code == 303
    template = next(iter(desk.clinic.forms))
    assert "May we?" in sam.get(f"/setup/forms?edit={template}").text
    number = step(desk, "Sign it", "form", required=True, template_id=template)
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=visit)
    sign = f"/patients/{patient}/sign/{template}"
    assert "Hello Helen" in sam.get(f"{sign}?visit={visit}&step={number}").text
    fields = {
        "signer": "Helen Vasquez",
        "relation": "self",
        "version": 1,
        "visit": visit,
        "step": number,
    }
    empty = sam.post(sign, **fields, strokes="")
    assert empty.status_code == 422 and "Not signed yet" in empty.text and "Choose one." in empty.text
    kept = sam.post(sign, **fields, strokes=STROKES, **{"answer-1": "Yes"})
    assert kept.headers["location"] == f"/visits/{visit}/arrival"
    signed = scalar(desk, "SELECT id FROM signed_form")
    paper = sam.get(f"/signed/{signed}.pdf")
    assert paper.headers["content-type"] == "application/pdf" and paper.headers["x-content-sha256"] == scalar(
        desk, "SELECT digest FROM signed_form"
    )
    page = sam.get(f"/patients/{patient}/signed").text
    assert "Policy" in page and "Sam Quill" in page
    assert (
        sam.get("/signed/999.pdf").status_code == 404
        and sam.get(f"/patients/{patient}/sign/999").status_code == 404
    )
    check_in(desk, JUNO, visit)


def test_a_changed_text_must_be_signed_anew(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    template = save_template(desk, SAM, 0, "Policy", [("text", "One", "", False)], "0", True, 0)
    save_template(desk, SAM, template, "Policy", [("text", "Two", "", False)], "0", True, 1)
    answer = juno.post(
        f"/patients/{patient}/sign/{template}",
        strokes=STROKES,
        signer="Helen",
        relation="self",
        version=1,
    )
    assert (
        answer.status_code == 409
        and "Read it again" in answer.text
        and "Two" in answer.text
        and STROKES[:30] not in answer.text
    )


def test_the_setup_of_arrival_and_day_over_http(sam: Browser, desk: Desk) -> None:
    assert sam.post("/setup/arrival/0", kind="own", words="", active="yes").status_code == 422
    for words in ("First", "Second"):
        assert (
            sam.post(
                "/setup/arrival/0",
                kind="own",
                words=words,
                active="yes",
                required="yes",
                types=TYPE_ID["Filling"],
            ).status_code
            == 303
        )
    ids = list(desk.clinic.steps)
    ordered = sam.client.post(
        "/setup/arrival/order",
        data={"csrf": sam.token, "ids": [str(n) for n in reversed(ids)]},
        follow_redirects=False,
    )
    assert ordered.status_code == 303 and list(desk.clinic.steps) == ids[::-1]
    page = sam.get("/setup/arrival").text
    assert page.index("Second") < page.index("First") and "needed" in page and "Filling" in page
    assert (
        sam.post("/setup/stages/0", name="Ready", whose="desk", dental="yes", active="yes").status_code == 303
    )
    assert sam.post("/setup/stages/0", name="", whose="desk").status_code == 422
    habits = {"wait_limit": "9", "late_limit": "5", "wall_names": "first", "numbering": "fdi"}
    habits |= {"clock": "24", "day_order": "day"}
    assert sam.post("/setup/day", **habits | {"wait_limit": "0"}).status_code == 422
    assert sam.post("/setup/day", **habits | {"clock": "sun"}).status_code == 422
    assert sam.post("/setup/day", **habits).status_code == 303
    assert 'name="wait_limit" value="9"' in sam.get("/setup/day").text and desk.clinic.numbering == "fdi"
    assert 'data-clock="24"' in sam.get("/day").text and "Tuesday 24 November" in sam.get("/day").text
    habits = {"wait_limit": "10", "late_limit": "10", "wall_names": "initials", "numbering": "universal"}
    sam.post("/setup/day", **habits, clock="12", day_order="month")
    assert "Tuesday, November 24" in sam.get("/day").text
