"""Patients in and out: columns guessed, rows checked, imports run in steps, and what goes out read back
without loss.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import (
    JUNO,
    ODILE,
    TODAY,
    add_patient,
    order,
    scalar,
)
from tests.desk.paying import agrees, all_lines, items_of, pay
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from zax.cli.importing import import_content
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused
from zax.core.moving.patients import PATIENTS, read_row
from zax.core.moving.sheet import decode, read_sheet
from zax.core.patients.fields import FIELDS
from zax.core.record.card import (
    CSV_COLUMNS,
    EXTRA,
    Card,
    CardCoverage,
    CardVisit,
    read_csv,
    read_vcards,
    write_csv,
    write_vcard,
)
from zax.core.record.fhir import read_bundle, write_bundle
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.moving.jobs import (
    drop_import,
    job_of,
    open_import,
    refused_lines,
    run_import,
    start_import,
)
from zax.desk.moving.patients import PATIENT_LIST, patient_sheet
from zax.desk.record.exporting import cards_of
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore

LIST = (
    "First Name,Surname,DOB,Gender,Cell Phone,Address Line 1,City,State,Zip Code,Family ID,Insurance"
    " Plan,Policy Number\nAna,Ruiz,5/3/1984,female,360 555 0101,1 Pier Road,Marrow Harbor,WA,98201,7,Harbor"
    " Guild Dental,HG-500\nLuis,Ruiz,2/1/2015,M,360 555 0101,1 Pier Road,Marrow"
    " Harbor,WA,98201,7,,\nBob,,1/1/1970,M,360 555 0102,,,,,,,\nEve,Long,31/12/1970,F,12,,,,,,Nobody"
    ' Mutual,X1\nAna,Ruiz,5/3/1984,F,360 555 0101,,,,,,,\n"Zoë, M",Öberg,1/1/1990,,,,,,,,,\n'
)

STEP = PATIENT_LIST.rows_at_once


def run(desk: Desk, store: FileStore, content: bytes, dry: bool = False) -> Any:
    job_id = open_import(desk, ODILE, store, "patients", "list.csv", content)
    with desk.engine.connect() as connection:
        columns = job_of(connection, job_id).columns
    start_import(desk, ODILE, job_id, columns, dry, queue=False)
    assert run_import(desk, ODILE, store, job_id)
    with desk.engine.connect() as connection:
        return job_of(connection, job_id)


@pytest.mark.parametrize(
    ("content", "text"),
    [
        ("Zoë".encode(), "Zoë"),
        (b"\xef\xbb\xbf" + "Zoë".encode(), "Zoë"),
        ("Zoë".encode("latin-1"), "Zoë"),
        (b"\xef\xbb\xbf" + "Zoë".encode("latin-1"), "Zoë"),
        ("Zoë".encode("utf-16"), "Zoë"),
        ("“Zoë”".encode("cp1252"), "“Zoë”"),
    ],
    ids=["utf-8", "with mark", "latin-1", "latin-1 with a mark", "utf-16", "windows"],
)
def test_a_file_is_read_in_whatever_encoding_it_is(content: bytes, text: str) -> None:
    assert decode(content) == text


@given(st.binary(max_size=300))
def test_any_bytes_are_a_table_or_refused(content: bytes) -> None:
    try:
        assert read_sheet(content).rows
    except Refused as error:
        assert set(error.problems) == {"file"}


def test_separators_quotes_and_lines_are_understood() -> None:
    for each in ",;\t|":
        sheet = read_sheet(f'first{each}last\n"A{each}b"{each}"c\nd"\n\nE{each}F\n'.encode())
        assert sheet.heading == ("first", "last") and sheet.rows == (
            (2, (f"A{each}b", "c\nd")),
            (5, ("E", "F")),
        )
    for wrong in (b"", b"first,last\n", b"a\x00b,c\nd,e\n"):
        with pytest.raises(Refused):
            read_sheet(wrong)


def test_columns_are_guessed_from_usual_headings() -> None:
    found = PATIENTS.guess(read_sheet(LIST.encode()).heading)
    assert found == {
        "first": 0,
        "last": 1,
        "birth": 2,
        "sex": 3,
        "phone": 4,
        "street": 5,
        "city": 6,
        "state": 7,
        "zip": 8,
        "household": 9,
        "plan": 10,
        "member_id": 11,
    }
    assert PATIENTS.guess(CSV_COLUMNS) == {name: place for place, name in enumerate(CSV_COLUMNS)}


def test_a_row_names_everything_that_is_wrong_with_it() -> None:
    columns = {"first": 0, "birth": 1, "phone": 2, "member_id": 3, "chart": 4}
    with pytest.raises(Problems) as wrong:
        read_row(("", "13/13/2020", "1", "HG-1", "x" * 13), columns, TODAY)
    assert set(wrong.value.problems) == {"first", "last", "birth", "phone", "plan", "chart"}
    row = read_row(("Ana", "Ruiz", "F"), {"first": 0, "last": 1, "sex": 2, "email": 9}, TODAY)
    assert row.values["sex"] == "F" and row.values["email"] == "" and row.values["texts_to"] == "phone"


def test_a_dry_run_keeps_nobody_and_an_import_everybody_it_can(desk: Desk, tmp_path: Path) -> None:
    store = FileStore(tmp_path)
    job = run(desk, store, LIST.encode("latin-1"), dry=True)
    assert (job.state, job.made, job.known, job.refused) == ("checked", 3, 1, 2) and scalar(
        desk, "SELECT COUNT(*) FROM patient"
    ) == 0
    start_import(desk, ODILE, job.id, job.columns, False, queue=False)
    run_import(desk, ODILE, store, job.id)
    with desk.engine.connect() as connection:
        done = job_of(connection, job.id)
        refused = list(
            csv.reader(io.StringIO("".join(refused_lines(connection, store, desk.clinic, job.id))))
        )
    assert (done.state, done.made, done.refused) == ("done", 3, 2)
    assert (
        [r[0] for r in refused[1:]] == ["4", "5"]
        and "last name" in refused[1][1]
        and "isn’t a date" in refused[2][1]
        and refused[2][2] == "Eve"
    )
    assert (
        scalar(desk, "SELECT GROUP_CONCAT(CONCAT(first, guarantor) ORDER BY id) FROM patient")
        == "Ana1,Luis0,Zoë, M1"
    )
    assert scalar(desk, "SELECT COUNT(DISTINCT household_id) FROM patient") == 2
    assert scalar(desk, "SELECT CONCAT(member_id, plan_id) FROM coverage") == "HG-5001"
    assert scalar(desk, "SELECT last_key FROM patient WHERE first LIKE 'Zo%'") == "oberg"
    with pytest.raises(Conflict, match="done"):
        start_import(desk, ODILE, job.id, job.columns, False)
    again = run(desk, store, LIST.encode())
    assert (again.made, again.known) == (0, 4)


def test_an_import_goes_on_where_it_broke_off_and_can_be_stopped(desk: Desk, tmp_path: Path) -> None:
    store = FileStore(tmp_path)
    rows = "".join(f"Ana{n},Ruiz,1/1/1990,{n // 400}\n" for n in range(STEP + 200))
    job_id = open_import(
        desk, ODILE, store, "patients", "big.csv", f"first,last,birth,household\n{rows}".encode()
    )
    columns = {"first": 0, "last": 1, "birth": 2, "household": 3}
    start_import(desk, ODILE, job_id, columns, False)
    with pytest.raises(Conflict, match="running"):
        start_import(desk, ODILE, job_id, columns, False)
    assert run_import(desk, ODILE, store, job_id, seconds=0) is False
    assert scalar(desk, "SELECT done FROM import_job") == STEP == scalar(desk, "SELECT COUNT(*) FROM patient")
    run_once(
        desk, Outside(FakeTerminal(), FakeClearinghouse(), FakeMail(), FakeTexts(), FakeCalls()), None, store
    )
    assert scalar(desk, "SELECT CONCAT(state, made) FROM import_job") == f"done{STEP + 200}"
    # a household that spans two steps is one, with one payer
    assert (
        scalar(desk, "SELECT COUNT(DISTINCT household_id) FROM patient")
        == 2
        == scalar(desk, "SELECT SUM(guarantor) FROM patient")
    )
    other = open_import(desk, ODILE, store, "patients", "b.csv", b"first,last\nA,B\n")
    drop_import(desk, ODILE, other)
    assert scalar(desk, "SELECT state FROM import_job WHERE id = :id", id=other) == "stopped"


def test_an_import_asks_for_names_and_each_column_once(desk: Desk, tmp_path: Path) -> None:
    store = FileStore(tmp_path)
    with pytest.raises(NotAllowed):
        open_import(desk, JUNO, store, "patients", "x.csv", b"first,last\nA,B\n")
    job_id = open_import(desk, ODILE, store, "patients", "..\\x.csv", b"first,last\nA,B\n")
    for columns, says in (({"first": 0}, "Last name"), ({"first": 0, "last": 0}, "twice")):
        with pytest.raises(Refused, match=says):
            start_import(desk, ODILE, job_id, columns, True)
    with desk.engine.connect() as connection, pytest.raises(NotFound):
        job_of(connection, 10**7)


def test_a_number_of_somebody_else_is_refused(desk: Desk, tmp_path: Path) -> None:
    add_patient(desk, chart="K-1")
    job = run(desk, FileStore(tmp_path), b"chart,first,last\nK-1,Bob,Long\nK-2,Eve,Long\nK-2,Zed,Long\n")
    assert (job.made, job.known, job.refused) == (1, 1, 1)


def test_the_command_line_imports_with_progress(desk: Desk, tmp_path: Path) -> None:
    refused = tmp_path / "refused.csv"
    store = FileStore(tmp_path)
    assert import_content(desk, store, "patients", "l.csv", LIST.encode(), True, refused) == 1
    assert refused.read_text().count("\n") == 3
    assert import_content(desk, store, "patients", "m.csv", b"first,last\nA,Bell\n", False, refused) == 0
    with pytest.raises(Refused):
        import_content(desk, store, "patients", "n.csv", b"one,two\nA,Bell\n", False, refused)


FULL = Card(
    {
        "first": "Zoë",
        "last": "Öberg-Lund",
        "used_name": "Zo",
        "pronouns": "they/them",
        "birth": "1990-02-28",
        "sex": "U",
        "alert": "=latex, allergy;\nreally",
        "phone": "3605550101",
        "home_phone": "3605550102",
        "work_phone": "3605550103",
        "texts_to": "work",
        "email": "zo@example.org",
        "street": "1 Pier Road, rear",
        "city": "Marrow Harbor",
        "state": "WA",
        "zip": "98201-5518",
        "mail_street": "PO Box 4",
        "mail_city": "Ferry",
        "mail_state": "OR",
        "mail_zip": "97001",
        "language": "Svenska",
        "employer": "Ferry; Works, Ltd",
        "emergency_name": "Ann",
        "emergency_relation": "sister",
        "emergency_phone": "3605550104",
        "chart": "K-77",
        "status": "inactive",
    },
    "12",
    (
        CardCoverage(
            number="5",
            payer="Harbor Guild Dental",
            plan="Guild",
            member_id="HG-1",
            group="G1",
            relationship="18",
            rank=1,
            from_day=date(2025, 1, 1),
            to_day=None,
        ),
        CardCoverage(
            number="6",
            payer="Copperline",
            plan="Choice",
            member_id="CP-2",
            group="",
            relationship="19",
            rank=2,
            from_day=None,
            to_day=date(2026, 5, 1),
        ),
    ),
    (
        CardVisit(
            number="9",
            starts=datetime(2026, 11, 24, 17, 0, tzinfo=UTC),
            ends=datetime(2026, 11, 24, 17, 30, tzinfo=UTC),
            words="Filling",
            provider="Dr. Ines Calloway",
            stop="confirmed",
        ),
    ),
)


def test_csv_comes_back_as_it_went() -> None:
    first = CardCoverage(number="", payer="", plan="Guild", member_id="HG-1", group="G1")
    assert read_csv("".join(write_csv([FULL, FULL]))) == [replace(FULL, coverages=(first,), visits=())] * 2


def test_a_vcard_comes_back_as_it_went() -> None:
    text = write_vcard(FULL)
    assert text.startswith("BEGIN:VCARD\r\nVERSION:3.0") and read_vcards(text * 2) == [Card(FULL.values)] * 2
    plain = read_vcards("BEGIN:VCARD\nVERSION:3.0\nN:Long;Eve;;;\nFN:Eve Long\nTEL:360 555 0101\nEND:VCARD\n")
    assert plain[0].values == {"first": "Eve", "last": "Long", "phone": "360 555 0101"}


def test_a_fhir_bundle_is_valid_and_comes_back_as_it_went() -> None:
    assert read_bundle(write_bundle([FULL])) == [replace(FULL, household="")]
    assert read_bundle(write_bundle([])) == []
    for wrong in (
        "{}",
        '{"resourceType": "Patient"}',
        "[1]",
        '{"resourceType": "Bundle", "type": "sideways-ish", "entry": 5}',
    ):
        with pytest.raises(ValueError):  # noqa: PT011 (the library's own words)
            read_bundle(wrong)


words = (
    st.text(
        st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Zl", "Zp"]), min_size=1, max_size=20
    )
    .map(lambda t: " ".join(t.split()))
    .filter(bool)
)
cards = st.builds(
    lambda first, last, more: Card({"first": first, "last": last, "chart": "7", "status": "active", **more}),
    words,
    words,
    st.fixed_dictionaries(
        {},
        optional=dict.fromkeys(
            (
                "used_name",
                "pronouns",
                "alert",
                "employer",
                "language",
                "street",
                "city",
                "emergency_name",
                "mail_street",
            ),
            words,
        ),
    ),
)


@pytest.mark.parametrize(
    "there_and_back",
    [
        lambda c: read_csv("".join(write_csv([c]))),
        lambda c: read_vcards(write_vcard(c)),
        lambda c: read_bundle(write_bundle([c])),
    ],
    ids=["csv", "vcard", "fhir"],
)
@settings(max_examples=40, deadline=None)
@given(card=cards)
def test_any_text_comes_back(there_and_back: Callable[[Card], list[Card]], card: Card) -> None:
    assert there_and_back(card) == [card]


def test_a_spreadsheet_runs_nothing_from_an_export() -> None:
    text = "".join(write_csv([Card({"first": "=1+1", "last": "@x"})]))
    assert "'=1+1,'@x" in text


def test_everybody_goes_out_and_comes_in_elsewhere(desk: Desk, tmp_path: Path) -> None:
    helen = add_patient(desk, 1, used_name="Nell")
    add_patient(desk, first="Gone", status="merged", merged_into_id=helen)
    add_patient(desk, first="Emil", status="inactive", phone="")
    book_visit(desk, JUNO, order(helen, 1, kind="Filling"))
    with desk.engine.connect() as connection:
        found = list(cards_of(connection, desk.clinic, visits=True))
        assert [c.values["first"] for c in cards_of(connection, desk.clinic, [helen])] == ["Helen"]
    assert [c.values["first"] for c in found] == ["Helen", "Emil"] and found[1].values["status"] == "inactive"
    assert (
        found[0].coverages[0].plan == "Harbor Guild Dental"
        and found[0].visits[0].starts.isoformat() == "2026-11-24T14:00:00-08:00"
    )
    for content in ("".join(write_csv(found)), "".join(map(write_vcard, found)), write_bundle(found)):
        sheet = patient_sheet(content.encode(), desk.clinic)
        row = read_row(sheet.rows[0][1], PATIENTS.guess(sheet.heading), TODAY)
        assert read_row(sheet.rows[1][1], PATIENTS.guess(sheet.heading), TODAY).status == "inactive"
        assert (row.values["first"], row.values["used_name"], row.values["birth"], row.chart) == (
            "Helen",
            "Nell",
            date(1984, 5, 3),
            str(helen),
        )
        assert run(desk, FileStore(tmp_path), content.encode()).known == 2
    assert set(found[0].values) <= {*FIELDS, *EXTRA}


def test_balances_brought_over_are_owed_or_wait_as_credit(desk: Desk, tmp_path: Path) -> None:
    table = (
        "First name,Surname,DOB,Account"
        " balance\nAna,Ruiz,5/3/1984,42.60\nLuis,Ruiz,2/1/2015,(20.00)\nIvo,Zeller,2/1/2001,0.00\n"
        "Eve,Long,2/1/2001,much\n"
    )
    job = run(desk, FileStore(tmp_path), table.encode())
    assert (job.made, job.refused) == (3, 1)
    ana = scalar(desk, "SELECT id FROM patient WHERE first = 'Ana'")
    luis = scalar(desk, "SELECT id FROM patient WHERE first = 'Luis'")
    assert [(each.words, each.cents) for each in items_of(desk, ana).lines] == [("Starting balance", 4260)]
    assert [each.cents for each in items_of(desk, luis).credits] == [2000]
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == 2 and agrees(desk)
    pay(desk, ana, all_lines(desk, ana), ("cash", "42.60"))
    assert items_of(desk, ana).due == 0
