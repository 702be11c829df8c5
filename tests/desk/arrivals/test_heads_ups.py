"""Heads-ups on the database: where they show, when they stay away, how they are tried and written."""

from typing import Any

import pytest

from tests.conftest import (
    JUNO,
    RAVI,
    SAM,
    TODAY,
    add_patient,
    order,
    scalar,
)
from zax.core.arrivals.conditions import Place
from zax.core.errors import NotFound, Problems, Stale
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.facts import Asking, known_of
from zax.desk.arrivals.heads_ups import (
    HeadsUpForm,
    Row,
    choices_of,
    dismiss,
    groups_of,
    heads_ups,
    save_headsup,
    show_again,
    try_on,
)
from zax.desk.book.booking import book_visit
from zax.desk.patients.notes import set_flag
from zax.store.arrivals.heads_ups import away_with_names


# --- heads-ups
def headsup(desk: Desk, words: str, rows: list[Row], **changes: Any) -> int:
    values: dict[str, Any] = {"todo": "", "places": ["arrival"], "groups": [rows]}
    return save_headsup(desk, SAM, 0, HeadsUpForm(words=words, **(values | changes)))


def shown(desk: Desk, patient: int, visit_id: int = 0, place: Place = Place.ARRIVAL) -> list[str]:
    with desk.engine.connect() as connection:
        return [
            each.words
            for each in heads_ups(
                connection, desk.clinic, place, Asking(patient, TYPE_ID["Sick visit"], 5, visit_id), TODAY
            )
        ]


def test_heads_ups_show_by_what_is_on_record_and_stay_away_for_the_visit(desk: Desk) -> None:
    patient = add_patient(desk, street="")
    visit_id = book_visit(desk, JUNO, order(patient))
    flagged = headsup(desk, "{first} pays cash", [Row("flag:3")], warns=True)
    headsup(
        desk,
        "Missing: {missing}",
        [Row("gap:bill"), Row("type:" + str(TYPE_ID["Sick visit"]))],
        places=["arrival", "record"],
    )
    headsup(desk, "Has a plan", [Row("kind:none", negated=True)])
    assert shown(desk, patient, visit_id) == ["Missing: no address"]
    set_flag(desk, JUNO, patient, 3)
    assert shown(desk, patient, visit_id) == ["Helen pays cash", "Missing: no address"]
    assert (
        shown(desk, patient, visit_id, Place.RECORD) == ["Missing: no address"]
        and shown(desk, patient, 0, Place.CHECKOUT) == []
    )
    dismiss(desk, RAVI, flagged, patient, visit_id, 1)
    dismiss(desk, RAVI, flagged, patient, visit_id, 1)
    assert shown(desk, patient, visit_id) == ["Missing: no address"] and len(shown(desk, patient)) == 2
    with desk.engine.connect() as connection:
        away = away_with_names(connection, patient, visit_id, TODAY)
    assert [(each.name, each.words) for each in away] == [("Ravi Teller", "{first} pays cash")]
    show_again(desk, JUNO, flagged, patient)
    assert len(shown(desk, patient, visit_id)) == 2
    with pytest.raises(NotFound):
        dismiss(desk, JUNO, 999, patient, None, 1)


def test_a_heads_up_is_tried_before_it_is_saved(desk: Desk) -> None:
    patient = add_patient(desk)
    form = HeadsUpForm(
        words="{first} has no plan",
        todo="Ask about one",
        places=["booking"],
        groups=[[Row("kind:none"), Row("older", "18")]],
    )
    with desk.engine.connect() as connection:
        said = try_on(connection, desk.clinic, form, patient, TODAY)
        silent = try_on(
            connection,
            desk.clinic,
            HeadsUpForm(words="Young", todo="", places=["booking"], groups=[[Row("younger", "18")]]),
            patient,
            TODAY,
        )
    assert (
        said is not None
        and (said.words, said.todo) == ("Helen has no plan", "Ask about one")
        and silent is None
    )
    assert scalar(desk, "SELECT COUNT(*) FROM headsup") == 0


def test_conditions_come_back_into_the_form_as_they_were(desk: Desk) -> None:
    groups = [[Row("owes", "100.00"), Row("kind:none", negated=True)], [Row("diagnosis", "E11")]]
    number = save_headsup(
        desk,
        SAM,
        0,
        HeadsUpForm(words="Look", todo="", places=["record"], groups=groups, inner="all", outer="any"),
    )
    kept = desk.clinic.headsups[number]
    assert groups_of(kept.condition) == (groups, "all", "any")
    flipped = HeadsUpForm(
        words="Look",
        todo="",
        places=["record"],
        groups=groups,
        inner="any",
        outer="all",
        version=kept.version,
    )
    save_headsup(desk, SAM, number, flipped)
    assert groups_of(desk.clinic.headsups[number].condition) == (groups, "any", "all")
    with pytest.raises(Stale):
        save_headsup(desk, SAM, number, flipped)
    assert any("Cash only" in words for pairs in choices_of(desk.clinic).values() for _, words in pairs)


@pytest.mark.parametrize(
    ("form", "field"),
    [
        (HeadsUpForm(words="x", todo="", places=["record"], groups=[]), "words"),
        (HeadsUpForm(words="Ask {shoe}", todo="", places=["record"], groups=[]), "words"),
        (HeadsUpForm(words="Look", todo="y" * 161, places=["record"], groups=[]), "todo"),
        (HeadsUpForm(words="Look", todo="", places=["roof"], groups=[]), "places"),
        (HeadsUpForm(words="Look", todo="", places=["record"], groups=[[Row("older", "old")]]), "condition"),
        (HeadsUpForm(words="Look", todo="", places=["record"], groups=[[Row("mood")]]), "condition"),
        (HeadsUpForm(words="Look", todo="", places=["record"], groups=[[Row("flag:1")] * 41]), "condition"),
    ],
)
def test_a_wrong_heads_up_is_told_at_its_field(desk: Desk, form: HeadsUpForm, field: str) -> None:
    with pytest.raises(Problems) as wrong:
        save_headsup(desk, SAM, 0, form)
    assert set(wrong.value.problems) == {field}


def test_what_is_known_of_many_is_read_at_once(desk: Desk) -> None:
    ids = [add_patient(desk, first=name) for name in ("Ann", "Bob", "Cid")]
    with desk.engine.connect() as connection:
        found = known_of(connection, desk.clinic, [Asking(n) for n in ids], TODAY)
    assert [each.about.first for each in found] == ["Ann", "Bob", "Cid"]
    assert all(each.about.age == 42 and each.new and each.about.kinds == {"none"} for each in found)
