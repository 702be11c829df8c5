"""Lists about patients on file: starting balances, appointments and documents; nobody is taken for someone
else, nothing is brought twice, nobody is texted.
"""

from __future__ import annotations

import io
import zipfile
from datetime import date, timedelta
from pathlib import Path

import pikepdf
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import INES, JUNO, SAM, TODAY, add_patient, order, scalar
from tests.desk.moving.bringing import bring, came, counts, zipped
from tests.desk.paying import agrees
from zax.core.errors import NotAllowed, Refused
from zax.core.moving.calendar import HEADING, read_calendar
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.moving.documents import from_folder, unpacked
from zax.desk.moving.lists import LISTS
from zax.store.files import FileStore

DAY = TODAY + timedelta(days=6)
CALENDAR = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//elsewhere//EN
BEGIN:VEVENT
UID:1
DTSTART:20261130T180000Z
DTEND:20261130T184500Z
SUMMARY:Helen Vasquez: Filling
ORGANIZER;CN="Dr. Ines Calloway":mailto:nobody@example.com
LOCATION:Quay Street
END:VEVENT
BEGIN:VEVENT
UID:2
DTSTART;TZID=America/Los_Angeles:20261201T090000
DURATION:PT45M
SUMMARY:Helen Vasquez
CATEGORIES:Filling
ORGANIZER;CN="Calloway, Ines":mailto:nobody@example.com
END:VEVENT
BEGIN:VEVENT
UID:3
DTSTART:20261202T180000Z
RRULE:FREQ=WEEKLY
SUMMARY:Helen Vasquez: Filling
END:VEVENT
BEGIN:VEVENT
UID:4
DTSTART;VALUE=DATE:20261203
SUMMARY:Staff party
END:VEVENT
BEGIN:VEVENT
UID:5
DTSTART:20261202T190000Z
STATUS:CANCELLED
SUMMARY:Helen Vasquez: Filling
END:VEVENT
END:VCALENDAR
"""


def pdf(words: str = "") -> bytes:
    out = io.BytesIO()
    with pikepdf.new() as made:
        made.add_blank_page(page_size=(200, 200))
        made.docinfo["/Title"] = words
        made.save(out)
    return out.getvalue()


@pytest.fixture
def helen(desk: Desk) -> int:
    return add_patient(desk, chart="H-1")


def test_balances_come_once_and_the_journal_stays_whole(desk: Desk, tmp_path: Path, helen: int) -> None:
    other = add_patient(desk, first="Emil", last="Berg", birth=date(1970, 1, 2), phone="")
    listed = (
        "Patient number,Patient,DOB,Balance due,As of\n"
        "H-1,,,120.50,11/1/2026\n"
        ',"Berg, Emil",1/2/1970,(20.00),\n'
        ",Emil Berg,1/2/1971,5,\n"
        "X-9,,,5,\n"
        ",Emil Berg,,abc,\n"
    )
    dry = bring(desk, tmp_path, "balances", listed, dry=True)
    assert counts(dry) == (2, 0, 0, 3) and scalar(desk, "SELECT COUNT(*) FROM journal") == 0
    job = bring(desk, tmp_path, "balances", listed)
    assert counts(job) == (2, 0, 0, 3) and agrees(desk)
    owed = "SELECT SUM(patient_cents) FROM journal WHERE patient_id = :n"
    assert (scalar(desk, owed, n=helen), scalar(desk, owed, n=other)) == (12050, -2000)
    assert scalar(desk, "SELECT words FROM charge_line") == "Starting balance as of 11/1/2026"
    refused = came(desk, job, "refused")
    assert "Emil Berg and born that day" in refused[4] and "number X-9" in refused[5]
    again = bring(desk, tmp_path, "balances", "chart,balance\nH-1,99\n")
    assert counts(again) == (0, 0, 1, 0) and scalar(desk, owed, n=helen) == 12050
    assert came(desk, again, "known")[2] == "has a starting balance of $120.50 already"


def test_two_of_one_name_are_never_guessed_at(desk: Desk, tmp_path: Path, helen: int) -> None:
    add_patient(desk, birth=date(2001, 1, 1))
    merged = add_patient(desk, first="Nell", status="merged", merged_into_id=helen)
    job = bring(desk, tmp_path, "balances", "patient,birth,balance\nHelen Vasquez,,5\nNell Vasquez,,7\n")
    assert (
        counts(job) == (1, 0, 0, 1) and "2 patients are called Helen Vasquez" in came(desk, job, "refused")[2]
    )
    assert scalar(desk, "SELECT patient_id FROM journal") == helen != merged


def test_appointments_are_booked_as_the_desk_books_and_conflicts_are_listed(
    desk: Desk, tmp_path: Path, helen: int
) -> None:
    emil = add_patient(desk, first="Emil", last="Berg", phone="")
    book_visit(desk, JUNO, order(emil, 1, "10:00", "Filling", day=DAY))
    day = f"{DAY:%m/%d/%Y}"
    listed = (
        "Chart,Patient name,Date,Time,Length,Provider,Appointment type,Notes\n"
        f"H-1,,{day},1:30 PM,,Dr. Calloway,filling,Likes the window\n"
        f",Emil Berg,{day},10:00,,Dr. Calloway,Filling,\n"
        f"H-1,,{day},10:00,,Dr. Calloway,Filling,\n"
        f'H-1,,{day},14:00,,"Wren, Tobias",Filling,\n'
        f"H-1,,{day},9:00,,Dr. Nobody,Filling,\n"
        f"H-1,,{day},25:00,,Dr. Wren,Massage,\n"
        f"H-1,,1/5/2026,9:00,,Dr. Wren,Filling,\n"
    )
    dry = bring(desk, tmp_path, "visits", listed, dry=True)
    assert counts(dry) == (1, 0, 1, 5) and scalar(desk, "SELECT COUNT(*) FROM visit") == 1
    job = bring(desk, tmp_path, "visits", listed)
    assert counts(job) == (1, 0, 1, 5)
    row = "SELECT CONCAT_WS('|', start_min, provider_id, note) FROM visit WHERE patient_id = :n"
    assert scalar(desk, row, n=helen) == "810|1|Likes the window"
    refused = came(desk, job, "refused")
    assert "This patient has a visit with Dr. Ines Calloway" in refused[5]
    assert "no provider “Dr. Nobody”" in refused[6]
    assert "isn’t a time" in refused[7] and "no visit type “Massage”" in refused[7]
    assert "has passed" in refused[8] and refused[4]


def test_a_calendar_file_is_read_on_the_clinics_clock(desk: Desk, tmp_path: Path, helen: int) -> None:
    job = bring(desk, tmp_path, "visits", CALENDAR)
    assert counts(job) == (2, 0, 3, 0)
    assert scalar(
        desk, "SELECT GROUP_CONCAT(CONCAT(day, ' ', start_min, ' ', minutes) ORDER BY id) FROM visit"
    ) == ("2026-11-30 600 45,2026-12-01 540 45")
    assert came(desk, job, "known") == {
        3: "It repeats. Book a series instead.",
        4: "It lasts all day, so it isn’t an appointment.",
        5: "It was canceled.",
    }
    again = bring(desk, tmp_path, "visits", CALENDAR)
    assert counts(again) == (0, 0, 5, 0)


@pytest.mark.parametrize(
    "content", [b"BEGIN:VCALENDAR", b"BEGIN:VCALENDAR\nEND:VCALENDAR\n", b"BEGIN:VCALENDAR\n\xff\xfe:x"]
)
def test_a_calendar_that_is_none_is_refused(desk: Desk, tmp_path: Path, content: bytes) -> None:
    with pytest.raises(Refused):
        bring(desk, tmp_path, "visits", content)


@settings(max_examples=60)
@given(
    lines=st.lists(
        st.sampled_from(
            [
                "DTSTART:20261130T180000Z",
                "DTSTART:99999999T999999Z",
                "DTSTART;TZID=Mars/Base:20261130T180000",
                "DTEND:x",
                "DURATION:-P9999999999D",
                "DURATION:PT5M",
                "SUMMARY:a: b: c",
                "ORGANIZER:x",
                "CATEGORIES:a,b",
                "CATEGORIES:",
                "ATTENDEE;CN=a:b",
                "ATTENDEE;CN=c:d",
                "X-ZAX-CHART:7",
                "RRULE:FREQ=WEEKLY",
                "DTSTART;VALUE=DATE:20261130",
                ";:",
                ":",
            ]
        ),
        max_size=6,
    )
)
def test_whatever_an_event_says_is_a_row_or_a_refusal(lines: list[str]) -> None:
    text = "\r\n".join(["BEGIN:VCALENDAR", "BEGIN:VEVENT", *lines, "END:VEVENT", "END:VCALENDAR", ""])
    try:
        sheet = read_calendar(text.encode(), "America/Los_Angeles")
    except Refused:
        return
    assert len(sheet.rows) == 1 and len(sheet.rows[0][1]) == len(HEADING)


INDEX = (
    "File,Patient number,Type,Title,Date\n"
    "a/letter.pdf,H-1,letter,From Dr. Berg,10/1/2026\n"
    "missing.pdf,H-1,letter,,\n"
    "b.exe,H-1,scan,,\n"
    "../../etc/passwd,H-1,scan,,\n"
    "c.pdf,X-1,scan,,\n"
    "c.pdf,H-1,poem,,\n"
)


def test_documents_come_with_an_index_and_go_to_whose_they_are(
    desk: Desk, tmp_path: Path, helen: int
) -> None:
    files = {
        "out/index.csv": INDEX.encode(),
        "out/a/letter.pdf": pdf("one"),
        "out/b.exe": b"MZ\x90\x00",
        "out/c.pdf": pdf("two"),
        "etc/passwd": b"root",
    }
    dry = bring(desk, tmp_path, "documents", zipped(files), dry=True)
    assert counts(dry) == (1, 0, 0, 5) and scalar(desk, "SELECT COUNT(*) FROM patient_file") == 0
    job = bring(desk, tmp_path, "documents", zipped(files))
    assert counts(job) == (1, 0, 0, 5)
    refused = came(desk, job, "refused")
    assert "isn’t among the files" in refused[3] and "Choose the type." in refused[7]
    assert scalar(desk, "SELECT CONCAT_WS('|', patient_id, kind, name, DATE(at)) FROM patient_file") == (
        f"{helen}|letter|From Dr. Berg|2026-10-01"
    )
    digest = scalar(desk, "SELECT digest FROM patient_file")
    assert FileStore(tmp_path).get(digest) == files["out/a/letter.pdf"]
    again = bring(desk, tmp_path, "documents", zipped(files))
    assert counts(again) == (0, 0, 1, 5)


def test_an_index_cannot_name_content_that_it_did_not_bring(desk: Desk, tmp_path: Path, helen: int) -> None:
    secret = FileStore(tmp_path).put(pdf("someone else's"))
    index = f"file,stored as,stored,chart,type\nx.pdf,{secret},{secret},H-1,scan\n".encode()
    job = bring(desk, tmp_path, "documents", zipped({"index.csv": index}))
    assert counts(job) == (0, 0, 0, 1) and scalar(desk, "SELECT COUNT(*) FROM patient_file") == 0


def test_zips_that_are_none_or_too_much_are_refused(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    store = FileStore(tmp_path)
    for content, words in (
        (b"not a zip", "Choose a .zip"),
        (zipped({"a.pdf": b"x"}), "no index.csv"),
        (zipped({"index.csv": b"chart,type\nH-1,scan\n"}), "no column for the file names"),
        (zipped({f"{n}.pdf": b"" for n in range(20_001)}), "too much"),
    ):
        with pytest.raises(Refused, match=words):
            unpacked(store, content)
    monkeypatch.setattr("zax.desk.moving.documents.MOST_UNPACKED", 1000)
    with pytest.raises(Refused, match="too much"):
        unpacked(store, zipped({"index.csv": b"file\na\n", "bomb": bytes(100_000)}))


def test_a_zip_that_lies_about_its_sizes_fills_no_disk(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("zax.desk.moving.documents.LARGEST", 5000)
    content = zipped({"index.csv": b"file,chart\nbomb.pdf,H-1\n", "bomb.pdf": b"%PDF-" + bytes(100_000)})
    index = unpacked(FileStore(tmp_path), content).decode()
    assert index.splitlines()[1] == "bomb.pdf,H-1,"
    assert not list((tmp_path / "files").rglob("*")) if (tmp_path / "files").exists() else True


def test_a_folder_gives_only_what_lies_in_it(desk: Desk, tmp_path: Path, helen: int) -> None:
    folder = tmp_path / "scans"
    folder.mkdir()
    (tmp_path / "outside.pdf").write_bytes(pdf("outside"))
    (folder / "in.pdf").write_bytes(pdf("inside"))
    (folder / "link.pdf").symlink_to(tmp_path / "outside.pdf")
    (folder / "index.csv").write_text(
        "file,chart,type\nin.pdf,H-1,scan\n../outside.pdf,H-1,scan\nlink.pdf,H-1,scan\n"
    )
    index = from_folder(FileStore(tmp_path / "var"), folder).decode().splitlines()
    assert [bool(line.rsplit(",", 1)[1]) for line in index[1:]] == [True, False, False]
    with pytest.raises(Refused):
        from_folder(FileStore(tmp_path / "var"), tmp_path)


def test_lists_of_patients_need_the_right_to_import(desk: Desk, tmp_path: Path) -> None:
    for kind in ("balances", "visits"):
        with pytest.raises(NotAllowed):
            bring(desk, tmp_path, kind, "chart,balance\nH-1,5\n", actor=INES)
    assert {key for key, each in LISTS.items() if each.right == "merge"} == {
        "patients",
        "balances",
        "visits",
        "documents",
    } and bring(desk, tmp_path, "balances", "chart,balance\nH-1,5\n", actor=SAM).refused == 1


BEGINNINGS = [
    *(
        b"",
        b"PK\x03\x04",
        b"{",
        b'{"resourceType": "Bundle", "entry": [',
        b"BEGIN:VCARD\n",
        b"BEGIN:VCARD\nN:a\nEND:",
    ),
    *(b"BEGIN:VCALENDAR\n", b"BEGIN:VCALENDAR\nBEGIN:VEVENT\n", b"a,b\n", b"\xff\xfe"),
]


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(content=st.builds(bytes.__add__, st.sampled_from(BEGINNINGS), st.binary(max_size=200)))
def test_no_bytes_break_the_opening_of_a_list(desk: Desk, tmp_path: Path, content: bytes) -> None:
    for kind in LISTS:
        try:
            bring(desk, tmp_path, kind, content)
        except Refused:
            continue


def test_a_damaged_zip_is_refused_file_by_file(desk: Desk, tmp_path: Path, helen: int) -> None:
    content = bytearray(zipped({"index.csv": b"file,chart,type\na.pdf,H-1,scan\n", "a.pdf": pdf() * 9}))
    place = zipfile.ZipFile(io.BytesIO(content)).getinfo("a.pdf").header_offset + 60
    content[place] ^= 0xFF
    job = bring(desk, tmp_path, "documents", bytes(content))
    assert counts(job) == (0, 0, 0, 1)
