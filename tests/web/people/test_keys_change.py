"""Keys change while people work: whoever is signed in stays so, a form that is open can still be sent, what
was sealed opens; and a day later the old keys are gone and all still works.
"""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import pytest
from cryptography.fernet import InvalidToken

from tests.conftest import JUNO, SAM, add_patient, scalar
from tests.web.conftest import Browser, hidden
from zax.core.errors import NotAllowed
from zax.desk.acts.transaction import Desk
from zax.desk.messages.gateway import gateway_secret, keep_gateway_secret
from zax.desk.patients.details import set_ssn, show_ssn
from zax.desk.setup import keys as rotating
from zax.desk.setup.keys import Rotated, rotate_keys, session_ring
from zax.store.vault import Vault, vault_ring

SECRET = "a secret of twenty letters and more"


def test_a_signed_in_person_and_an_open_form_go_on(juno: Browser, desk: Desk, tmp_path: Path) -> None:
    page = juno.get("/patients/new").text
    form = {
        "csrf": hidden(page, "csrf"),
        "first": "Ana",
        "last": "Ruiz",
        "birth": "1/1/1990",
        "phone": "360 555 0133",
    }
    before = dict(juno.client.cookies)
    rotate_keys(desk, SAM, tmp_path)
    assert juno.get("/day").status_code == 200
    sent = juno.client.post("/patients/new", data=form, follow_redirects=False)
    assert sent.status_code == 303 and scalar(desk, "SELECT COUNT(*) FROM patient WHERE first = 'Ana'") == 1
    assert before.keys() <= dict(juno.client.cookies).keys()
    assert hidden(juno.get("/patients/new").text, "csrf") != form["csrf"]


def test_a_cookie_that_no_key_signed_is_nobody_s(juno: Browser, desk: Desk, tmp_path: Path) -> None:
    session_ring(tmp_path).path.write_text("another-key-altogether\n")
    assert juno.get("/day").status_code == 303


def test_what_the_vault_sealed_is_sealed_anew_and_opens(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    vault, patient = Vault(tmp_path), add_patient(desk)
    set_ssn(desk, JUNO, vault, patient, "123-45-6789", 1)
    keep_gateway_secret(desk, SAM, vault, SECRET)
    sealed = scalar(desk, "SELECT ssn_cipher FROM patient")
    assert rotate_keys(desk, SAM, tmp_path) == Rotated(resealed=2, dropped=0, kept=2)
    assert scalar(desk, "SELECT ssn_cipher FROM patient") != sealed
    desk.read_setup()
    assert show_ssn(desk, JUNO, vault, patient) == "123456789"
    assert gateway_secret(desk.clinic, Vault(tmp_path)) == SECRET

    later = rotating.system_now() + timedelta(days=2)
    monkeypatch.setattr(rotating, "system_now", lambda: later)
    assert rotate_keys(desk, SAM, tmp_path) == Rotated(resealed=2, dropped=2, kept=2)
    with pytest.raises(InvalidToken):
        Vault(tmp_path).open(sealed)
    assert show_ssn(desk, JUNO, vault, patient) == "123456789"
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'keys.rotated'") == 2


def test_a_key_that_something_needs_is_never_thrown_away(desk: Desk, tmp_path: Path) -> None:
    vault, patient = Vault(tmp_path), add_patient(desk)
    set_ssn(desk, JUNO, vault, patient, "123-45-6789", 1)
    vault_ring(tmp_path).path.write_text(f"{vault_ring(tmp_path / 'other').newest}\n")
    with pytest.raises(InvalidToken):
        rotate_keys(desk, SAM, tmp_path)
    assert len(vault_ring(tmp_path).keys) == 2


def test_no_key_goes_before_what_was_sealed_anew_is_kept(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    vault, patient = Vault(tmp_path), add_patient(desk)
    set_ssn(desk, JUNO, vault, patient, "123-45-6789", 1)
    vault_ring(tmp_path).add(rotating.system_now() - timedelta(days=3))

    def lost(*_: object) -> int:
        raise RuntimeError("the database went away before it was kept")

    monkeypatch.setattr(rotating, "_reseal", lost)
    with pytest.raises(RuntimeError):
        rotate_keys(desk, SAM, tmp_path)
    assert len(vault_ring(tmp_path).keys) == 3
    assert show_ssn(desk, JUNO, Vault(tmp_path), patient) == "123456789"


def test_only_who_sets_up_changes_keys(desk: Desk, tmp_path: Path) -> None:
    with pytest.raises(NotAllowed):
        rotate_keys(desk, JUNO, tmp_path)
    assert len(session_ring(tmp_path).keys) == 1
