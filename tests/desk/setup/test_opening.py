"""A clinic opens once, from nothing, and works from the first minute."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.conftest import free_port
from tests.web.conftest import Browser, hidden
from zax.clock import ShiftedClock
from zax.core.errors import Problems, Refused
from zax.core.people.roles import MANAGER
from zax.core.setup.first_days import Column, first_days
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.book.openings import Part, Request, find_openings
from zax.desk.clinic.clinic import load
from zax.desk.patients.details import put_on_file
from zax.desk.people.sign_in import authenticate
from zax.desk.setup.clinic import ClinicForm, save_clinic
from zax.desk.setup.first_days import facts_of
from zax.desk.setup.opening import NewSiteForm, Opening, StartForm, open_clinic
from zax.desk.setup.providers import ProviderForm, save_provider, set_npi
from zax.desk.setup.services import set_fees
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.settings import Settings
from zax.store.engine import connect
from zax.store.migrate import drop_everything, is_demo, migrate
from zax.store.server import Server, daily_url_of, url_of
from zax.web.app import create_app
from zax.web.setup.opening import KEY_FILE, opening_key

CLINIC = ClinicForm(
    clinic_name="Kestrel Bay Family Care",
    email="desk@kestrelbay.example.org",
    npi="1234567893",
    taxonomy="261QM1300X",
    tax_id="91-7654321",
)
SITE = NewSiteForm(
    name="Bay Street",
    street="12 Bay Street",
    city="Kestrel Bay",
    state="WA",
    zip="98201",
    phone="360 555 0177",
    opens="8:00",
    closes="17:00",
    chairs="2",
    exam_rooms="1",
)
START = StartForm(kind="both", name="Mara Quince", sign_in="mara", password="seven gulls in fog")
OPENING = Opening(CLINIC, [SITE], START)


@pytest.fixture(scope="module")
def own_server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A database of their own for clinics that open from nothing."""
    made = Server(tmp_path_factory.mktemp("own") / "db", free_port(), buffer_mb=64)
    made.start()
    yield made
    made.stop()


@pytest.fixture
def empty(own_server: Server) -> Iterator[Desk]:
    """A migrated database with no clinic in it."""
    owner = connect(url_of(own_server.folder, own_server.port))
    drop_everything(owner)
    migrate(owner)
    assert not is_demo(owner)
    engine = connect(daily_url_of(own_server.folder, own_server.port))
    with engine.connect() as connection:
        clinic = load(connection)
    yield Desk(engine, ShiftedClock(), clinic)
    engine.dispose()
    owner.dispose()


def mara(desk: Desk, user_id: int) -> Actor:
    return Actor(user_id, "Mara Quince", desk.clinic.roles[MANAGER.key], "MQ")


DENTIST = ProviderForm(
    first="Ida", last="Lund", role="dentist", room_id="1", npi="1467560003", taxonomy="1223G0001X", usual="1"
)


def test_from_nothing_to_a_booked_visit(empty: Desk, outside: Outside) -> None:
    assert run_once(empty, outside, lambda *_: b"") == 0  # nothing to do, and nothing breaks
    sam = mara(empty, open_clinic(empty, OPENING))
    clinic = empty.clinic
    assert [each.name for each in clinic.rooms.values()] == ["Chair 1", "Chair 2", "Exam 1"]
    assert clinic.first_site.timezone == "America/Los_Angeles" and len(clinic.types) == 16
    assert not any(each.fee_cents for each in clinic.services.values())
    assert authenticate(empty, "mara", "seven gulls in fog", "1.2.3.4").name == "Mara Quince"
    dentist = save_provider(empty, sam, 0, DENTIST)
    filling = next(each for each in empty.clinic.types.values() if each.name == "Filling")
    today = empty.clock.now().date()
    wish = Request(parts=(Part(filling.id),), sites=(1,), first=today, last=today + timedelta(days=20))
    with empty.engine.connect() as connection:
        best = find_openings(connection, empty.clinic, empty.clock.now(), wish)
    assert best and best[0].lead == dentist
    patient = put_on_file(empty, sam, "Nell", "Brand", "4/5/1990", "360 555 0188", site_id=1)
    assert patient and run_once(empty, outside, lambda *_: b"") >= 0


def test_a_clinic_opens_once_however_many_press_at_once(empty: Desk) -> None:
    def press(_: int) -> str:
        try:
            return f"opened {open_clinic(empty, OPENING)}"
        except Refused as error:
            return error.message

    with ThreadPoolExecutor(4) as pool:
        said = list(pool.map(press, range(4)))
    assert sum(each.startswith("opened") for each in said) == 1, said
    assert sum("already open" in each for each in said) == 3
    with empty.engine.connect() as connection:
        assert connection.execute(text("SELECT COUNT(*) FROM site")).scalar() == 1
        assert connection.execute(text("SELECT COUNT(*) FROM user")).scalar() == 1


def test_every_wrong_field_is_told_at_once_and_nothing_is_kept(empty: Desk) -> None:
    with pytest.raises(Problems) as wrong:
        open_clinic(
            empty,
            Opening(
                CLINIC.but(clinic_name="", npi="1234567890"),
                [SITE, SITE.but(zip="1", chairs=0, exam_rooms=0)],
                START.but(sign_in="m", password="mara quince"),
            ),
        )
    told = {"clinic_name", "npi", "zip-2", "chairs-2", "sign_in", "password"}
    assert set(wrong.value.problems) == told
    with empty.engine.connect() as connection:
        assert connection.execute(text("SELECT COUNT(*) FROM setting")).scalar() == 0


def test_the_page_behind_the_link(empty: Desk, outside: Outside, tmp_path: Path) -> None:
    app = create_app(empty, outside, Settings(var=tmp_path))
    key = opening_key(tmp_path)
    assert (tmp_path / KEY_FILE).stat().st_mode & 0o777 == 0o600
    with TestClient(app, base_url="http://127.0.0.1") as client:
        web = Browser(client)
        assert web.get("/day").headers["location"] == "/open"
        assert web.get("/ask").headers["location"] == "/open"
        assert web.get("/open").status_code == 503 and web.get("/open/guess").status_code == 404
        page = web.get(f"/open/{key}")
        sent = {name: str(value) for name, value in dict(CLINIC).items()} | dict(START)
        sent |= {f"{name}-1": str(value) for name, value in dict(SITE).items()}
        sent |= {"opens-1": "8:00", "closes-1": "17:00", "sites": "1", "csrf": hidden(page.text, "csrf")}
        more = client.post(f"/open/{key}", data=sent | {"more": "2"})
        assert 'name="name-2"' in more.text and 'value="Bay Street"' in more.text
        wrong = client.post(f"/open/{key}", data=sent | {"npi": "12"})
        assert wrong.status_code == 422 and "ten digits" in wrong.text and 'value="Bay Street"' in wrong.text
        assert "seven gulls" not in wrong.text
        done = client.post(f"/open/{key}", data=sent, follow_redirects=False)
        assert done.headers["location"] == "/setup/first-days" and not (tmp_path / KEY_FILE).exists()
        assert "Opening <" not in web.get("/setup/first-days").text
        assert "Who sees patients" in web.get("/setup/first-days").text
        for path in ("/day", "/book", "/patients", "/money", "/claims", "/waitlist", "/followup/calls"):
            assert web.get(path).status_code == 200, path
        for path in ("/inbox", "/setup", "/setup/hours", "/plans", "/statements", "/close", "/eligibility"):
            assert web.get(path).status_code in {200, 303}, path
        assert web.get(f"/open/{key}").status_code == 404


def test_the_list_gets_shorter_as_things_are_done(empty: Desk) -> None:
    sam = mara(empty, open_clinic(empty, OPENING))
    left = lambda: {each.key for column in facts(empty, sam) for each in column.left}  # noqa: E731
    assert {"providers", "fees", "payers"} <= left() and "numbers" not in left()
    dentist = save_provider(empty, sam, 0, DENTIST.but(npi=""))
    assert "providers" not in left() and "hours" not in left() and {"npis", "types"} <= left()
    set_npi(empty, sam, dentist, "1467560003")
    set_fees(empty, sam, dict.fromkeys(empty.clinic.services, "100"))
    save_clinic(
        empty,
        sam,
        CLINIC.but(submitter_id="KESTREL", clearinghouse_name="Ferryhub", clearinghouse_id="FERRYHUB"),
    )
    assert not {"npis", "fees", "clearinghouse"} & left()


def facts(desk: Desk, actor: Actor) -> tuple[Column, ...]:
    with desk.engine.connect() as connection:
        return first_days(facts_of(connection, desk.clinic, desk.clock.now().date(), actor.id or 0))
