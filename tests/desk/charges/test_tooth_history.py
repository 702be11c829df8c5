"""Earlier work on the database: entered and taken back, counted by the plan, never charged, merged."""

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, SAM, TODAY, add_patient, order, scalar
from tests.desk.acting import in_room
from zax.core.errors import NotFound, Refused, Stale
from zax.demo.world import SERVICE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.charges.charges import LineForm, add_line
from zax.desk.charges.tooth_chart import teeth_of
from zax.desk.charges.tooth_history import (
    MouthPage,
    add_tooth_works,
    mouth_page,
    put_tooth_works_back,
    remove_tooth_works,
)
from zax.desk.clinic.clinic import load
from zax.desk.day.visit_sheet import sheet_of
from zax.desk.patients.duplicates import merge


@pytest.fixture
def patient(desk: Desk) -> int:
    return add_patient(desk, 1)


def page(desk: Desk, patient_id: int) -> MouthPage:
    with desk.engine.connect() as connection:
        return mouth_page(connection, desk.clinic, patient_id, JUNO.id, desk.clock.now(), TODAY)


def told(desk: Desk, patient_id: int) -> list[tuple[str, str, str]]:
    return [(each.teeth, each.words, each.work.when.words) for each in page(desk, patient_id).told]


def test_many_teeth_go_on_the_chart_in_one_line(desk: Desk, patient: int) -> None:
    add_tooth_works(desk, JUNO, patient, "1 16 17 32 missing before 2000")
    add_tooth_works(desk, JUNO, patient, "8 r c 2011")
    add_tooth_works(desk, JUNO, patient, "18 to 20 b", here=True)
    assert told(desk, patient) == [
        ("1 16 17 32", "missing", "before 2000"),
        ("8", "root canal", "2011"),
        ("8", "crown", "2011"),
        ("18–20", "bridge for 19", "unknown"),
    ]
    shown = page(desk, patient)
    assert (shown.missing, shown.replaced) == (5, 1)
    assert [(each.teeth, each.words, len(each.ids)) for each in shown.entered] == [
        ("18–20", "bridge for 19", 1),
        ("8", "root canal, crown", 2),
        ("1 16 17 32", "missing", 1),
    ]
    assert scalar(desk, "SELECT COUNT(*) FROM charge_line") == 0
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == 0


def test_a_line_is_corrected_removed_and_put_back_and_the_record_says_who(desk: Desk, patient: int) -> None:
    (first,) = add_tooth_works(desk, JUNO, patient, "30 crown 2019")
    (second,) = add_tooth_works(desk, JUNO, patient, "30 crown 5/2019", instead=first)
    assert told(desk, patient) == [("30", "crown", "May 2019")]
    with pytest.raises(Stale):
        remove_tooth_works(desk, JUNO, patient, [first])
    remove_tooth_works(desk, JUNO, patient, [second])
    assert told(desk, patient) == []
    put_tooth_works_back(desk, JUNO, patient, [second])
    with pytest.raises(Refused, match="on the chart already"):
        put_tooth_works_back(desk, JUNO, patient, [second])
    assert told(desk, patient) == [("30", "crown", "May 2019")]
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'teeth.history' AND by_id IS NOT NULL") == 5


def test_what_no_longer_fits_is_not_put_back(desk: Desk, patient: int) -> None:
    ids = add_tooth_works(desk, JUNO, patient, "30 crown 2019")
    remove_tooth_works(desk, JUNO, patient, ids)
    add_tooth_works(desk, JUNO, patient, "30 m")
    with pytest.raises(Refused, match="is missing on the chart"):
        put_tooth_works_back(desk, JUNO, patient, ids)
    assert told(desk, patient) == [("30", "missing", "unknown")]


def test_nobody_reaches_another_patients_chart(desk: Desk, patient: int) -> None:
    other = add_patient(desk, 2)
    ids = add_tooth_works(desk, JUNO, patient, "30 crown 2019")
    with pytest.raises(Stale):
        remove_tooth_works(desk, JUNO, other, ids)
    with pytest.raises(Stale):
        add_tooth_works(desk, JUNO, other, "30 crown 2018", instead=ids[0])
    remove_tooth_works(desk, JUNO, patient, ids)
    with pytest.raises(NotFound):
        put_tooth_works_back(desk, JUNO, other, ids)


def test_a_tooth_we_took_out_takes_no_more_work(desk: Desk, patient: int) -> None:
    visit = in_room(desk, patient, dental=True)
    add_line(desk, JUNO, visit, SERVICE_ID["D7140"], LineForm(tooth="3"))
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE visit SET state = 'settled'"))
    with pytest.raises(Refused, match="Tooth 3 is missing"):
        add_tooth_works(desk, JUNO, patient, "3 crown 2019")
    assert page(desk, patient).teeth["3"].missing


def test_a_tooth_we_took_out_while_it_was_covered_is_not_called_lost_before(desk: Desk, patient: int) -> None:
    """Kills: the page saying that the plan pays no replacement where the estimate says that it does."""
    visit = in_room(desk, patient, dental=True)
    add_line(desk, JUNO, visit, SERVICE_ID["D7140"], LineForm(tooth="3"))
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE visit SET state = 'settled'"))
        connection.execute(
            text(
                "UPDATE plan SET terms = JSON_SET(terms, '$.missing_tooth_codes', JSON_ARRAY('D6240')) WHERE"
                " id = 1"
            )
        )
        clinic = load(connection)
        shown = mouth_page(connection, clinic, patient, JUNO.id, desk.clock.now(), TODAY)
        connection.rollback()
    assert shown.missing == 1 and shown.effects == []


def test_it_feeds_the_chart_and_the_limits_of_the_estimate(desk: Desk, patient: int) -> None:
    visit = book_visit(desk, JUNO, order(patient, 1, "13:00", "Filling"))
    add_line(desk, JUNO, visit, SERVICE_ID["D2740"], LineForm(tooth="30"))

    def why() -> str:
        with desk.engine.connect() as connection:
            bill = sheet_of(connection, desk.clinic, desk.clock.now(), visit).bill
        return next(e.why for line, e in zip(bill.lines, bill.estimates, strict=True) if line.tooth == "30")

    assert "limit" not in why()
    add_tooth_works(desk, JUNO, patient, f"30 crown {TODAY.year - 2}")
    assert f"limit of 1 in 60 months on one tooth reached, last in {TODAY.year - 2}" in why()
    effects = page(desk, patient).effects
    assert [teeth for teeth, _ in effects] == ["30"] and "a new crown is paid from" in effects[0][1]
    with desk.engine.connect() as connection:
        teeth = teeth_of(connection, desk.clinic, patient, visit, [], [])
    assert teeth["30"].earlier and teeth["30"].words == [f"crown, {TODAY.year - 2}"]


def test_a_merge_brings_the_chart_along(desk: Desk, patient: int) -> None:
    other = add_patient(desk, 2)
    add_tooth_works(desk, JUNO, other, "30 crown 2019")
    merge(desk, SAM, patient, other, {}, (1, 1))
    assert told(desk, patient) == [("30", "crown", "2019")]
