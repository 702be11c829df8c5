"""Recalls over HTTP: the list and its sentence, one opened beside it, many at once, and the setup."""

from __future__ import annotations

import re
from datetime import timedelta
from urllib.parse import urlencode

import pytest

from tests.conftest import JUNO, TODAY, add_patient, known_patient, order, scalar
from tests.desk.followup.made import recall, recall_type
from tests.web.conftest import Browser, hidden
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit


def test_a_recall_of_ten_years_ago_stands_on_top_of_every_list(juno: Browser, desk: Desk) -> None:
    kind = recall_type(desk)
    lately, old = add_patient(desk, first="Lately"), add_patient(desk, first="Longago")
    recall(desk, lately, kind, TODAY - timedelta(days=3))
    number = recall(desk, old, kind, TODAY - timedelta(days=3652))
    for how in ("", "by=over", "by=all", "by=nonsense&booked=7&age=old&type=x", "booked=none", "tried=no"):
        page = juno.get(f"/followup/recalls?{how}").text
        assert "Longago" in page
        if "Lately" in page:
            assert page.index("Longago") < page.index("Lately")
    page = juno.get(f"/followup/recalls?open={number}").text
    assert "It’s time for your hygiene" in page and "weeks over" in page
    assert juno.get("/followup/recalls?open=999999").status_code == 404


def test_the_sentence_narrows_the_list(juno: Browser, desk: Desk) -> None:
    kind, other = recall_type(desk), recall_type(desk, "Physical", "1 year")
    booked, free = add_patient(desk, first="Booked"), add_patient(desk, first="Freely")
    for patient in (booked, free):
        recall(desk, patient, kind, TODAY - timedelta(days=60))
    recall(desk, add_patient(desk, first="Ahead"), other, TODAY + timedelta(days=70))
    book_visit(desk, JUNO, order(booked, 2, "14:00", "Hygiene"))

    def shown(**asked: object) -> set[str]:
        page = juno.get(f"/followup/recalls?{urlencode(asked)}").text
        return {name for name in ("Booked", "Freely", "Ahead") if f"<b>{name}" in page}

    assert shown() == {"Freely"}
    assert shown(booked="either") == {"Booked", "Freely"}
    assert shown(booked="booked") == {"Booked"}
    assert shown(by="quarter") == {"Freely", "Ahead"}
    assert shown(by="quarter", type=other) == {"Ahead"}
    assert shown(age="0-12") == set()


def test_what_is_wrong_is_said_beside_the_row_and_stays_typed(juno: Browser, desk: Desk) -> None:
    number = recall(desk, add_patient(desk), recall_type(desk), TODAY - timedelta(days=60))
    base = f"/followup/recalls/{number}"
    page = juno.post(f"{base}/end", why=" ", by="over")
    assert page.status_code == 422 and "Say why." in page.text
    page = juno.post(f"{base}/change", by="someday", every="6 months", note="so", version=1)
    assert page.status_code == 422 and 'value="someday"' in page.text
    page = juno.post(f"{base}/change", by="6 weeks", every="6 months", note="", version=1)
    assert page.status_code == 422 and "Say why it’s another day" in page.text
    done = juno.post(f"{base}/change", by="6 weeks", every="3 months", note="her own wish", version=1, by_="")
    assert done.status_code == 303 and done.headers["location"].endswith(f"open={number}")
    assert (
        scalar(desk, "SELECT CONCAT(own_count, own_unit) FROM recall WHERE id = :id", id=number) == "3month"
    )
    assert juno.post(f"{base}/pause", until="2027-01-15", why="on a trip").status_code == 303
    assert "left until" in juno.get("/followup/recalls?by=all").text
    assert juno.post(f"{base}/end", why="goes elsewhere").status_code == 303
    assert scalar(desk, "SELECT ended_how FROM recall WHERE id = :id", id=number) == "goes elsewhere"
    assert juno.post(f"{base}/again").status_code == 303


def test_many_are_texted_at_once_and_who_cannot_be_is_said(juno: Browser, desk: Desk) -> None:
    kind = recall_type(desk)
    reached = recall(desk, add_patient(desk, first="Reached"), kind, TODAY)
    silent = add_patient(desk, first="Silent", phone="")
    unreached = recall(desk, silent, kind, TODAY)
    ticked = {"row": [reached, unreached], "how": "text"}
    about = juno.post("/followup/recalls/about", **ticked).text
    assert "Reached would get" in about and "your hygiene is due" in about and "1 no mobile phone" in about
    sent = juno.post("/followup/recalls/reach", **ticked, by="all")
    assert sent.headers["location"] == "/followup/recalls?by=all"
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE channel = 'text'") == 1
    assert scalar(desk, "SELECT about FROM contact_try") == f'["recall-{reached}"]'
    assert "Reached" not in juno.get("/followup/recalls?tried=no").text
    nobody = juno.post("/followup/recalls/reach", how="text")
    assert nobody.status_code == 422 and "Tick whom it is for." in nobody.text


def test_more_than_a_hundred_go_some_at_a_time_and_each_once(juno: Browser, desk: Desk) -> None:
    kind = recall_type(desk)
    rows = [
        recall(desk, add_patient(desk, first=f"P{n}", phone="" if n % 50 == 0 else "3605550123"), kind, TODAY)
        for n in range(210)
    ]
    page = juno.post("/followup/recalls/reach", row=rows, how="text", by="all")
    steps = 0
    while page.status_code == 200:
        steps += 1
        shown = " ".join(page.text.split())
        assert f"<b>{100 * steps} of 210</b>" in shown
        assert f"{98 * steps} people will get a text. {2 * steps} skipped: no mobile phone" in shown
        sent = {name: hidden(page.text, name) for name in ("how", "list", "total", "sent", "rest", "once")}
        left = re.findall(r'name="left" value="([^"]*)"', page.text)
        page = juno.post("/followup/recalls/reach/more", **sent, left=left)
        juno.post("/followup/recalls/reach/more", **sent, left=left)  # pressed twice: done once
    assert steps == 2 and page.headers["location"] == "/followup/recalls?by=all"
    assert scalar(desk, "SELECT COUNT(*) FROM contact_try") == 205
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE channel = 'text'") == 205
    assert scalar(desk, "SELECT COUNT(DISTINCT patient_id) FROM contact_try") == 205


@pytest.mark.parametrize(
    "sent",
    [
        {},
        {"rest": "x,-1,,9999999999999999999"},
        {"rest": "1", "list": "//elsewhere.example", "total": "y", "sent": "-5", "left": ["|", "7", "z|z"]},
    ],
)
def test_a_step_that_was_tampered_with_does_no_harm(juno: Browser, sent: dict[str, object]) -> None:
    answer = juno.post("/followup/recalls/reach/more", how="text", **sent)
    assert answer.headers["location"] == "/followup/recalls"


def test_letters_come_in_one_print_and_nothing_is_noted_by_looking(juno: Browser, desk: Desk) -> None:
    kind = recall_type(desk)
    rows = [recall(desk, add_patient(desk, first=f"Writ{n}"), kind, TODAY) for n in range(3)]
    paper = juno.post("/followup/recalls/letters.pdf", row=rows, how="letter")
    assert paper.headers["content-type"] == "application/pdf"
    assert scalar(desk, "SELECT COUNT(*) FROM contact_try") == 0
    juno.post("/followup/recalls/reach", row=[], whole="yes", how="letter")
    assert scalar(desk, "SELECT COUNT(*) FROM contact_try WHERE how = 'letter'") == 3


def test_a_recall_is_set_by_hand_from_the_record_and_for_many(juno: Browser, desk: Desk) -> None:
    kind, other = recall_type(desk), recall_type(desk, "Physical", "1 year")
    patient = add_patient(desk)
    done = juno.post(f"/patients/{patient}/recalls", recall_type_id=kind, by_when="6 weeks")
    assert done.status_code == 303
    again = juno.post(f"/patients/{patient}/recalls", recall_type_id=kind, by_when="")
    assert again.status_code == 409 and "recalled for Hygiene already" in again.text
    wrong = juno.post(f"/patients/{patient}/recalls", recall_type_id=other, by_when="soonish")
    assert wrong.status_code == 422 and 'value="soonish"' in wrong.text
    rows = [scalar(desk, "SELECT id FROM recall")]
    juno.post("/followup/recalls/set", row=rows, recall_type_id=other, by_when="3 months")
    assert scalar(desk, "SELECT COUNT(*) FROM recall") == 2


@pytest.mark.parametrize(
    ("field", "typed", "said"),
    [
        ("name", "", "Give it a name"),
        ("every", "now and then", "Say how long"),
        ("every", "11 years", "1 day to 10 years"),
        ("before", "999", "whole number"),
        ("oldest", "2", "higher one"),
        ("starts", "D9999", "no service D9999"),
        ("tries", "shout 3", "Write each try"),
        ("tries", "text 9, call 3", "later than the one before"),
        ("text", "Hi {nickname}", "{nickname} isn’t a place"),
        ("type_id", "0", "Choose what is booked"),
    ],
)
def test_a_type_says_what_is_wrong_with_it(
    sam: Browser, desk: Desk, field: str, typed: str, said: str
) -> None:
    good = {
        "name": "Cleaning",
        "every": "6 months",
        "before": "14",
        "after": "28",
        "youngest": "3",
        "oldest": "0",
        "type_id": "1",
        "starts": "d1110 D1120",
        "ends": "",
        "repeats": "yes",
        "tries": "text -14, call 7",
        "text": "Hi {first}",
        "letter": "Dear {first}",
        "active": "yes",
        "version": "1",
    }
    page = sam.post("/setup/recalls/0", **(good | {field: typed}))
    assert page.status_code == 422 and said in page.text
    assert sam.post("/setup/recalls/0", **good).status_code == 303
    assert scalar(desk, "SELECT starts FROM recall_type") == '["D1110", "D1120"]'
    assert "Cleaning" in sam.get("/setup/recalls").text


def test_who_has_no_next_visit_is_recalled_from_the_report(juno: Browser, desk: Desk) -> None:
    kind = recall_type(desk)
    left, comes, recalled = (known_patient(desk, first=first) for first in ("Lefty", "Comey", "Recky"))
    book_visit(desk, JUNO, order(comes, 2, "14:00", "Hygiene"))
    recall(desk, recalled, kind, TODAY)
    page = juno.get("/followup/no-next-visit?seen=24").text
    assert "Lefty" in page and "Comey" not in page and "Recky" not in page
    assert "Recky" in juno.get("/followup/no-next-visit?all=yes&seen=24").text
    assert juno.get("/followup/no-next-visit?seen=nonsense").status_code == 200
    assert "Lefty" not in juno.get("/followup/no-next-visit?with=7&seen=24").text
    empty = juno.post("/followup/no-next-visit", recall_type_id=kind)
    assert empty.status_code == 422 and "Tick whom it is for." in empty.text
    wrong = juno.post(
        "/followup/no-next-visit", recall_type_id=kind, who=[left], by_when="soonish", seen="24"
    )
    assert wrong.status_code == 422 and 'value="soonish"' in wrong.text and "checked" in wrong.text
    done = juno.post("/followup/no-next-visit", recall_type_id=kind, who=[left], by_when="", seen="12")
    assert done.headers["location"] == "/followup/no-next-visit?seen=12"
    assert "Lefty" not in juno.get("/followup/no-next-visit?seen=24").text


def test_the_sheet_says_what_they_are_due_for(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    assert "Due" not in juno.get(f"/patients/{patient}/due").text
    number = recall(desk, patient, recall_type(desk), TODAY - timedelta(days=60))
    part = juno.get(f"/patients/{patient}/due").text
    assert f"/followup/recalls?open={number}" in part and "overdue" in part
