"""Booking over HTTP: what the form says of the patient, what it offers to add, Openings for somebody known,
the walk-in.
"""

import html
import re

from tests.conftest import JUNO, TODAY, add_patient, known_patient, order, scalar, state_of
from tests.web.conftest import Browser, hidden
from zax.demo.world import SERVICE_ID, TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.planned import plan_service
from zax.desk.patients.notes import set_flag

PLACE = f"day={TODAY}&provider=5&at=15:00"


def test_the_picked_patient_is_told_about_beside_the_search_and_below(juno: Browser, desk: Desk) -> None:
    patient = known_patient(desk, 4)
    set_flag(desk, JUNO, patient, 1)
    book_visit(desk, JUNO, order(patient))
    about = juno.get(f"/book/about/{patient}").text
    assert 'id="slipabout" hx-swap-oob="true"' in about
    for words in ("Nervous, talk them through", "owes nothing", "2:00 pm", "Sick visit", "Copperline Health"):
        assert words in about, words
    assert "new patient" not in about
    assert "new patient" in juno.get(f"/book/about/{add_patient(desk, first='Zara')}").text
    assert "No coverage on file" in juno.get(f"/book/about/{add_patient(desk, first='Ivo')}").text
    assert juno.get("/book/about/99999").status_code == 404
    page = juno.get(f"/book?{PLACE}&patient={patient}").text
    assert "Nervous, talk them through" in page and f'name="patient_id" value="{patient}"' in page


def test_services_sets_and_planned_work_are_offered_by_the_type(juno: Browser, desk: Desk) -> None:
    patient = known_patient(desk)
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    planned = scalar(desk, "SELECT MAX(id) FROM planned_service")
    base = f"/book/services?type_id={TYPE_ID['Filling']}&patient_id={patient}"
    crown = juno.get(f"{base}&what=crown").text
    assert f'data-tick="{planned}"' in crown and 'data-add="set:2"' in crown
    filling = html.unescape(juno.get(f"{base}&what=14 15 mo fill").text)
    number = SERVICE_ID["D2392"]
    assert f'data-add="service:{number}|14|MO|;service:{number}|15|MO|"' in filling
    medical = juno.get(f"/book/services?type_id={TYPE_ID['Physical']}&what=ekg 45 yo").text
    assert "EKG" in medical and "Crown" not in medical
    assert "Nothing like" in juno.get(f"{base}&what=zzz").text
    assert juno.get("/book/services?type_id=x&patient_id=-1&what=crown").status_code == 200


def test_what_was_added_stays_when_the_form_comes_back(juno: Browser, desk: Desk) -> None:
    patient = known_patient(desk)
    filling = f"service:{SERVICE_ID['D2391']}|14|O|"
    form = {
        "day": str(TODAY),
        "provider_id": "1",
        "type_id": str(TYPE_ID["Filling"]),
        "patient_id": str(patient),
        "minutes": "40",
        "also": filling,
    }
    slip = juno.get(f"/book?day={TODAY}&provider=1&at=15:00").text
    wrong = juno.post("/book", **form, at="25:99", key=hidden(slip, "key"))
    assert wrong.status_code == 422
    assert f'value="{filling}"' in wrong.text and "White filling, back, one surface, tooth 14 O" in wrong.text
    form["also"] = f"service:{SERVICE_ID['93000']}|||"
    refused = juno.post("/book", **form, at="15:00", key=hidden(slip, "key"))
    assert refused.status_code == 422 and "EKG is medical care" in refused.text


def test_openings_for_somebody_known_ask_for_what_is_due(juno: Browser, desk: Desk) -> None:
    patient = known_patient(desk)
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    planned = scalar(desk, "SELECT MAX(id) FROM planned_service")
    place = juno.get(f"/book/new?patient={patient}").headers["location"]
    assert f"for={patient}" in place and f"type={TYPE_ID['Crown seat']}" in place
    assert f"planned={planned}" in place and "with=" not in place  # no dentist has seen them yet
    pick = re.findall(r'class="pick" data-key="1" href="([^"]+)"', juno.get(place).text)
    slip = juno.get(html.unescape(pick[0])).text
    assert f'name="planned" value="{planned}" checked' in slip
    nothing = known_patient(desk, first="Ivo")
    assert juno.get(f"/book/new?patient={nothing}").headers["location"] == f"/book?find=1&for={nothing}"
    assert juno.get("/book/new?patient=99999").status_code == 404


def test_a_walk_in_from_the_page_to_the_list(juno: Browser, desk: Desk) -> None:
    patient = known_patient(desk)
    page = juno.get(f"/walk-in?patient={patient}").text
    assert f'name="patient_id" value="{patient}"' in page
    free = juno.get(f"/walk-in/next?type_id={TYPE_ID['Sick visit']}").text
    assert "Abernathy" in free or "Ferro" in free
    assert juno.get("/walk-in/next?type_id=").text.strip() == ""
    assert "Sick visit" in juno.get("/walk-in/today").text
    wrong = juno.post("/walk-in", patient_id=str(patient), type_id="", note="cough", key=hidden(page, "key"))
    assert wrong.status_code == 422 and "Choose what they came for" in wrong.text
    assert 'value="cough"' in wrong.text and f'name="patient_id" value="{patient}"' in wrong.text
    done = juno.post(
        "/walk-in", patient_id=str(patient), type_id=str(TYPE_ID["Sick visit"]), key=hidden(page, "key")
    )
    visit = int(scalar(desk, "SELECT MAX(id) FROM visit"))
    assert done.headers["location"] == f"/visits/{visit}/arrival" and state_of(desk, visit) == "here"
    assert juno.get("/day").text.count('href="/walk-in"') == 1


def test_a_series_and_a_household_do_what_was_chosen_on_the_form(juno: Browser, desk: Desk) -> None:
    patient = known_patient(desk)
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    planned = str(scalar(desk, "SELECT MAX(id) FROM planned_service"))
    slip = juno.get(f"/book?day={TODAY}&provider=1&at=15:00").text
    plan = juno.post(
        "/book",
        day=str(TODAY),
        provider_id="1",
        at="15:00",
        type_id=str(TYPE_ID["Filling"]),
        patient_id=str(patient),
        minutes="40",
        times="2",
        every="1",
        unit="weeks",
        planned=planned,
        also=f"service:{SERVICE_ID['D0220']}|3||",
        key=hidden(slip, "key"),
    ).text
    sent = dict(
        re.findall(r'name="((?:patient_id|type_id|minutes|key|planned|also)-\d)" value="([^"]*)"', plan)
    )
    places = {
        f"place-{n}": re.findall(rf'name="place-{n}".*?<option value="([^"]+)"', plan, re.S)[0]
        for n in (0, 1)
    }
    done = juno.post("/book/plan", rows="2", site_id="1", note="", back="/book", **sent, **places)
    assert done.status_code == 303, done.text
    lines = (
        "SELECT GROUP_CONCAT(CONCAT(s.code, l.tooth) ORDER BY l.id) FROM charge_line l JOIN service s ON s.id"
        " = l.service_id JOIN visit v ON v.id = l.visit_id WHERE v.state = 'booked' AND v.day {} :day"
    )
    assert scalar(desk, lines.format("="), day=TODAY) == "D27403,D2392,D02203"
    assert scalar(desk, lines.format(">"), day=TODAY) == "D2392,D02203"
