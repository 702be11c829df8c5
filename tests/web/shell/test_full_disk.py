"""A full disk under the web and the worker: nothing is lost, nobody gives up, and it is told in words."""

from __future__ import annotations

import os
from datetime import timedelta
from pathlib import Path

import pytest

from tests.conftest import add_patient, scalar
from tests.desk.paying import pay
from tests.web.conftest import Browser
from tests.web.record.test_record_pages import jpeg
from zax.desk.acts.transaction import Desk
from zax.desk.money.payments import Item
from zax.desk.worker.errands import LEASE, MOST_FAILURES
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.engine import NoRoom
from zax.store.files import FileStore
from zax.web.money.documents import receipt_pdf


def fill(disk: Path) -> Path:
    ballast = disk / "ballast"
    with ballast.open("wb") as file, pytest.raises(OSError, match="No space left"):
        while True:
            os.write(file.fileno(), bytes(4096))
    return ballast


def test_the_desk_is_told_keeps_what_it_typed_and_goes_on_once_there_is_room(
    juno: Browser, desk: Desk, small_disk: Path
) -> None:
    patient = add_patient(desk)
    shared = juno.client.app.state.shared  # type: ignore[attr-defined]
    object.__setattr__(shared, "files", FileStore(small_disk))
    ballast = fill(small_disk)
    form = {"kind": "scan", "words": "From her dentist"}
    content = ("letter.jpg", jpeg(), "image/jpeg")

    def send() -> tuple[int, str]:
        sent = {"csrf": juno.token, **form}
        answer = juno.client.post(
            f"/patients/{patient}/files", data=sent, files={"file": content}, follow_redirects=False
        )
        return answer.status_code, answer.text

    status, page = send()
    assert status == 503 and "The disk is full" in page and "From her dentist" in page
    assert "choose the file again" in page and scalar(desk, "SELECT COUNT(*) FROM patient_file") == 0
    ballast.unlink()
    assert send()[0] == 303 and scalar(desk, "SELECT COUNT(*) FROM patient_file") == 1


def test_an_errand_that_needs_room_waits_for_it_and_is_not_given_up(
    desk: Desk, outside: Outside, small_disk: Path
) -> None:
    patient = add_patient(desk, email="helen@example.org")
    pay(desk, patient, [Item(None, None, 1_200)], ("cash", "12"), receipt="email")
    ballast = fill(small_disk)
    met = 0
    for _ in range(12):
        try:
            run_once(desk, outside, receipt_pdf, FileStore(small_disk))
        except NoRoom:
            met += 1
        desk.clock.set_to(desk.clock.now() + 2 * LEASE)  # type: ignore[attr-defined]
    assert met > MOST_FAILURES
    assert scalar(desk, "SELECT failures FROM outbox WHERE kind = 'receipt_mail'") == 0
    ballast.unlink()
    desk.clock.set_to(desk.clock.now() + timedelta(hours=1))  # type: ignore[attr-defined]
    run_once(desk, outside, receipt_pdf, FileStore(small_disk))
    assert scalar(desk, "SELECT state FROM outbox WHERE kind = 'receipt_mail'") == "done"
