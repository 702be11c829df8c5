"""The Book's pages: views, carrying, shelf, finder, plans, waitlist, requests and setup, as a browser gets
them.
"""

import html
import re
from datetime import timedelta
from typing import Any

import pytest

from tests.conftest import JUNO, TODAY, add_patient, at, order, scalar, state_of
from tests.web.conftest import Browser, hidden
from zax.demo.world import SERVICE_ID, TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.book.planned import plan_service
from zax.desk.book.shelf import shelve
from zax.desk.book.waitlist import wait_for

FRIDAY = TODAY + timedelta(days=3)


@pytest.fixture
def sam(web: Browser) -> Browser:
    return web.sign_in("sam")


def booked(desk: Desk, start: str = "14:00", provider: int = 5, kind: str = "Sick visit", **more: Any) -> int:
    return book_visit(
        desk, JUNO, order(add_patient(desk, first=more.pop("first", "Helen")), provider, start, kind, **more)
    )


def test_every_view_shows_the_visit_in_its_column(juno: Browser, desk: Desk) -> None:
    visit_id = booked(desk)
    for query, column in (
        ("", 'data-key-of="p5"'),
        ("by=room", 'data-key-of="r5"'),
        ("by=week&who=5", f'data-key-of="d{TODAY}"'),
        ("site=all", 'data-key-of="p5"'),
    ):
        page = juno.get(f"/book?{query}").text
        before, _, after = page.partition(f'id="bar-{visit_id}"')
        assert after and column in before[before.rindex("data-key-of") - 60 :], query
    assert ">Hillcrest<" in juno.get("/book?site=all").text and "Nov" in juno.get("/book?by=week&who=5").text


def test_marks_and_their_legend(juno: Browser, desk: Desk) -> None:
    booked(desk)
    assert "data-mark=" not in juno.get("/book").text
    page = juno.get("/book?mark=type").text
    assert re.search(r"Sick visit</span>\s*</p>", page) and f'data-mark="{TYPE_ID["Sick visit"] - 1}"' in page
    assert re.search(r"Dr. Abernathy</span>\s*</p>", juno.get("/book?mark=provider").text)


@pytest.mark.parametrize(
    ("to", "day"),
    [
        ("3w", "2026-12-15"),
        ("-1w", "2026-11-17"),
        ("6m", "2027-05-24"),
        ("12/24", "2026-12-24"),
        ("today", "2026-11-24"),
    ],
)
def test_jumping_keeps_the_view(juno: Browser, to: str, day: str) -> None:
    answer = juno.get(f"/book/jump?to={to}&day={TODAY}&by=room&visit=3")
    assert answer.headers["location"] == f"/book?day={day}&by=room"


def test_a_jump_nobody_understands_is_said_beside_the_field(juno: Browser) -> None:
    answer = juno.get(f"/book/jump?to=soonish&day={TODAY}")
    assert answer.status_code == 422 and "isn’t a day" in answer.text and 'value="soonish"' in answer.text


def test_the_day_on_paper(juno: Browser, desk: Desk) -> None:
    booked(desk)
    pdf = juno.get(f"/book/list.pdf?day={TODAY}")
    assert pdf.headers["content-type"] == "application/pdf" and pdf.content.startswith(b"%PDF")
    assert juno.get("/book/list.pdf?site=all").status_code == 200


def test_short_visits_get_a_larger_scale(juno: Browser, desk: Desk) -> None:
    assert 'class="book fine' not in juno.get("/book").text.replace(" with-slip", "").replace(" sided", "")
    booked(desk, minutes="10")
    assert re.search(r'<main class="book[^"]* fine"', juno.get("/book").text)


def test_a_visit_is_taken_up_and_put_down(juno: Browser, desk: Desk) -> None:
    visit_id = booked(desk)
    page = juno.get(f"/book?carry={visit_id}").text
    assert f'data-visit="{visit_id}"' in page and "puts it down" in page
    where = juno.get(f"/book/carry/{visit_id}").json()["columns"]
    assert where["p1"] == {"why": "does not do sick visit", "starts": []} and 15 * 60 in where["p6"]["starts"]
    assert (
        juno.get(f"/book/carry/{visit_id}?by=room").json()["columns"]["r1"]["why"].startswith("not equipped")
    )
    week = juno.get(f"/book/carry/{visit_id}?by=week&who=5").json()["columns"]
    assert week["d2026-11-23"]["starts"] == [] and week[f"d{FRIDAY}"]["starts"]
    fields = {
        "version": 1,
        "day": TODAY,
        "provider_id": 6,
        "at": "15:00",
        "back": f"/book?day={TODAY}&carry={visit_id}",
    }
    answer = juno.post(f"/visits/{visit_id}/place", **fields)
    assert answer.headers["location"] == f"/book?day={TODAY}"
    assert scalar(desk, "SELECT provider_id FROM visit WHERE id = :v", v=visit_id) == 6


def test_where_it_cannot_go_the_page_says_why_and_offers_the_nearest_fit(juno: Browser, desk: Desk) -> None:
    visit_id = booked(desk)
    booked(desk, "15:00", first="Ben")
    answer = juno.post(
        f"/visits/{visit_id}/place",
        version=1,
        day=TODAY,
        provider_id=5,
        at="15:10",
        back=f"/book?day={TODAY}&carry={visit_id}",
    )
    assert answer.status_code == 409 and "taken 3:00 to 3:30 pm by Ben Vasquez" in answer.text
    assert "Nearest fit: 15:10 with N. Ferro" in answer.text
    other = juno.post(
        f"/visits/{visit_id}/place", version=1, day=TODAY, provider_id=1, at="15:10", back="/book"
    )
    assert other.status_code == 422 and "does not do" in other.text
    assert (
        juno.post(
            "/visits/999999/place", version=1, day=TODAY, provider_id=5, at="15:10", back="/book"
        ).status_code
        == 404
    )


def test_shelf_undo_and_taking_off_from_the_page(juno: Browser, desk: Desk) -> None:
    visit_id = booked(desk)
    juno.post(
        f"/visits/{visit_id}/shelve",
        version=1,
        back=f"/book?day={TODAY}&visit={visit_id}",
        words="car trouble",
    )
    page = juno.get("/book").text
    assert "car trouble" in page and 'Shelf <span class="n">1</span>' in page and f"carry={visit_id}" in page
    assert "On the shelf" in juno.get(f"/book?visit={visit_id}").text
    assert juno.post(f"/shelf/{visit_id}/share", back="/book").headers["location"].startswith("/book")
    assert juno.post(f"/shelf/{visit_id}/eat", back="/book").status_code == 404
    juno.post(f"/shelf/{visit_id}/back", back="/book")
    assert state_of(desk, visit_id) == "booked"
    assert juno.post(f"/shelf/{visit_id}/back", back="/book").status_code == 422
    act_id = hidden(juno.get("/book").text, "act_id")
    juno.post("/book/undo", act_id=act_id, back="/book")
    assert state_of(desk, visit_id) == "shelf"
    juno.post("/book/undo", act_id=act_id, back="/book")
    answer = juno.post(
        f"/visits/{visit_id}/act/cancel", back=f"/book?day={TODAY}&visit={visit_id}", why="", note="hm"
    )
    assert answer.status_code == 422 and "Choose why" in answer.text and 'value="hm"' in answer.text
    juno.post(f"/visits/{visit_id}/act/cancel", back="/book", why="clinic", note="storm")
    assert (
        state_of(desk, visit_id) == "canceled"
        and "Clinic canceled: storm" in juno.get(f"/book?visit={visit_id}").text
    )


def test_the_sheet_of_a_past_visit_corrects_only_the_track(juno: Browser, desk: Desk, clock: Any) -> None:
    visit_id = booked(desk)
    clock.set_to(at(10, day=TODAY + timedelta(days=1)))
    page = juno.get(f"/visits/{visit_id}").headers["location"]
    sheet = juno.get(page).text
    assert "Why correct it?" in sheet and "Remove" not in sheet and "Pick up" not in sheet
    back = f"/book?day={TODAY}&visit={visit_id}"
    assert "Say briefly why" in juno.post(f"/visits/{visit_id}/act/missed", back=back, reason="").text
    juno.post(f"/visits/{visit_id}/act/missed", back=back, reason="hasn’t been in")
    assert state_of(desk, visit_id) == "missed"


def test_the_right_patient_in_place(juno: Browser, desk: Desk) -> None:
    visit_id, right = booked(desk), add_patient(desk, first="Right")
    assert (
        juno.post(f"/visits/{visit_id}/patient", version=1, back=f"/book?visit={visit_id}").status_code == 422
    )
    juno.post(f"/visits/{visit_id}/patient", version=1, patient_id=right, back=f"/book?visit={visit_id}")
    assert scalar(desk, "SELECT patient_id FROM visit WHERE id = :v", v=visit_id) == right


def test_the_finder_answers_from_its_address(juno: Browser, desk: Desk) -> None:
    assert "Choose the visit type" in juno.get("/book?find=1").text
    page = juno.get(f"/book?find=1&type={TYPE_ID['Hygiene']}&when=next&days=1&after=13:00").text
    assert page.count('class="pick"') == 5 and "Tue, Dec 1, 1" in page and "steps in at" in page
    first = html.unescape(re.search(r'class="pick" data-key="1" href="([^"]+)"', page)[1])  # type: ignore[index]
    assert 'id="slip"' in juno.get(first).text
    both = juno.get(f"/book?find=1&type={TYPE_ID['Hygiene']}&then={TYPE_ID['Filling']}").text
    assert '<p class="q">then ' in both
    assert "isn’t a time" in juno.get(f"/book?find=1&type={TYPE_ID['Hygiene']}&after=noonish").text
    assert "No openings like this" in juno.get(f"/book?find=1&type={TYPE_ID['Hygiene']}&days=6").text
    visit_id = booked(desk, "13:30", 2, "Hygiene")
    carried = juno.get(f"/book?find=1&carry={visit_id}").text
    assert f'action="/visits/{visit_id}/place"' in carried and "for Helen Vasquez" in carried


def test_booking_offers_planned_work_and_the_household(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    plan_service(desk, JUNO, patient, SERVICE_ID["D2392"], "14", "MO")
    more = juno.get(f"/book/about/{patient}").text
    planned = re.search(r'name="planned" value="(\d+)"', more)[1]  # type: ignore[index]
    assert "tooth 14 MO" in html.unescape(more).replace(",", "").replace("  ", " ") or "tooth 14" in more
    page = juno.get(f"/book?day={TODAY}&provider=1&at=14:00&patient={patient}").text
    answer = juno.post(
        "/book",
        day=TODAY,
        at="14:00",
        provider_id=1,
        type_id=TYPE_ID["Filling"],
        minutes="",
        patient_id=patient,
        key=hidden(page, "key"),
        planned=planned,
        short=1,
    )
    assert answer.status_code == 303
    assert scalar(desk, "SELECT tooth FROM charge_line WHERE planned_id = :p", p=planned) == "14"
    assert scalar(desk, "SELECT why FROM waiting") == "short"
    assert juno.get("/book/about/999999").status_code == 404


def test_a_series_is_planned_changed_and_booked(juno: Browser, desk: Desk) -> None:
    booked(desk, day=TODAY + timedelta(days=7), first="Ben")
    patient = add_patient(desk, first="Ana")
    page = juno.get(f"/book?day={TODAY}&provider=5&at=14:00&patient={patient}").text
    fields = {
        "day": TODAY,
        "at": "14:00",
        "provider_id": 5,
        "type_id": TYPE_ID["Sick visit"],
        "minutes": "",
        "patient_id": patient,
        "key": hidden(page, "key"),
        "unit": "weeks",
    }
    wrong = juno.post("/book", **fields, times="99", every="1")
    assert wrong.status_code == 422 and "from 2 to 26" in wrong.text
    plan = juno.post("/book", **fields, times="3", every="1").text
    assert (
        "1 of 3" in html.unescape(plan).replace("<b>", "").replace("</b>", "")
        and "by Ben Vasquez" in plan
        and scalar(desk, "SELECT COUNT(*) FROM visit") == 1
    )
    rows = {
        f"{name}-{n}": hidden(plan, f"{name}-{n}")
        for n in range(3)
        for name in ("patient_id", "type_id", "minutes", "key")
    }
    first = [re.search(rf'name="place-{n}".*?<option value="([^"]*)"', plan, re.S)[1] for n in range(3)]  # type: ignore[index]
    clash = juno.post(
        "/book/plan",
        **rows,
        **{f"place-{n}": p for n, p in enumerate([first[0], "2026-12-01 14:00 5", ""])},
        rows=3,
        site_id=1,
        back="/book",
    )
    assert clash.status_code == 409 and "The plan as it stands now" in clash.text
    odd = juno.post("/book/plan", rows="x", back="/book")
    assert odd.status_code == 303 and "Enter a whole number from 0 to 40" in juno.get("/book").text
    done = juno.post(
        "/book/plan",
        **rows,
        **{f"place-{n}": p for n, p in enumerate(first)},
        rows=3,
        site_id=1,
        back="/book",
    )
    assert (
        done.status_code == 303
        and scalar(desk, "SELECT COUNT(*) FROM visit WHERE patient_id = :p", p=patient) == 3
    )


def test_a_household_is_planned_side_by_side(juno: Browser, desk: Desk) -> None:
    helen, rafa = add_patient(desk), add_patient(desk, first="Rafael")
    with desk.engine.begin() as connection:
        from sqlalchemy import text

        connection.execute(
            text(
                "UPDATE patient SET household_id = (SELECT * FROM (SELECT household_id FROM patient WHERE id"
                " = :h) x) WHERE id = :r"
            ),
            {"h": helen, "r": rafa},
        )
    page = juno.get(f"/book?day={TODAY}&provider=2&at=13:15&patient={helen}").text
    assert "Also for the household" in page
    plan = juno.post(
        "/book",
        day=TODAY,
        at="13:15",
        provider_id=2,
        type_id=TYPE_ID["Hygiene"],
        minutes="",
        patient_id=helen,
        key=hidden(page, "key"),
        member=rafa,
        how="together",
        **{f"member_type-{rafa}": TYPE_ID["Hygiene"], f"member_with-{rafa}": ""},
    ).text
    assert "Every time is available" in plan and "P. Okwu" in plan and "Rafael Vasquez" in plan


def test_waitlist_page_fits_filters_asks_again_and_notes(juno: Browser, desk: Desk, clock: Any) -> None:
    assert "The waitlist is empty" in juno.get("/waitlist").text
    patient = add_patient(desk)
    juno.post(
        "/waitlist",
        patient_id=patient,
        why="short",
        type_id=TYPE_ID["Sick visit"],
        provider_id="",
        note="",
        back="/waitlist",
    )
    page = juno.get("/waitlist").text
    assert "1 person" in page and "Book Helen Vasquez" in page and "Available on short notice" in page
    link = html.unescape(re.search(r'data-act data-key="1" href="([^"]+)"', page)[1])  # type: ignore[index]
    assert "Helen Vasquez" in juno.get(link).text
    assert "No one on the waitlist matches" in juno.get(f"/waitlist?type={TYPE_ID['Hygiene']}").text
    for query in ("who=5", "room=5", "why=short", "order=wait", "order=fit", "since=7", f"from={FRIDAY}"):
        assert juno.get(f"/waitlist?{query}").status_code == 200
    assert "0 of 1" in juno.get("/waitlist?since=7").text and "0 of 1" in juno.get("/waitlist?room=1").text
    wait_id = scalar(desk, "SELECT id FROM waiting")
    assert juno.post(f"/waitlist/{wait_id}/tried", words="left word", back="/waitlist").status_code == 303
    assert "left word (JP)" in juno.get("/waitlist").text
    clock.set_to(at(9, day=TODAY + timedelta(days=9)))
    juno.sign_in("juno")
    assert 'Time to ask again <span class="n">1</span>' in juno.get("/waitlist").text
    juno.post(f"/waitlist/{wait_id}/still", back="/waitlist")
    assert "Everyone has been asked on time" in juno.get("/waitlist").text
    assert juno.post(f"/waitlist/{wait_id}/leave", reason=" ", back="/waitlist").status_code == 422
    juno.post(f"/waitlist/{wait_id}/leave", reason="moved away", back="/waitlist?why=short")
    assert "The waitlist is empty" in juno.get("/waitlist").text
    assert juno.post(f"/waitlist/{wait_id}/sing", back="/waitlist").status_code == 404
    assert juno.post("/waitlist", patient_id="", why="short", type_id=1, back="/waitlist").status_code == 422


def test_who_would_leave_a_later_visit_is_moved_not_booked_twice(juno: Browser, desk: Desk) -> None:
    visit_id = booked(desk, "14:00", day=FRIDAY, sooner=True)
    page = juno.get("/waitlist?order=fit").text
    assert "Move Helen Vasquez here" in page
    juno.post(f"/visits/{visit_id}/place", day=TODAY, at="14:00", provider_id=5, back="/waitlist")
    assert (
        scalar(desk, "SELECT day FROM visit WHERE id = :v", v=visit_id) == TODAY
        and "The waitlist is empty" in juno.get("/waitlist").text
    )


def test_requests_are_answered_together(juno: Browser, desk: Desk) -> None:
    assert "No requests waiting" in juno.get("/requests").text
    asked = [
        booked(desk, start, first=name, held_until=at(12), web_message="it hurts")
        for start, name in (("14:00", "Ana"), ("15:00", "Ben"))
    ]
    page = juno.get("/requests").text
    assert "it hurts" in page and "Tue 12:00" in page
    assert "held to 12:00" in juno.get("/book").text
    assert "requests from the web" in juno.get("/day").text
    assert juno.post("/requests", do="accept", back="/requests").status_code == 422
    juno.post("/requests", do="accept", visit=asked[0], back="/requests")
    juno.post("/requests", do="decline", visit=asked[1], note="full", back="/requests")
    assert [state_of(desk, v) for v in asked] == ["booked", "canceled"]
    again = juno.post("/requests", do="accept", visit=asked[0], back="/requests")
    assert again.status_code == 409 and "already answered" in again.text


def test_a_day_off_from_the_book(juno: Browser, desk: Desk) -> None:
    visit_id = booked(desk, day=FRIDAY)
    missing = juno.post("/book/dayoff", provider_id=5, day=FRIDAY, note="", back=f"/book?day={FRIDAY}")
    assert missing.status_code == 422 and "Say briefly why" in missing.text
    answer = juno.post("/book/dayoff", provider_id=5, day=FRIDAY, note="ill", back=f"/book?day={FRIDAY}")
    assert answer.status_code == 303 and state_of(desk, visit_id) == "canceled"
    page = juno.get(f"/book?day={FRIDAY}").text
    assert "1 to the waitlist" in page
    juno.post("/book/undo", act_id=hidden(page, "act_id"), back=f"/book?day={FRIDAY}")
    assert state_of(desk, visit_id) == "booked"


def test_setup_is_for_managers_and_every_page_of_it_opens(juno: Browser) -> None:
    for path in ("/setup", "/setup/types", "/setup/closures"):
        assert juno.get(path).status_code == 403
    sam = juno.sign_in("sam")
    home = sam.get("/setup").text
    assert "Heads-ups" in home and "6 people" in home and 'href="/setup/hours"' in home
    assert sam.get("/setup/hours").headers["location"] == "/setup/hours/1"
    for path in (
        "/setup/hours/5",
        "/setup/types",
        "/setup/types/1",
        "/setup/types/0",
        "/setup/sets",
        "/setup/sites",
        "/setup/closures",
    ):
        assert sam.get(path).status_code == 200
    for path in ("/setup/hours/99", "/setup/types/99"):
        assert sam.get(path).status_code == 404


def test_changed_hours_are_refused_with_the_visits_in_the_way_and_everything_typed(
    sam: Browser, desk: Desk
) -> None:
    visit_id = booked(desk, "15:00", day=FRIDAY)
    row = {
        "weekday-0": 4,
        "pattern-0": "every",
        "site_id-0": 1,
        "start-0": "8:00",
        "end-0": "12:00",
        "rest-0": "",
    }
    bad = sam.post("/setup/hours/5", form="hours", from_day=FRIDAY, **(row | {"end-0": "7:00"}))
    assert bad.status_code == 422 and "has to end after 8:00" in bad.text and 'value="7:00"' in bad.text
    answer = sam.post("/setup/hours/5", form="hours", from_day=FRIDAY, **row)
    assert answer.status_code == 409 and "1 booked visit would lie outside working hours" in answer.text
    assert (
        f"visit={visit_id}" in answer.text
        and 'name="start-0" value="8:00"' in answer.text
        and 'value="shelf"' in answer.text
    )
    assert scalar(desk, "SELECT COUNT(*) FROM provider_hours WHERE from_day IS NOT NULL") == 0


def test_setup_forms_say_what_is_wrong_and_keep_what_was_typed(sam: Browser) -> None:
    kind = sam.post(
        "/setup/types/0",
        name="",
        role="dentist",
        minutes="x",
        hours="never",
        web="no",
        for_whom="all",
        active=1,
    )
    assert kind.status_code == 422 and 'value="never"' in kind.text and "Give the type a name" in kind.text
    closure = sam.post("/setup/closures", first="", last="", words="storm")
    assert closure.status_code == 422 and "Choose a day" in closure.text and 'value="storm"' in closure.text
    site = sam.post("/setup/sites/2", name="Hill", timezone="Nowhere", grid="5", opens="7:00", closes="19:00")
    assert site.status_code == 422 and 'value="Nowhere"' in site.text
    assert sam.post("/setup/sets/0", name="Empty", active=1).status_code == 422
    assert sam.post("/setup/rooms/0", name="", site_id=1).status_code == 422
    assert (
        sam.post("/setup/hours/5/exception", form="exception", first=FRIDAY, words="", extra="0").status_code
        == 422
    )
    assert sam.post("/setup/holidays").status_code == 422
    assert sam.post("/setup/mark", mark="stars").status_code == 422


def test_the_patients_page_keeps_wishes_and_planned_work(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    juno.post(f"/patients/{patient}/wishes", **{"half-2": "likes", "half-9": "never"})
    assert (scalar(desk, "SELECT likes FROM patient"), scalar(desk, "SELECT never FROM patient")) == (4, 512)
    juno.post(f"/patients/{patient}/planned", service_id=SERVICE_ID["D2392"], tooth="14", surfaces="MO")
    page = juno.get(f"/patients/{patient}").text
    assert "White filling, back, two surfaces, tooth 14 MO" in html.unescape(page)
    wrong = juno.post(
        f"/patients/{patient}/planned", service_id=SERVICE_ID["D2392"], tooth="99", surfaces="MO"
    )
    assert wrong.status_code == 422
    planned = scalar(desk, "SELECT id FROM planned_service")
    juno.post(f"/patients/{patient}/planned/{planned}/drop")
    assert scalar(desk, "SELECT removed_at IS NOT NULL FROM planned_service") == 1
    visit_id = book_visit(desk, JUNO, order(patient))
    take_off(desk, JUNO, visit_id, "wants")
    wait_for(desk, JUNO, patient, "short", TYPE_ID["Hygiene"], 0, 1, "")
    shelve(desk, JUNO, [booked(desk, "15:00", first="Ben")])
    page = juno.get(f"/patients/{patient}").text
    assert "lost their spot" in page and "no visits yet, canceled 1" in page
