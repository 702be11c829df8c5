"""A clinic's own fields from Setup to the record, the check-in, heads-ups, forms, lists, and merging."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest

from tests.conftest import JUNO, SAM, TODAY, add_patient, order, scalar
from zax.core.arrivals.conditions import Place
from zax.core.arrivals.steps import StepKind
from zax.core.errors import NotFound, Problems, Refused
from zax.core.record.card import read_csv, read_vcards, write_vcard
from zax.core.record.fhir import read_bundle, write_bundle
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, StepsOpen, arrival_of, check_in, save_step
from zax.desk.arrivals.facts import Asking
from zax.desk.arrivals.forms import record_words, save_template
from zax.desk.arrivals.heads_ups import HeadsUpForm, Row, choices_of, heads_ups, save_headsup
from zax.desk.book.booking import book_visit
from zax.desk.day.visit_sheet import visit_of
from zax.desk.moving.jobs import job_of, open_import, run_import, start_import
from zax.desk.moving.lists_out import list_lines
from zax.desk.patients.details import change_section
from zax.desk.patients.duplicates import merge, preview
from zax.desk.record.exporting import cards_of
from zax.desk.record.record import record_of
from zax.desk.setup.changes import undo_change
from zax.desk.setup.own_fields import OwnFieldForm, order_own_fields, save_own_field
from zax.store.files import FileStore
from zax.store.patients.own_fields import counted
from zax.store.patients.patients import known_patient


def add_field(desk: Desk, words: str = "Came by", **more: object) -> int:
    made = {"words": words, "kind": "choice", "choices": "Ferry, On foot", "active": True} | more
    return save_own_field(desk, SAM, 0, OwnFieldForm(**made))  # type: ignore[arg-type]


def fill(desk: Desk, patient: int, section: str = "person", **typed: str) -> None:
    with desk.engine.connect() as connection:
        row = known_patient(connection, patient)
    change_section(desk, JUNO, patient, section, typed, row.version, 1)


def own_of(desk: Desk, patient: int) -> dict[str, str]:
    with desk.engine.connect() as connection:
        return dict(known_patient(connection, patient).own)


def gaps_of(desk: Desk, patient: int) -> list[str]:
    with desk.engine.connect() as connection:
        record = record_of(connection, desk.clinic, patient, desk.clock.now(), TODAY)
    return [gap.words for gap in record.gaps]


def test_a_field_is_on_the_record_and_every_change_of_it_is_told(setup: Desk) -> None:
    add_field(setup)
    add_field(setup, "Since", kind="day", section="reach")
    patient = add_patient(setup)
    fill(setup, patient, own_came_by="ferry")
    fill(setup, patient, "reach", texts_to="phone", own_since="7/4/2019")
    assert own_of(setup, patient) == {"own_came_by": "Ferry", "own_since": "2019-07-04"}
    assert (
        scalar(
            setup, "SELECT JSON_EXTRACT(detail, '$.changed.own_since') FROM audit ORDER BY id DESC LIMIT 1"
        )
        == '["", "7/4/2019"]'
    )
    with pytest.raises(Problems) as refused:
        fill(setup, patient, own_came_by="By train")
    assert list(refused.value.problems) == ["own_came_by"]
    fill(setup, patient, own_came_by="")
    assert own_of(setup, patient) == {"own_since": "2019-07-04"}
    with setup.engine.connect() as connection:
        assert counted(connection, ["own_came_by", "own_since"]) == {"own_came_by": 0, "own_since": 1}


def test_what_is_entered_outlives_its_field_and_a_shorter_list(setup: Desk) -> None:
    field = add_field(setup)
    patient = add_patient(setup)
    fill(setup, patient, own_came_by="Ferry")
    form = OwnFieldForm(words="Came by", kind="choice", choices="On foot, By car", active=True)
    save_own_field(setup, SAM, field, form)
    fill(setup, patient, own_came_by="Ferry", employer="Ferry Works")
    assert own_of(setup, patient) == {"own_came_by": "Ferry"}
    save_own_field(setup, SAM, field, form.model_copy(update={"active": False}))
    fill(setup, patient, employer="Juniper Mill")
    assert own_of(setup, patient) == {"own_came_by": "Ferry"}
    change = scalar(setup, "SELECT MAX(id) FROM setup_change")
    assert "Came by" in undo_change(setup, SAM, change)
    assert setup.clinic.own_fields[field].active and "own_came_by" in setup.clinic.record_fields


def test_only_a_manager_changes_them_and_the_order_is_theirs(setup: Desk) -> None:
    one, two = add_field(setup), add_field(setup, "School", kind="text")
    order_own_fields(setup, SAM, [two, one])
    assert list(setup.clinic.own_fields) == [two, one]
    for ids in ([one], [one, one], [one, two, 99]):
        with pytest.raises(Refused):
            order_own_fields(setup, SAM, ids)
    with pytest.raises(NotFound):
        save_own_field(setup, SAM, 99, OwnFieldForm(words="x y"))
    for name in ("kind", "needed"):
        with pytest.raises(Refused) as refused:
            save_own_field(setup, SAM, 0, OwnFieldForm(words="x y", **{name: "odd"}))
        assert list(refused.value.problems) == [name]


def test_what_is_needed_at_check_in_stands_between_the_door_and_here(setup: Desk) -> None:
    add_field(setup, needed="arrival", at_visits=True)
    add_field(setup, "School", kind="text", needed="always")
    save_step(setup, SAM, 0, StepForm(kind=StepKind.GAPS, words="What’s missing", required=True, active=True))
    patient = add_patient(setup, sex="F", street="1 Quay Street", zip="98201", emergency_name="Ana")
    visit = book_visit(setup, JUNO, order(patient))
    assert gaps_of(setup, patient) == ["School: not entered"]
    with setup.engine.connect() as connection:
        arrival = arrival_of(connection, setup.clinic, setup.clock.now(), visit_of(connection, visit))
    assert [(gap.words, gap.section) for gap in arrival.gaps] == [
        ("Came by: not entered", "person"),
        ("School: not entered", "person"),
    ]
    with pytest.raises(StepsOpen):
        check_in(setup, JUNO, visit)
    fill(setup, patient, emergency_name="Ana", own_came_by="Ferry", own_school="Ferry School")
    check_in(setup, JUNO, visit)
    assert gaps_of(setup, patient) == []


def test_a_heads_up_shows_by_what_a_field_says_or_for_want_of_it(setup: Desk) -> None:
    add_field(setup)
    choices = dict(pair for pairs in choices_of(setup.clinic).values() for pair in pairs)
    assert choices["own:own_came_by=Ferry"] == "Came by: Ferry"
    for what in ("own:own_came_by=Ferry", "own:own_came_by="):
        form = HeadsUpForm(words=what, todo="", places=("record",), groups=((Row(what),),), active=True)
        save_headsup(setup, SAM, 0, form)
    patient = add_patient(setup)

    def shown() -> list[str]:
        with setup.engine.connect() as connection:
            found = heads_ups(connection, setup.clinic, Place.RECORD, Asking(patient), TODAY)
        return [each.words for each in found]

    assert shown() == ["own:own_came_by="]
    fill(setup, patient, own_came_by="Ferry")
    assert shown() == ["own:own_came_by=Ferry"]
    fill(setup, patient, own_came_by="On foot")
    assert shown() == []


def test_a_form_to_sign_is_filled_from_it(setup: Desk) -> None:
    add_field(setup, "Since", kind="day")
    patient = add_patient(setup)
    fill(setup, patient, own_since="7/4/2019")
    save_template(setup, SAM, 0, "Pass", [("text", "Since {own_since}.", "", False)], "0", True, 0)
    with pytest.raises(Problems):
        save_template(setup, SAM, 0, "Other", [("text", "{own_none}", "", False)], "0", True, 0)
    with setup.engine.connect() as connection:
        row = known_patient(connection, patient)
        words = record_words(connection, setup.clinic, row, setup.clock.now(), 1)
    assert words["own_since"] == "7/4/2019"


def test_it_goes_out_in_every_format_and_comes_in_again(setup: Desk, tmp_path: Path) -> None:
    add_field(setup)
    add_field(setup, "Since", kind="day")
    patient = add_patient(setup)
    wanted = {"own_came_by": "Ferry", "own_since": "2019-07-04"}
    fill(setup, patient, own_came_by="Ferry", own_since="7/4/2019")
    with setup.engine.connect() as connection:
        text = "".join(list_lines(connection, setup.clinic, "patients", TODAY))
        cards = list(cards_of(connection, setup.clinic, [patient]))
    for found in (read_csv(text), read_vcards(write_vcard(cards[0])), read_bundle(write_bundle(cards))):
        assert wanted.items() <= found[0].values.items()
    rows = list(csv.DictReader(io.StringIO(text)))
    others = [row | {"last": "Elsewhere", "chart": "", "household": ""} for row in rows]
    others.append(others[0] | {"last": "Wrongly", "own_came_by": "By train"})
    out = io.StringIO()
    writer = csv.DictWriter(out, list(rows[0]))
    writer.writeheader()
    writer.writerows(others)
    store = FileStore(tmp_path)
    job = open_import(setup, SAM, store, "patients", "x.csv", out.getvalue().encode())
    with setup.engine.connect() as connection:
        columns = job_of(connection, job).columns
    assert {"own_came_by", "own_since"} <= set(columns)
    start_import(setup, SAM, job, {name: int(at) for name, at in columns.items()}, False)
    while not run_import(setup, SAM, store, job):
        pass
    made = scalar(setup, "SELECT id FROM patient WHERE last = 'Elsewhere'")
    assert own_of(setup, made) == wanted
    assert scalar(setup, "SELECT COUNT(*) FROM patient WHERE last = 'Wrongly'") == 0
    assert "Came by: Choose one" in scalar(setup, "SELECT why FROM import_row WHERE outcome = 'refused'")


def test_merging_keeps_what_either_record_has(setup: Desk) -> None:
    for words in ("Came by", "Left by"):
        add_field(setup, words)
    keep, drop = add_patient(setup), add_patient(setup, first="Elena")
    fill(setup, keep, own_came_by="Ferry")
    fill(setup, drop, own_came_by="On foot", own_left_by="On foot")
    with setup.engine.connect() as connection:
        one, other, choices, _ = preview(connection, setup.clinic, keep, drop)
    assert {each.name: each.suggested for each in choices if each.name.startswith("own_")} == {
        "own_came_by": "keep",
        "own_left_by": "drop",
    }
    merge(setup, SAM, keep, drop, {}, (one.version, other.version))
    assert own_of(setup, keep) == {"own_came_by": "Ferry", "own_left_by": "On foot"}
