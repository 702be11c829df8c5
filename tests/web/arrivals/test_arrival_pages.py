"""The pages from arrival to leaving, over HTTP: what they show, what they refuse beside its field, and what
they keep.
"""

import json
import re
from typing import Any

import pytest

from tests.conftest import JUNO, SAM, TODAY, add_patient, order, scalar, state_of, visit_at_checkout
from tests.web.conftest import Browser, hidden
from zax.demo.world import SERVICE_ID, TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, check_in, save_step
from zax.desk.arrivals.forms import save_template
from zax.desk.arrivals.heads_ups import HeadsUpForm, Row, save_headsup
from zax.desk.arrivals.stages import save_stage
from zax.desk.book.booking import book_visit
from zax.desk.book.planned import plan_service
from zax.desk.book.track import take_to_room
from zax.desk.day.checkout import finish_checkout

STROKES = json.dumps([[[20 + n * 10, 90] for n in range(30)]])


def step(desk: Desk, words: str, kind: str = "own", **more: Any) -> int:
    return save_step(
        desk, SAM, 0, StepForm(kind=kind, words=words, note="", required=more.pop("required", False), **more)
    )


@pytest.fixture
def visit(desk: Desk) -> int:
    return book_visit(desk, JUNO, order(add_patient(desk, 4)))


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
        and "A manager may let them in" in refused.text
        and 'name="boss"' in refused.text
    )
    assert juno.post(f"/visits/{visit}/arrival/skip", step_id=number, note="").status_code == 422
    assert juno.post(f"/visits/{visit}/arrival/done", step_id=number).status_code == 303
    page = juno.get(f"/visits/{visit}/arrival").text
    assert "done, Juno Park" in page and "Nothing stands before" in page
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
    assert wrong.status_code == 422 and "do not belong together" in wrong.text
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
    assert 'Take <span id="takes">105.60</span>' in page
    wrong = juno.post(
        f"/visits/{visit}/arrival/collect", step_id=number, tender="cheque", amount="x", key="k1", also=other
    )
    assert (
        wrong.status_code == 422
        and "is not an amount" in wrong.text
        and "printed on the cheque" in wrong.text
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
    assert "put away by Juno Park" in page and "Speak slowly" not in page
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
    assert tried.status_code == 200 and "It would say" in tried.text and "Owes 0.00" in tried.text
    assert sam.post("/setup/headsups/0", **typed, do="try").status_code == 422
    wrong = sam.post("/setup/headsups/0", **(typed | {"words": "Owes {tea}"}), do="save")
    assert wrong.status_code == 422 and "is not known here" in wrong.text and "Owes {tea}" in wrong.text
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
        "relation": "for themselves",
        "version": 1,
        "visit": visit,
        "step": number,
    }
    empty = sam.post(sign, **fields, strokes="")
    assert empty.status_code == 422 and "Nothing is signed yet" in empty.text and "Choose one." in empty.text
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
        relation="for themselves",
        version=1,
    )
    assert (
        answer.status_code == 409
        and "Read it again" in answer.text
        and "Two" in answer.text
        and STROKES[:30] not in answer.text
    )


# --- charges
def test_the_one_box_offers_planned_work_sets_and_services(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk, 1)
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    visit_id = book_visit(desk, JUNO, order(patient, 1, "13:00", "Filling"))
    hits = juno.get(f"/visits/{visit_id}/services?what=crown").text
    assert hits.index("Planned") < hits.index("Service sets") < hits.index("Services") and "tooth 3" in hits
    assert "Planned" in juno.get(f"/visits/{visit_id}/services?what=").text
    chosen = juno.get(f"/visits/{visit_id}/services?what=crown&tooth=14").text
    assert "Planned" not in chosen and "Service sets" in chosen
    assert "Planned" in juno.get(f"/visits/{visit_id}/services?what=crown&tooth=3").text
    base = f"/visits/{visit_id}/charges"
    assert juno.post(f"{base}/add", choice="set:2", what="crown", patient_id=patient).status_code == 303
    assert (
        juno.post(
            f"{base}/add", choice=f"service:{SERVICE_ID['D2391']}", what="19 o filling", patient_id=patient
        ).status_code
        == 303
    )
    assert scalar(desk, "SELECT CONCAT(tooth, surfaces) FROM charge_line ORDER BY id DESC LIMIT 1") == "19O"
    stale = juno.post(f"{base}/add", choice="set:1", what="", patient_id=add_patient(desk, first="Iris"))
    assert stale.status_code == 409 and "Nothing was charged" in stale.text


def test_the_mouth_is_drawn_with_every_tooth_a_button(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, 1), dental=True)
    page = juno.get(f"/visits/{visit_id}/charges").text
    assert page.count('class="tooth ') == 52 and page.count('class="area"') == 6
    assert (
        'class="tooth today" role="button" tabindex="-1" data-tooth="14"' in page
        and "today: White filling" in page
    )


def test_a_wrong_line_keeps_what_was_typed_and_opens_where_it_is_wrong(odile: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, 4))
    line = scalar(desk, "SELECT id FROM charge_line")
    wrong = odile.post(
        f"/visits/{visit_id}/charges/change",
        line_id=line,
        units="1",
        modifiers="25 25",
        pointers="C",
        fee="90",
        fee_why="",
        billed="yes",
    )
    assert wrong.status_code == 422 and 'value="25 25"' in wrong.text
    assert (
        "there twice" in wrong.text and "no diagnosis C" in wrong.text and "why the fee differs" in wrong.text
    )
    right = odile.post(
        f"/visits/{visit_id}/charges/change",
        line_id=line,
        units="1",
        modifiers="25",
        pointers="A",
        fee="90",
        fee_why="promised",
        billed="yes",
    )
    assert right.status_code == 303 and "90.00*" in odile.get(f"/visits/{visit_id}/charges").text
    assert odile.post(f"/visits/{visit_id}/charges/main-diagnosis", code="J02.9").status_code == 303


# --- planned work
def test_options_are_made_compared_signed_and_booked_from(sam: Browser, desk: Desk) -> None:
    patient = add_patient(desk, 1)
    assert sam.post(f"/patients/{patient}/options", name="", provider_id=1).status_code == 422
    made = sam.post(f"/patients/{patient}/options", name="Upper left", provider_id=1).headers["location"]
    wrong = sam.post(
        f"{made}/add", choice=f"service:{SERVICE_ID['D2740']}", what="crown", letter="A", phase=1
    )
    assert wrong.status_code == 422 and "D2740 needs its tooth" in wrong.text
    assert sam.post(f"{made}/add", choice="", what="crown", letter="A", phase=1).status_code == 422
    assert (
        sam.post(
            f"{made}/add", choice=f"service:{SERVICE_ID['D2740']}", what="14 crown", letter="A", phase=1
        ).status_code
        == 303
    )
    assert sam.post(f"{made}/option", like="A").status_code == 303
    page = sam.get(made).text
    assert page.count("Crown, ceramic") >= 2 and "1,180.00" in page and "565.00" in page and "Sign B" in page
    version = hidden(sam.get(f"{made}?sign=A").text, "version")
    empty = sam.post(
        f"{made}/sign", letter="A", version=version, strokes="", signer="Helen", relation="for themselves"
    )
    assert empty.status_code == 422 and "Nothing is signed yet" in empty.text
    assert (
        sam.post(
            f"{made}/sign",
            letter="A",
            version=version,
            strokes=STROKES,
            signer="Helen",
            relation="for themselves",
        ).status_code
        == 303
    )
    page = sam.get(made).text
    assert f"/book/new?patient={patient}&amp;provider=1&amp;planned=" in page and "The signed paper" in page
    assert sam.get(f"{made}.pdf").headers["content-type"] == "application/pdf"
    planned = scalar(desk, "SELECT MIN(id) FROM planned_service")
    slip = sam.get(f"/book/new?patient={patient}&provider=1&planned={planned}").headers["location"]
    assert re.search(r'name="planned" value="\d+" checked', sam.get(slip).text)
    assert "1 service to do" in sam.get(f"/patients/{patient}/planned").text
    assert sam.post(f"{made}/away").headers["location"] == f"/patients/{patient}/planned"


# --- checkout
def test_one_press_pays_today_and_earlier_books_the_next_visit_and_sets_the_recall(
    juno: Browser, desk: Desk
) -> None:
    patient = add_patient(desk, 1)
    earlier = visit_at_checkout(desk, patient, dental=True, start="13:00")
    finish_checkout(desk, JUNO, earlier)
    visit_id = book_visit(desk, JUNO, order(patient, 2, "14:15", "Hygiene"))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    assert (
        juno.post(f"/visits/{visit_id}/act/finish", back="/day", version="3", patient_id=patient).status_code
        == 303
    )
    with desk.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE visit_type SET recall_months = 6 WHERE name = 'Hygiene'")
    page = juno.get(f"/visits/{visit_id}/checkout").text
    opening = page.split('name="opening" value="')[1].split('"')[0]
    assert (
        "Also pay" in page and "every 6 months, from 24 May 2027" in page and opening.startswith("2027-05-2")
    )
    amount = page.split('name="amount" value="')[1].split('"')[0]
    fields = {
        "key": hidden(page, "key"),
        "version": hidden(page, "version"),
        "tender": "cash",
        "offered": earlier,
        "also": earlier,
        "opening": opening,
        "recall": "6",
        "receipt": "none",
    }
    wrong = juno.post(f"/visits/{visit_id}/checkout", **fields, do="pay-finish", amount="9999")
    assert wrong.status_code == 422 and "more than" in wrong.text
    done = juno.post(f"/visits/{visit_id}/checkout", **fields, do="pay-finish", amount=amount)
    assert done.headers["location"] == "/day" and state_of(desk, visit_id) == "left"
    assert (
        scalar(
            desk,
            "SELECT COUNT(*) FROM visit WHERE patient_id = :p AND day > :t AND state = 'booked'",
            p=patient,
            t=TODAY,
        )
        == 1
    )
    assert scalar(desk, "SELECT due_day FROM recall WHERE ended_at IS NULL").isoformat() == "2027-05-24"
    assert scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE visit_id = :id", id=earlier) == 0


def test_a_next_visit_that_is_taken_meanwhile_stops_nothing_else_from_being_kept(
    juno: Browser, desk: Desk
) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    taken = f"{TODAY}|{15 * 60}|5|5|{TYPE_ID['Sick visit']}"
    book_visit(desk, JUNO, order(add_patient(desk, first="Iris"), start="15:00"))
    page = juno.get(f"/visits/{visit_id}/checkout").text
    answer = juno.post(
        f"/visits/{visit_id}/checkout",
        do="pay-finish",
        key=hidden(page, "key"),
        version=hidden(page, "version"),
        tender="cash",
        amount="128",
        opening=taken,
        receipt="none",
    )
    assert answer.status_code == 422 and "could not be booked" in answer.text and 'value="128"' in answer.text
    assert state_of(desk, visit_id) == "checkout" and scalar(desk, "SELECT COUNT(*) FROM payment") == 0
    assert "Follow-up" in juno.get(f"/visits/{visit_id}/checkout?next={TYPE_ID['Follow-up']}&after=1m").text


@pytest.mark.parametrize("opening", ["x", "x|y|z|a|b", "2026-02-30|900|5|5|9", "2026-11-24|900|5", "||||"])
def test_a_next_visit_that_no_page_offered_is_refused_beside_the_times(
    juno: Browser, desk: Desk, opening: str
) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    page = juno.get(f"/visits/{visit_id}/checkout").text
    answer = juno.post(
        f"/visits/{visit_id}/checkout",
        do="pay-finish",
        key=hidden(page, "key"),
        version=hidden(page, "version"),
        tender="cash",
        amount="128",
        opening=opening,
        receipt="none",
    )
    assert answer.status_code == 422 and "Choose one of the times again" in answer.text
    assert 'value="128"' in answer.text and state_of(desk, visit_id) == "checkout"


def test_credits_papers_and_walking_out_over_http(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    for paper in ("itemised", "summary", "attendance"):
        assert juno.get(f"/visits/{visit_id}/{paper}.pdf").headers["content-type"] == "application/pdf"
    assert juno.get(f"/visits/{visit_id}/poem.pdf").status_code == 404
    assert juno.post(f"/visits/{visit_id}/walked-out", version="", back="/day").status_code == 303
    assert "left before the checkout" in juno.get("/day").text
    assert juno.post(f"/visits/{visit_id}/credit", **{"from": 10**8}).status_code == 404


# --- day, clinicians, the wall
def test_day_is_narrowed_by_its_address_and_keeps_that_with_a_sheet_open(
    juno: Browser, desk: Desk, visit: int
) -> None:
    page = juno.get(f"/day?show=p5&visit={visit}").text
    assert (
        'value="p5" selected' in page and 'href="/day?show=p5"' in page and "Nadia Ferro NP</b>" not in page
    )
    assert "Exam A</b>" in juno.get("/day?show=rooms").text and juno.get("/day?show=p999").status_code == 200


def test_a_clinician_starts_at_their_own_page_and_moves_stages(ines: Browser, desk: Desk) -> None:
    stage = save_stage(desk, SAM, 0, "Treating", "provider", True, True)
    visit_id = book_visit(desk, JUNO, order(add_patient(desk, 1), 1, "13:00", "Filling"))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    assert ines.get("/").headers["location"] == "/mine"
    page = ines.get("/mine").text
    assert "My patients" in page and "Helen Vasquez" in page and "Treating" in page
    assert ines.post(f"/visits/{visit_id}/stage", stage_id=stage, back="/mine").status_code == 303
    refused = ines.post(f"/visits/{visit_id}/stage", stage_id=999, back="/mine")
    assert refused.status_code == 422 and "Choose a stage" in refused.text
    assert ines.post(f"/visits/{visit_id}/stage", room_id=2, back="/mine").status_code == 303
    assert scalar(desk, "SELECT room_id FROM visit WHERE id = :id", id=visit_id) == 2
    on_day = ines.post(f"/visits/{visit_id}/stage", room_id=2, back=f"/day?visit={visit_id}")
    assert on_day.status_code == 422 and "in that room already" in on_day.text
    assert ines.get("/mine?provider=999").status_code == 404


def test_the_wall_needs_its_secret_and_says_no_more_than_initials(
    sam: Browser, desk: Desk, visit: int
) -> None:
    check_in(desk, JUNO, visit)
    assert sam.client.get("/wall/1/guess", follow_redirects=False).status_code == 404
    assert sam.post("/setup/wall").status_code == 303
    token = desk.clinic.about["wall_token"]
    fresh = sam.client
    fresh.cookies.clear()
    page = fresh.get(f"/wall/1/{token}")
    assert (
        page.status_code == 200
        and "H. V." in page.text
        and "Vasquez" not in page.text
        and "Helen" not in page.text
    )
    assert fresh.get(f"/wall/9/{token}", follow_redirects=False).status_code in {303, 404}


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
    assert (
        sam.post(
            "/setup/day", wait_limit="0", late_limit="5", wall_names="first", numbering="fdi"
        ).status_code
        == 422
    )
    assert (
        sam.post(
            "/setup/day", wait_limit="9", late_limit="5", wall_names="first", numbering="fdi"
        ).status_code
        == 303
    )
    assert 'name="wait_limit" value="9"' in sam.get("/setup/day").text and desk.clinic.numbering == "fdi"
    sam.post("/setup/day", wait_limit="10", late_limit="10", wall_names="initials", numbering="universal")
