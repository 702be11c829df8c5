"""Looking back through the pages: who did what, who looked, what is unusual, and all of it as CSV."""

from __future__ import annotations

import csv
import io
from datetime import timedelta

from sqlalchemy import insert, update

from tests.conftest import JUNO, TODAY, add_patient, at, order
from tests.web.conftest import Browser
from zax.core.people.unusual import NEAR_DAYS
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.store import schema
from zax.store.setup.looking_back import look_facts

PAGE = "/setup/looking-back"


def test_who_did_what_by_person_patient_and_subject(sam: Browser, desk: Desk) -> None:
    patient, other = add_patient(desk), add_patient(desk, first="Una", last="Berg")
    book_visit(desk, JUNO, order(patient))
    book_visit(desk, JUNO, order(other, start="15:00"))
    page = sam.get(PAGE).text
    assert "Juno Park" in page and "Helen Vasquez" in page and "Una Berg" in page
    only = sam.get(f"{PAGE}?patient={other}").text
    assert "Una Berg" in only and "Helen" not in only
    assert "Helen" not in sam.get(f"{PAGE}?who=2").text
    assert "Helen" not in sam.get(f"{PAGE}?about=claim").text
    assert "Helen" not in sam.get(f"{PAGE}?since=2020-01-01&until=2020-02-01").text


def test_who_looked_and_what_of_it_is_unusual(sam: Browser, desk: Desk) -> None:
    patient = add_patient(desk, first="Nell", last="Quill")
    sam.get(f"/patients/{patient}")
    assert "Nell Quill" in sam.get(f"{PAGE}?what=looked").text
    assert "the same last name" in sam.get(f"{PAGE}?what=unusual").text


def test_an_evening_is_of_the_clinics_day_whatever_day_it_is_in_utc(sam: Browser, desk: Desk) -> None:
    """Ten days after a visit looking is ordinary still, in the evening as well; and an evening is one day."""
    patient = add_patient(desk, first="Nell", last="Berg")
    visit = book_visit(desk, JUNO, order(patient))
    with desk.engine.begin() as connection:
        long_ago = {"day": TODAY - timedelta(days=NEAR_DAYS)}
        connection.execute(update(schema.visit).where(schema.visit.c.id == visit).values(long_ago))
        moments = [at(hour, 30) for hour in (15, 17)]  # midnight in UTC lies between them
        assert {each.date() for each in moments} == {TODAY, TODAY + timedelta(days=1)}
        rows = [{"at": each, "user_id": 2, "patient_id": patient, "screen": "record"} for each in moments]
        connection.execute(insert(schema.look), rows)
        start = at(0, 0)
        facts = look_facts(connection, TODAY, start, start + timedelta(days=1))
    assert [(each.times, each.near) for each in facts] == [(2, True)]
    assert "Nell Berg" not in sam.get(f"{PAGE}?what=unusual").text


def test_all_of_it_as_csv_guarded(sam: Browser, desk: Desk) -> None:
    patient = add_patient(desk, first="=1+1", last="Berg")
    book_visit(desk, JUNO, order(patient))
    sam.get(f"/patients/{patient}")
    for what, column in (("did", "what"), ("looked", "screen")):
        answer = sam.get(f"{PAGE}.csv?what={what}")
        assert answer.headers["content-type"].startswith("text/csv")
        rows = list(csv.DictReader(io.StringIO(answer.text)))
        assert rows and column in rows[0]
        assert not any(cell.startswith("=") for row in rows for cell in row.values())


def test_only_who_may_looks_back_and_any_address_is_answered(juno: Browser) -> None:
    assert juno.get(PAGE).status_code == 403 and juno.get(f"{PAGE}.csv").status_code == 403
    juno.sign_in("sam")
    for query in ("what=x&since=y&until=z&who=q&patient=-1", "since=2030-01-01&until=2020-01-01", "before=0"):
        assert juno.get(f"{PAGE}?{query}").status_code in {200, 404}
    assert juno.get(f"{PAGE}?patient=999999").status_code in {200, 404}
