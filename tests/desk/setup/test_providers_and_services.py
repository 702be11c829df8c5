"""Providers come, change and leave; services are changed and go out of use; the clinic's own numbers."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from tests.conftest import JUNO, ODILE, SAM, TODAY, add_patient, order, rows_of, scalar
from zax.core.errors import NotAllowed, NotFound, Problems, Refused
from zax.desk.acts.act import in_transaction
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.coverage.parties import envelope_of
from zax.desk.setup.clinic import ClinicForm, save_clinic
from zax.desk.setup.hours import Affected
from zax.desk.setup.providers import ProviderForm, bring_back, let_leave, save_provider, set_npi
from zax.desk.setup.services import ServiceForm, save_service, set_fees

NADIA = ProviderForm(
    first="Nadia",
    last="Ferro",
    name="Nadia Ferro NP",
    short="N. Ferro",
    role="medical",
    npi="1467560052",
    taxonomy="363LF0000X",
    room_id="7",
    at_once="2",
)


def test_a_provider_is_changed_and_the_numbers_are_checked(desk: Desk) -> None:
    save_provider(desk, SAM, 6, NADIA.but(at_once="3", room_id="6"))
    kept = desk.clinic.providers[6]
    assert (kept.at_once, kept.room_id, kept.npi) == (3, 6, "1467560052")
    with pytest.raises(Problems) as wrong:
        save_provider(
            desk,
            SAM,
            6,
            NADIA.but(first="", npi="1467560003", taxonomy="x", room_id="1", role="dentist"),
        )
    assert set(wrong.value.problems) == {"first", "npi", "taxonomy", "role"}
    with pytest.raises(Problems):
        save_provider(desk, SAM, 6, NADIA.but(room_id="1"))
    with pytest.raises(NotAllowed):
        save_provider(desk, JUNO, 6, NADIA)
    with pytest.raises(NotFound):
        save_provider(desk, SAM, 99, NADIA)
    with pytest.raises(Refused):
        set_npi(desk, SAM, 6, "1467560003")  # that is another's


def test_a_new_one_works_while_the_site_is_open(desk: Desk) -> None:
    made = save_provider(
        desk, SAM, 0, NADIA.but(first="Una", last="Berg", name="", short="", npi="", usual="1")
    )
    new = desk.clinic.providers[made]
    assert (new.name, new.short) == ("Una Berg", "U. Berg")
    monday = TODAY + timedelta(days=6)
    assert [(w.start, w.end) for w in desk.clinic.hours.windows(made, 1, monday)] == [(450, 1080)]
    assert desk.clinic.hours.windows(made, 1, monday + timedelta(days=5)) == ()


def test_who_leaves_loses_their_visits_to_the_shelf_and_every_list(desk: Desk) -> None:
    visit = book_visit(desk, JUNO, order(add_patient(desk), day=TODAY + timedelta(days=6), at="14:00"))
    who, day = rows_of(desk, "SELECT provider_id, day FROM visit WHERE id = :v", v=visit)[0].values()
    with pytest.raises(Affected) as listed:
        let_leave(desk, SAM, who, day - timedelta(days=1))
    assert [each.visit_id for each in listed.value.visits] == [visit]
    assert desk.clinic.providers[who].left_on is None
    let_leave(desk, SAM, who, day - timedelta(days=1), "shelf")
    assert scalar(desk, "SELECT state FROM visit WHERE id = :v", v=visit) == "shelf"
    assert who not in {each.id for each in desk.clinic.working(day)}
    assert desk.clinic.hours.windows(who, 1, day) == ()
    with pytest.raises(Refused):
        let_leave(desk, SAM, who, TODAY - timedelta(days=1))
    bring_back(desk, SAM, who)
    assert desk.clinic.hours.windows(who, 1, day)


def test_a_service_is_changed_retired_and_priced(desk: Desk) -> None:
    crown = next(each for each in desk.clinic.services.values() if each.code == "D2740")
    form = ServiceForm(
        words="Crown, all ceramic",
        category="major",
        fee="1200",
        done_on="tooth",
        teeth="permanent",
        retired_on="2027-01-01",
    )
    save_service(desk, ODILE, crown.id, form)
    kept = desk.clinic.services[crown.id]
    assert (kept.words, kept.fee_cents, kept.code) == ("Crown, all ceramic", 120_000, "D2740")
    assert kept.offered(date(2026, 12, 31)) and not kept.offered(date(2027, 1, 1))
    with pytest.raises(Refused, match="already"):
        save_service(desk, ODILE, 0, form.but(code="d2740"))
    made = save_service(desk, ODILE, 0, form.but(code="D6010", category="implants", retired_on=None))
    assert desk.clinic.services[made].rule.needs_tooth
    with pytest.raises(NotAllowed):
        save_service(desk, JUNO, crown.id, form)
    before = scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'service.fees'")
    assert set_fees(desk, ODILE, {crown.id: "1,250.50", made: ""}) == 2
    assert desk.clinic.services[crown.id].fee_cents == 125_050 and not desk.clinic.services[made].fee_cents
    assert set_fees(desk, ODILE, {crown.id: "1250.50"}) == 0
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'service.fees'") == before + 1
    with pytest.raises(Problems) as wrong:
        set_fees(desk, ODILE, {crown.id: "a lot", made: "5"})
    assert set(wrong.value.problems) == {f"fee-{crown.id}"} and not desk.clinic.services[made].fee_cents


def test_without_a_clearinghouse_a_file_is_refused_in_words(desk: Desk) -> None:
    about = desk.clinic.about
    names = ("clinic_name", "email", "npi", "taxonomy", "tax_id")
    save_clinic(desk, SAM, ClinicForm(**{name: about[name] for name in names}))
    with pytest.raises(Refused, match="clearinghouse first"):
        in_transaction(desk, SAM, lambda tx: envelope_of(tx, 1))
    with pytest.raises(Problems) as wrong:
        save_clinic(desk, SAM, ClinicForm(clinic_name="x", email="x@y.example", submitter_id="two words"))
    assert set(wrong.value.problems) == {"submitter_id"}
