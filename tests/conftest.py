"""What all tests share: a database of their own on a free port, the clinic's setup in it, and a clock that
stands where they set it.
"""

from __future__ import annotations

import os
import random
import shutil
import socket
import subprocess
import tempfile
import threading
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from argon2 import PasswordHasher
from hypothesis import HealthCheck, settings
from sqlalchemy import Connection, Engine, insert, select, text
from xdist.scheduler import LoadScopeScheduling

from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakePayPage, FakeTerminal, FakeTexts
from zax.clock import ShiftedClock, system_now, to_utc
from zax.core.coverage.member import member_key
from zax.core.money.tender import TenderForm
from zax.core.people.roles import BILLER, CLINICIAN, MANAGER, RECEPTIONIST
from zax.demo.setup_rows import write_world
from zax.demo.world import PASSWORD, TYPE_ID, ZONE
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import BookOrder, book_visit
from zax.desk.book.track import take_to_room
from zax.desk.charges.charges import LineForm, change_line
from zax.desk.charges.diagnoses import add_diagnosis
from zax.desk.charges.finishing import ready_for_checkout
from zax.desk.clinic.clinic import Clinic, load
from zax.desk.money.payments import Item, PayForm, Taken, take_payment
from zax.desk.patients.details import name_keys
from zax.logs import configure
from zax.outside.doors import Outside
from zax.store import schema
from zax.store.engine import connect
from zax.store.migrate import migrate
from zax.store.money import queries as money
from zax.store.server import Server, daily_url_of

# What is made once for many tests is made in one process: the demo clinic of the walks, seeded clinics,
# servers of their own. All else goes to whichever process is free.
TOGETHER = (
    "tests/browser/",
    "tests/demo/test_archive.py",
    "tests/demo/test_history.py",
    "tests/demo/test_seed.py",
    "tests/desk/moving/test_damaged_archives.py",
    "tests/desk/setup/test_opening.py",
    "tests/store/test_backup.py",
)


class Together(LoadScopeScheduling):
    """Hands tests out one by one, but those that belong together to one process."""

    def _split_scope(self, nodeid: str) -> str:
        return next((each for each in TOGETHER if nodeid.startswith(each)), nodeid)


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> Together:
    return Together(config, log)


configure()
# How fast a busy machine makes examples says nothing about the rule.
settings.register_profile("zax", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("zax")
TODAY = date(2026, 11, 24)  # a Tuesday
SETUP = {
    "setting",
    "site",
    "room",
    "provider",
    "provider_hours",
    "closure",
    "service",
    "visit_type",
    "visit_type_service",
    "diagnosis_code",
    "user",
    "payer",
    "plan",
    "fee_schedule",
    "fee",
    "flag",
    "out_of_network",
    "alembic_version",
    "service_set",
    "service_set_line",
    "provider_exception",
    "reason",
    "discount",
    "tender_kind",
    "product",
    "return_reason",
    "ready_note",
    "role",
}
# The codes are many; whoever brings in all of them takes them away again.
NOT_PUT_BACK = {"alembic_version", "diagnosis_code"}
CODES = (
    ("J02.9", "Acute pharyngitis, unspecified", 1),
    ("J02", "Acute pharyngitis", 0),
    ("R05.1", "Acute cough", 1),
    ("R05.2", "Subacute cough", 1),
    ("I10", "Essential (primary) hypertension", 1),
)
JUNO = Actor(1, "Juno Park", RECEPTIONIST, "JP")
RAVI = Actor(2, "Ravi Teller", RECEPTIONIST, "RT")
ODILE = Actor(3, "Odile Marsh", BILLER, "OM")
SAM = Actor(4, "Sam Quill", MANAGER, "SQ")
INES = Actor(5, "Dr. Ines Calloway", CLINICIAN, "IC")


def free_port() -> int:
    """A port nobody has, below the range from which connections get theirs, so that nobody takes it before we
    do.
    """
    for _ in range(200):
        port = random.randrange(10_240, 32_000)
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) != 0:
                return port
    raise RuntimeError("no free port")


def wait_until_up(url: str, thread: threading.Thread, seconds: float = 30) -> None:
    """Until the server in the thread answers; an error if it ended or takes too long."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline and thread.is_alive():
        try:
            httpx.get(url, trust_env=False, timeout=5).raise_for_status()
        except httpx.TransportError:
            thread.join(0.05)
        else:
            return
    raise RuntimeError(f"{url} did not come up")


@pytest.fixture(scope="session")
def server() -> Iterator[Server]:
    """An own MariaDB for this test process, in a temporary folder on a free port."""
    folder = Path(tempfile.mkdtemp(prefix="zax-test-"))
    made = Server(folder / "db", free_port(), buffer_mb=128)
    made.start()
    yield made
    made.stop()
    shutil.rmtree(folder)


@pytest.fixture(scope="session")
def engine(server: Server) -> Iterator[Engine]:
    """The database with the clinic's setup: migrated by the real migrations."""
    from zax.store.server import url_of

    made = connect(url_of(server.folder, server.port))
    migrate(made)
    with made.begin() as connection:
        write_world(connection, TODAY)
        keep_passwords_cheaply(connection)
        connection.execute(
            insert(schema.diagnosis_code), [{"code": c, "words": w, "billable": bool(b)} for c, w, b in CODES]
        )
    yield made
    made.dispose()


def keep_passwords_cheaply(connection: Connection) -> None:
    """The same password: hundreds of tests sign in, and each would take a fifth of a second."""
    cheap = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1).hash(PASSWORD)
    connection.execute(
        schema.user.update().where(schema.user.c.password_hash != "").values(password_hash=cheap)
    )


@dataclass(slots=True)
class StandingClock(ShiftedClock):
    """A clock that goes on only by being looked at, a microsecond each time: what comes later is later, and a
    wait of fifteen minutes is over a quarter of an hour later, however fast or slow the machine is.
    """

    moment: datetime = datetime(2000, 1, 1)
    looks: int = 0

    def now(self) -> datetime:
        self.looks += 1
        return self.moment + timedelta(microseconds=self.looks)

    def set_to(self, moment: datetime) -> None:
        self.moment = moment
        self.shift = moment - system_now()


@pytest.fixture
def clock() -> ShiftedClock:
    made = StandingClock()
    made.set_to(at(10, 42))
    return made


@pytest.fixture(scope="session")
def daily(engine: Engine, server: Server) -> Iterator[Engine]:
    """The same database with the rights that the web and the worker have."""
    made = connect(daily_url_of(server.folder, server.port))
    yield made
    made.dispose()


@dataclass(frozen=True)
class SetupRows:
    """The clinic's setup as every test begins with it: the rows of its tables, and a sum over each."""

    rows: dict[str, list[dict[str, Any]]]
    sums: dict[str, int]

    def put_back(self, connection: Connection) -> None:
        """Whatever a test changed of the setup is as before."""
        for name, total in sums_of_setup(connection).items():
            if total == self.sums[name]:
                continue
            table = schema.metadata.tables[name]
            connection.execute(table.delete())
            if self.rows[name]:
                connection.execute(insert(table), self.rows[name])


def sums_of_setup(connection: Connection) -> dict[str, int]:
    """A sum over the rows of each table of the setup, whatever their order."""
    names = sorted(SETUP - NOT_PUT_BACK)
    sums = connection.execute(text(f"CHECKSUM TABLE {', '.join(f'`{name}`' for name in names)}"))
    return dict(zip(names, (row[1] for row in sums), strict=True))


@pytest.fixture(scope="session")
def setup_rows(engine: Engine) -> SetupRows:
    rows = {}
    with engine.connect() as connection:
        for name in SETUP - NOT_PUT_BACK:
            table = schema.metadata.tables[name]
            kept = [column for column in table.columns if column.computed is None]
            rows[name] = [dict(row._mapping) for row in connection.execute(select(*kept))]
        return SetupRows(rows, sums_of_setup(connection))


@pytest.fixture(scope="session")
def clinic(engine: Engine, setup_rows: SetupRows) -> Clinic:
    """As every test begins with it."""
    with engine.connect() as connection:
        return load(connection)


# Which tables have rows, in one question: nearly all have none, and a test takes less than emptying them all.
_WRITTEN = text(
    " UNION ALL ".join(
        f"(SELECT '{name}' FROM `{name}` LIMIT 1)" for name in schema.metadata.tables if name not in SETUP
    )
)


@pytest.fixture
def desk(
    engine: Engine, daily: Engine, clock: ShiftedClock, clinic: Clinic, setup_rows: SetupRows
) -> Iterator[Desk]:
    """A desk on an empty book; whatever a test wrote or changed is gone after it."""
    yield Desk(daily, clock, clinic)
    with engine.begin() as connection:
        connection.execute(text("SET foreign_key_checks=0"))
        for name in connection.execute(_WRITTEN).scalars().all():
            connection.execute(text(f"DELETE FROM `{name}`"))
        setup_rows.put_back(connection)
        connection.execute(text("SET foreign_key_checks=1"))


@pytest.fixture
def setup(desk: Desk) -> Desk:
    """The desk of a test that changes the clinic's setup."""
    return desk


def at(hour: int, minute: int = 0, day: date = TODAY) -> datetime:
    """A minute of the clinic's wall clock as UTC."""
    return to_utc(datetime(day.year, day.month, day.day, hour, minute), ZONE)


@pytest.fixture
def outside() -> Outside:
    return Outside(
        FakeTerminal(),
        FakeClearinghouse(),
        FakeMail(),
        FakeTexts(),
        FakeCalls(),
        pay_page=FakePayPage(),
    )


PATIENT: dict[str, Any] = {
    "first": "Helen",
    "last": "Vasquez",
    "birth": date(1984, 5, 3),
    "sex": "F",
    "phone": "3605550148",
    "email": "helen@example.org",
    "street": "12 Tide Street",
    "city": "Marrow Harbor",
    "state": "WA",
    "zip": "98201",
}


def add_patient(desk: Desk, plan_id: int | None = None, **changes: Any) -> int:
    """A patient with everything on file, covered by the plan from the start of last year."""
    values = PATIENT | changes
    with desk.engine.begin() as connection:
        household = connection.execute(
            insert(schema.household).values(name=values["last"])
        ).inserted_primary_key[0]
        values |= asdict(name_keys(values["first"], values["last"]))
        made = connection.execute(
            insert(schema.patient).values(
                household_id=household, guarantor=True, made_at=desk.clock.now(), **values
            )
        ).inserted_primary_key[0]
        if plan_id:
            connection.execute(
                insert(schema.coverage).values(
                    patient_id=made,
                    plan_id=plan_id,
                    subscriber_id=made,
                    member_id=f"M-{made}",
                    member_key=member_key(f"M-{made}"),
                    group_number="G1",
                    from_day=date(2025, 1, 1),
                )
            )
    return int(made)


def known_patient(desk: Desk, plan_id: int | None = None, **changes: Any) -> int:
    """The same, seen here last year for both kinds of care."""
    patient_id = add_patient(desk, plan_id, **changes)
    with desk.engine.begin() as connection:
        for kind, provider, room in (("Hygiene", 2, 3), ("Sick visit", 5, 5)):
            connection.execute(
                insert(schema.visit).values(
                    site_id=1,
                    patient_id=patient_id,
                    provider_id=provider,
                    room_id=room,
                    type_id=TYPE_ID[kind],
                    day=date(2025, 10, 1),
                    start_min=600,
                    minutes=30,
                    state="settled",
                    request_key=f"before-{patient_id}-{provider}",
                    made_at=datetime(2025, 9, 1),
                    made_by=JUNO.id,
                )
            )
    return patient_id


def order(
    patient_id: int | None,
    provider_id: int = 5,
    start: str = "14:00",
    kind: str = "Sick visit",
    **changes: Any,
) -> BookOrder:
    values: dict[str, Any] = {
        "site_id": 1,
        "day": TODAY,
        "at": start,
        "provider_id": provider_id,
        "type_id": str(TYPE_ID[kind]),
        "minutes": "",
        "patient_id": patient_id,
        "key": os.urandom(8).hex(),
    }
    return BookOrder(**(values | changes))


def visit_at_checkout(desk: Desk, patient_id: int, dental: bool = False, start: str = "14:00") -> int:
    """A visit taken through room and charges up to the checkout."""
    wanted = order(patient_id, 1, start, "Filling") if dental else order(patient_id, 5, start, "Sick visit")
    visit_id = book_visit(desk, JUNO, wanted)
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    with desk.engine.connect() as connection:
        lines = money.visit_lines(connection, visit_id)
    if dental:
        change_line(
            desk, JUNO, visit_id, lines[0].id, LineForm(units="1", tooth="14", surfaces="MO", billed=True)
        )
    else:
        add_diagnosis(desk, JUNO, visit_id, "J02.9")
    ready_for_checkout(desk, JUNO, visit_id)
    return visit_id


def pay_visit(
    desk: Desk,
    visit_id: int,
    tender: str,
    amount: str,
    key: str,
    number: str = "",
    terminal: FakeTerminal | None = None,
    also: tuple[int, ...] = (),
    **more: Any,
) -> Taken:
    """One tender for a visit, and for others of the household."""
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=visit_id)
    items = [Item(visit_id), *(Item(other) for other in also)]
    form = PayForm(tenders=[TenderForm(tender, amount, number)], items=items, key=key, **more)
    return take_payment(desk, JUNO, terminal or FakeTerminal(), patient, form)


def state_of(desk: Desk, visit_id: int) -> str:
    with desk.engine.connect() as connection:
        return str(
            connection.execute(text("SELECT state FROM visit WHERE id = :id"), {"id": visit_id}).scalar_one()
        )


def scalar(desk: Desk, statement: str, **values: Any) -> Any:
    with desk.engine.connect() as connection:
        return connection.execute(text(statement), values).scalar()


def rows_of(desk: Desk, statement: str, **values: Any) -> list[dict[str, Any]]:
    """Every row, by the names of its columns."""
    with desk.engine.connect() as connection:
        return [dict(row) for row in connection.execute(text(statement), values).mappings()]


def minutes(number: int) -> timedelta:
    return timedelta(minutes=number)


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A file system of a megabyte, where this machine lets us make one."""
    folder = tmp_path / "small"
    folder.mkdir()
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", folder], capture_output=True, check=False
    )
    if made.returncode != 0:
        pytest.skip("only root may make a small disk")
    yield folder
    subprocess.run(["umount", folder], check=True)
