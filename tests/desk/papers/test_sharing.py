"""A paper goes once, attached only where it may be, else behind a link that only the birth date opens."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, timedelta
from email.message import EmailMessage
from pathlib import Path

import pytest

from tests.conftest import JUNO, SAM, add_patient, rows_of
from tests.desk.notices.made import log
from tests.desk.paying import relative
from tests.fakes import FakeMail, FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.inbox.again import send_again
from zax.desk.notices.rules import habits_of, keep_habits, keep_rule, rules_of
from zax.desk.papers.opening import MOST_WRONG, OPEN_FOR, behind, open_paper
from zax.desk.papers.sharing import NO_PAGES, Paper, send_paper, stop_link, ways_for
from zax.desk.patients.details import set_reach, set_status
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore
from zax.store.messages.messages import message_by_id

PDF = b"%PDF-1.7 what was planned"
EMAIL, TEXT = Channel.EMAIL, Channel.TEXT


@pytest.fixture
def files(tmp_path: Path) -> FileStore:
    return FileStore(tmp_path)


@pytest.fixture
def pages(desk: Desk) -> None:
    """Patients reach our pages."""
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


def works(desk: Desk, outside: Outside, files: FileStore) -> None:
    for _ in range(2):
        run_once(desk, outside, None, files)  # type: ignore[arg-type]


def mails(outside: Outside) -> list[EmailMessage]:
    assert isinstance(outside.mail, FakeMail)
    return outside.mail.sent


def send(desk: Desk, files: FileStore, paper: Paper, channel: Channel, key: str = "k") -> str:
    return send_paper(desk, JUNO, paper, files.put(PDF), channel, key)


def link(desk: Desk) -> str:
    return str(log(desk)[-1]["link"])


def test_what_says_nothing_about_care_is_attached(desk: Desk, outside: Outside, files: FileStore) -> None:
    paper = Paper(patient_id=add_patient(desk, first="Helen"), name="Directions", about_care=False)
    assert send(desk, files, paper, EMAIL) == "helen@example.org"
    works(desk, outside, files)
    (mail,) = mails(outside)
    (attached,) = mail.iter_attachments()
    assert attached.get_filename() == "directions.pdf" and attached.get_content() == PDF
    assert "attached to this email" in mail.get_body(("plain",)).get_content()  # type: ignore[union-attr]
    assert mail["List-Unsubscribe"] is None
    assert log(desk)[0]["state"] == "sent" and log(desk)[0]["link"] is None


@pytest.mark.usefixtures("pages")
def test_care_goes_as_a_link_until_the_patient_agrees(desk: Desk, outside: Outside, files: FileStore) -> None:
    patient = add_patient(desk)
    paper = Paper(patient_id=patient, name="Planned work")
    send(desk, files, paper, EMAIL, "a")
    works(desk, outside, files)
    assert list(mails(outside)[0].iter_attachments()) == []
    body = mails(outside)[0].get_body(("plain",)).get_content()  # type: ignore[union-attr]
    assert f"https://visits.example.org/p/{link(desk)}" in body and "Planned" not in body
    set_reach(desk, JUNO, patient, {"care": "yes"}, 1)
    send(desk, files, paper, EMAIL, "b")
    works(desk, outside, files)
    assert [each.get_content() for each in mails(outside)[1].iter_attachments()] == [PDF]
    send(desk, files, replace(paper, by_link=True), EMAIL, "c")
    works(desk, outside, files)
    assert list(mails(outside)[2].iter_attachments()) == []  # a statement never is


@pytest.mark.usefixtures("pages")
def test_a_text_is_always_a_link_and_says_nothing_of_what_it_is(
    desk: Desk, outside: Outside, files: FileStore
) -> None:
    paper = Paper(patient_id=add_patient(desk), name="Consent for extraction", about_care=False)
    assert send(desk, files, paper, TEXT) == "3605550148"
    works(desk, outside, files)
    assert isinstance(outside.texts, FakeTexts)
    ((_, words),) = outside.texts.sent.values()
    assert f"/p/{link(desk)} " in words and "xtraction" not in words and "Consent" not in words


def test_why_it_cant_go_is_said_before_anything_is_kept(desk: Desk, files: FileStore) -> None:
    paper = Paper(patient_id=add_patient(desk, email="", birth=None), name="Planned work")
    with desk.engine.connect() as connection:
        email, text = ways_for(connection, desk.clinic, paper, date(2026, 11, 24))
    assert "no email address" in email.why_not and text.why_not == NO_PAGES
    for channel, why in ((EMAIL, "no email address"), (TEXT, "can’t reach our pages")):
        with pytest.raises(Refused, match=why):
            send(desk, files, paper, channel)
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))
    with pytest.raises(Refused, match="no birth date"):
        send(desk, files, paper, TEXT)
    with pytest.raises(Refused, match="email or text"):
        send(desk, files, paper, Channel.CALL)
    assert log(desk) == []


@pytest.mark.usefixtures("pages")
def test_a_channel_that_is_switched_off_sends_none(desk: Desk, files: FileStore, outside: Outside) -> None:
    paper = Paper(patient_id=add_patient(desk), name="Planned work")
    send(desk, files, paper, TEXT, "first")
    with desk.engine.connect() as connection:
        rule = rules_of(connection).general(Event.PAPER, TEXT)
    keep_rule(desk, SAM, replace(rule, runs=False))
    with pytest.raises(Refused, match="switched off"):
        send(desk, files, paper, TEXT, "second")
    works(desk, outside, files)
    assert [row["state"] for row in log(desk)] == ["skipped"]


@pytest.mark.usefixtures("pages")
def test_a_childs_paper_goes_to_the_guarantor(desk: Desk, files: FileStore, outside: Outside) -> None:
    helen = add_patient(desk, first="Helen", email="helen@example.org", phone="3605550111")
    leo = relative(desk, helen, first="Leo", birth=date(2020, 2, 3), email="", phone="")
    assert send(desk, files, Paper(patient_id=leo, name="Planned work"), EMAIL) == "helen@example.org"
    works(desk, outside, files)
    assert "Hi Helen" in mails(outside)[0].get_body(("plain",)).get_content()  # type: ignore[union-attr]
    assert open_paper(desk, files, link(desk), "2/3/2020") == ("Planned work", PDF)


@pytest.mark.usefixtures("pages")
def test_only_the_birth_date_opens_it_and_the_record_says_so(
    desk: Desk, files: FileStore, outside: Outside
) -> None:
    send(desk, files, Paper(patient_id=add_patient(desk), name="Planned work"), EMAIL)
    works(desk, outside, files)
    assert behind(desk, link(desk)).message.opened_at is None  # a scanner that opens the page opens nothing
    with pytest.raises(Refused, match="isn’t a date"):
        open_paper(desk, files, link(desk), "nonsense")
    with pytest.raises(Refused, match="isn’t the birth date"):
        open_paper(desk, files, link(desk), "5/4/1984")
    assert log(desk)[0]["opened_at"] is None and log(desk)[0]["wrong_tries"] == 1
    assert open_paper(desk, files, link(desk), "5/3/1984") == ("Planned work", PDF)
    assert log(desk)[0]["opened_at"] is not None
    acts = [row["act"] for row in rows_of(desk, "SELECT act FROM audit WHERE act LIKE 'paper.%' ORDER BY id")]
    assert acts == ["paper.sent", "paper.wrong_birth", "paper.opened"]


@pytest.mark.usefixtures("pages")
def test_guessing_shuts_it_also_by_many_at_once(desk: Desk, files: FileStore) -> None:
    send(desk, files, Paper(patient_id=add_patient(desk), name="Planned work"), EMAIL)
    found = link(desk)

    def guess(number: int) -> str:
        try:
            open_paper(desk, files, found, f"1/{number % 28 + 1}/1970")
        except (Refused, NotFound) as error:
            return type(error).__name__
        return "open"

    with ThreadPoolExecutor(8) as pool:
        said = list(pool.map(guess, range(40)))
    assert said.count("Refused") == MOST_WRONG and said.count("NotFound") == 40 - MOST_WRONG
    with pytest.raises(NotFound):
        open_paper(desk, files, found, "5/3/1984")


@pytest.mark.usefixtures("pages")
def test_a_link_ends_after_a_month_or_when_it_is_stopped(
    desk: Desk, files: FileStore, clock: ShiftedClock
) -> None:
    paper = Paper(patient_id=add_patient(desk), name="Planned work")
    send(desk, files, paper, EMAIL, "a")
    first = link(desk)
    send(desk, files, paper, EMAIL, "b")
    stop_link(desk, JUNO, log(desk)[-1]["id"])
    with pytest.raises(NotFound):
        stop_link(desk, JUNO, log(desk)[-1]["id"])
    clock.set_to(clock.now() + OPEN_FOR - timedelta(minutes=1))
    assert open_paper(desk, files, first, "5/3/1984")[1] == PDF
    clock.set_to(clock.now() + timedelta(hours=1))
    for gone in (first, "", "x" * 24, "x" * 900, "None"):
        with pytest.raises(NotFound):
            open_paper(desk, files, gone, "5/3/1984")


@pytest.mark.usefixtures("pages")
def test_a_link_stopped_or_a_patient_gone_before_it_went_sends_nothing(
    desk: Desk, files: FileStore, outside: Outside
) -> None:
    helen, ivo = add_patient(desk), add_patient(desk, first="Ivo", email="ivo@example.org")
    for key, patient in (("a", helen), ("b", ivo)):
        send(desk, files, Paper(patient_id=patient, name="Planned work"), EMAIL, key)
    stop_link(desk, JUNO, log(desk)[0]["id"])
    set_status(desk, JUNO, ivo, "inactive", "moved away", "", 1, 1)
    works(desk, outside, files)
    assert mails(outside) == []
    assert [row["state"] for row in log(desk)] == ["skipped", "withdrawn"]


@pytest.mark.usefixtures("pages")
def test_sent_again_it_has_a_link_of_its_own(desk: Desk, files: FileStore, outside: Outside) -> None:
    send(desk, files, Paper(patient_id=add_patient(desk), name="Planned work"), EMAIL)
    works(desk, outside, files)
    first = log(desk)[0]
    assert send_again(desk, JUNO, first["id"], "again") == "helen@example.org"
    works(desk, outside, files)
    second = log(desk)[1]
    assert second["link"] != first["link"] and second["link"] in second["words"]
    with desk.engine.connect() as connection:
        kept = message_by_id(connection, second["id"])
    assert kept is not None and kept.paper == first["paper"] and kept.why == "Planned work, sent again"
