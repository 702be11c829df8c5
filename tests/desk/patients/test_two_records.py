"""Duplicates: noticed, listed, called two, and merged with nothing lost; files and photos; what may be kept
and what not.
"""

from __future__ import annotations

import io
from datetime import timedelta
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from PIL import Image
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, TODAY, add_patient, order, scalar, visit_at_checkout
from tests.pictures import headed_png
from zax.core.errors import Conflict, NotAllowed, NotFound, Refused
from zax.core.patients.search_terms import parse_query
from zax.core.patients.uploads import Cut, as_png, portrait, recognize
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.day.checkout import finish_checkout
from zax.desk.patients.duplicates import (
    call_two,
    compare_rows,
    like_typed,
    likely_of,
    likely_pairs,
    merge,
    preview,
)
from zax.desk.patients.files import end_file, keep_file, one_file, put_file_back, set_photo
from zax.desk.patients.household import join_household
from zax.desk.patients.notes import NoteForm, add_note, set_flag
from zax.desk.record.record import number_of, record_of
from zax.store import schema
from zax.store.files import FileStore
from zax.store.patients.duplicates import known_patients, naming_columns
from zax.store.patients.files import files_of
from zax.store.patients.search import find_patients


def picture(size: tuple[int, int] = (300, 200), kind: str = "JPEG", **more: Any) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#3b5f55").save(out, kind, **more)
    return out.getvalue()


def pdf(action: str = "") -> bytes:
    made = pikepdf.new()
    made.add_blank_page()
    if action == "script":
        made.Root.OpenAction = pikepdf.Dictionary(S=pikepdf.Name.JavaScript, JS="app.alert(1)")
    elif action == "hidden":
        made.pages[0].AA = made.make_indirect(
            pikepdf.Dictionary(O=pikepdf.Dictionary(S=pikepdf.Name.JavaScript, JS="x"))
        )
    elif action == "page":
        made.Root.OpenAction = pikepdf.Array([made.pages[0].obj, pikepdf.Name.Fit])
    out = io.BytesIO()
    made.save(out, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return out.getvalue()


def pair(desk: Desk) -> tuple[int, int]:
    keep = add_patient(desk, 1, email="")
    drop = add_patient(desk, 2, last="Vazquez", street="1 Pier Road", used_name="Nell")
    return keep, drop


def test_likely_pairs_are_found_explained_and_called_two(desk: Desk) -> None:
    keep, drop = pair(desk)
    add_patient(desk, first="Mateo", birth=TODAY - timedelta(days=4000), sex="M")
    with desk.engine.connect() as connection:
        (found,) = likely_pairs(connection)
        assert (found.pair.a, found.pair.b) == (keep, drop) and "same birth date" in found.pair.reasons
        assert [f.b.id for f in likely_of(connection, known_patients(connection, [keep])[keep])] == [drop]
        assert compare_rows(connection, drop, keep) == found.pair
    call_two(desk, JUNO, drop, keep)
    call_two(desk, JUNO, keep, drop)
    with desk.engine.connect() as connection:
        assert likely_pairs(connection) == []


def test_somebody_being_typed_is_noticed(desk: Desk) -> None:
    keep = add_patient(desk, 1)
    with desk.engine.connect() as connection:
        typed = like_typed(connection, "Helena", "Vasques", None, "3605550148")
        assert [f.b.id for f in typed] == [keep] and "same phone" in typed[0].pair.reasons
        assert [f.b.id for f in like_typed(connection, "H", "Vasquez", TODAY.replace(1984, 5, 3), "")] == [
            keep
        ]
        assert [f.b.id for f in like_typed(connection, "Helen", "Vasquez", None, "", f"m-{keep}")] == [keep]
        assert like_typed(connection, "Mateo", "Okafor", None, "") == []


def test_a_merge_moves_everything_and_loses_nothing(desk: Desk, tmp_path: Path) -> None:
    keep, drop = pair(desk)
    child = add_patient(desk, first="Mateo", birth=TODAY - timedelta(days=3000))
    join_household(desk, JUNO, child, drop)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, drop, dental=True))
    ahead = book_visit(desk, JUNO, order(drop, day=TODAY + timedelta(days=3)))
    for number in (keep, drop):
        set_flag(desk, JUNO, number, 1)
    add_note(desk, JUNO, drop, NoteForm(note="kept", pinned=True))
    keep_file(desk, JUNO, FileStore(tmp_path), drop, "scan", "x.jpg", picture())
    before = {
        f"{t}.{c}": scalar(desk, f"SELECT COUNT(*) FROM `{t}` WHERE {c} IN ({keep}, {drop})")
        for t, c in naming_columns()
    }
    with desk.engine.connect() as connection:
        _, _, choices, counted = preview(connection, desk.clinic, keep, drop)
        versions = {r.id: r.version for r in known_patients(connection, [keep, drop]).values()}
    assert {c.name: c.suggested for c in choices} == {
        "last": "keep",
        "used_name": "drop",
        "email": "drop",
        "street": "keep",
    }
    assert counted["visits"] == (0, 2) and counted["journal entries"][1] > 0
    with pytest.raises(NotAllowed):
        merge(desk, JUNO, keep, drop, {}, (versions[keep], versions[drop]))
    with pytest.raises(Conflict, match="One of the records changed since"):
        merge(desk, ODILE, keep, drop, {}, (versions[keep] - 1, versions[drop]))
    assert merge(desk, ODILE, keep, drop, {"street": "drop"}, (versions[keep], versions[drop])) == keep
    after = {
        f"{t}.{c}": scalar(desk, f"SELECT COUNT(*) FROM `{t}` WHERE {c} = {keep}")
        for t, c in naming_columns()
    }
    assert after == before
    with desk.engine.connect() as connection:
        record = record_of(connection, desk.clinic, keep, desk.clock.now(), TODAY)
        assert number_of(connection, drop) == keep
        hits = [hit.id for hit in find_patients(connection, parse_query(str(drop).zfill(3), TODAY))]
    p = record.patient
    assert (p.last, p.used_name, p.email, p.street) == ("Vasquez", "Nell", "helen@example.org", "1 Pier Road")
    assert (
        record.merged == [str(drop)]
        and [m.first for m in record.members] == ["Helen", "Mateo"]
        and len(record.flags) == 1
    )
    assert ahead in [v.id for v in record.visits] and keep in hits if drop > 99 else True
    assert "moved" in scalar(desk, "SELECT detail FROM audit WHERE act = 'patient.merged'")
    with pytest.raises(Conflict, match="already merged. Check"):
        merge(desk, ODILE, keep, drop, {}, (1, 1))
    with pytest.raises(Refused), desk.engine.connect() as connection:
        preview(connection, desk.clinic, keep, keep)
    with pytest.raises(NotFound), desk.engine.connect() as connection:
        preview(connection, desk.clinic, keep, 10**7)


def test_numbers_of_several_merges_lead_to_the_last(desk: Desk) -> None:
    one, two, three = (add_patient(desk, chart=chart) for chart in ("A-1", "A-2", None))
    merge(desk, ODILE, two, one, {}, (1, 1))
    merge(desk, ODILE, three, two, {}, (1, 2))
    with desk.engine.connect() as connection:
        assert {number_of(connection, n) for n in (one, two, three)} == {three}
        assert record_of(connection, desk.clinic, three, desk.clock.now(), TODAY).merged == sorted(
            ["A-1", "A-2", str(one), str(two)]
        )
    assert scalar(desk, "SELECT chart FROM patient WHERE id = :id", id=three) == "A-2"


def test_every_table_that_names_a_patient_follows_a_merge() -> None:
    named = {table for table, _ in naming_columns()}
    stays = {"audit", "look", "feed", "patient_alias", "import_row", "call_lock", "patient", "not_same"}
    assert (
        named
        == {
            t.name
            for t in schema.metadata.sorted_tables
            if any(c.name in {"patient_id", "subscriber_id"} for c in t.columns)
        }
        - stays
    )


@pytest.mark.parametrize(
    ("content", "media"),
    [
        (picture(), "image/jpeg"),
        (picture(kind="PNG"), "image/png"),
        (picture(kind="TIFF"), "image/tiff"),
        (pdf(), "application/pdf"),
        (pdf("page"), "application/pdf"),
    ],
    ids=["jpeg", "png", "tiff", "pdf", "pdf that opens at a page"],
)
def test_what_is_kept_is_known_by_its_content(content: bytes, media: str) -> None:
    assert recognize(content) == media


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "empty"),
        (b"MZ\x90\x00", "Only PDF"),
        (b"<svg onload=x>", "Only PDF"),
        (b"GIF89a", "Only PDF"),
        (b"%PDF-1.7 nothing", "damaged"),
        (pdf("script"), "runs on its own"),
        (pdf("hidden"), "runs on its own"),
        (b"\xff\xd8\xff" + b"0" * 40, "The picture is cut off partway"),
        (b"\xff\xd8\xff" + b"0" * 40 + b"\xff\xd9", "damaged"),
        (headed_png(40_000, 40_000), "40,000 x 40,000|far too large"),
        (b"%PDF-" + b"0" * (25 * 1024 * 1024), "the limit is 25 MB"),
    ],
    ids=[
        "empty",
        "program",
        "svg",
        "gif",
        "broken pdf",
        "script",
        "hidden script",
        "half a jpeg",
        "broken jpeg",
        "40,000 points",
        "too large",
    ],
)
def test_what_is_refused_says_why(content: bytes, says: str) -> None:
    with pytest.raises(Refused, match=says) as wrong:
        recognize(content)
    assert set(wrong.value.problems) == {"file"}


def test_a_locked_pdf_is_refused() -> None:
    out = io.BytesIO()
    with pikepdf.open(io.BytesIO(pdf())) as made:
        made.save(out, encryption=pikepdf.Encryption(owner="x", user="y"))
    with pytest.raises(Refused, match="locked"):
        recognize(out.getvalue())


def test_a_portrait_is_turned_cut_small_and_without_metadata() -> None:
    image = Image.new("RGB", (400, 200), "white")
    image.paste("red", (0, 0, 200, 200))
    exif = Image.Exif()
    exif[0x010F] = "Camera of the Century"
    exif[0x0112] = 3  # taken upside down: the red half is at the right
    out = io.BytesIO()
    image.save(out, "JPEG", exif=exif, quality=95)
    made = Image.open(io.BytesIO(portrait(out.getvalue(), Cut(left=500))))
    assert (
        made.size == (480, 480) and not made.getexif() and b"Century" not in portrait(out.getvalue(), Cut())
    )
    assert made.getpixel((240, 240))[0] > 200 and made.getpixel((240, 240))[1] < 60  # type: ignore[index]
    turned = Image.open(io.BytesIO(portrait(out.getvalue(), Cut(turns=1, top=500))))
    assert turned.getpixel((240, 400))[1] < 60  # type: ignore[index]
    with pytest.raises(Refused):
        portrait(pdf(), Cut())
    with pytest.raises(Refused, match="The picture is cut off partway"):
        portrait(picture((900, 900), quality=95)[:2000], Cut())
    assert Image.open(io.BytesIO(as_png(picture((3000, 10), "TIFF")))).size[0] == 1600


def test_files_are_kept_listed_taken_off_and_put_back(desk: Desk, tmp_path: Path) -> None:
    patient_id, store = add_patient(desk, 1), FileStore(tmp_path)
    coverage_id = scalar(desk, "SELECT id FROM coverage")
    number = keep_file(
        desk, JUNO, store, patient_id, "card_front", "..\\..\\evil/\x07card.jpg", picture(), coverage_id
    )
    again = keep_file(desk, JUNO, store, patient_id, "scan", "", picture())
    with desk.engine.connect() as connection:
        found = files_of(connection, patient_id)
        assert [(f.kind, f.name, f.by_name) for f in found] == [
            ("scan", "scan", "Juno Park"),
            ("card_front", "card.jpg", "Juno Park"),
        ]
        assert store.get(one_file(connection, number).digest) == picture()
    assert len([p for p in tmp_path.rglob("*") if p.is_file()]) == 1
    end_file(desk, JUNO, patient_id, again)
    with desk.engine.connect() as connection, pytest.raises(NotFound):
        one_file(connection, again)
    put_file_back(desk, JUNO, patient_id, again)
    with desk.engine.connect() as connection:
        assert len(files_of(connection, patient_id)) == 2
    for kind, coverage in (("selfie", None), ("scan", 10**7)):
        with pytest.raises((Refused, NotFound)):
            keep_file(desk, JUNO, store, patient_id, kind, "x", picture(), coverage)
    with pytest.raises(ValueError, match="not a digest"):
        store.path("../../etc/passwd")
    set_photo(desk, JUNO, store, patient_id, picture(), Cut())
    assert store.get(scalar(desk, "SELECT photo FROM patient"))[:3] == b"\xff\xd8\xff"
    with desk.engine.begin() as connection:
        connection.execute(text("DELETE FROM patient_file"))
