"""Fields that a clinic adds for itself: what goes in, what is refused, what stays when the list changes."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Problems, Refused
from zax.core.patients.fields import FIELDS, SECTIONS, check_section
from zax.core.patients.own_fields import (
    LONGEST_NAME,
    MOST_FIELDS,
    OWN,
    Needed,
    OwnField,
    OwnKind,
    check_own_field,
    missing,
    name_for,
    sections_with,
)

TODAY = date(2026, 11, 24)


def own(kind: OwnKind = OwnKind.TEXT, **more: object) -> OwnField:
    made: dict[str, object] = {"id": 1, "name": "own_x", "words": "School", "kind": kind} | more
    return OwnField(**made)  # type: ignore[arg-type]


def kept(field: OwnField, typed: str) -> str:
    return str(field.as_field().check(typed, field.name, TODAY))


@pytest.mark.parametrize(
    ("kind", "typed", "wanted"),
    [
        (OwnKind.TEXT, "  Ferry  School ", "Ferry School"),
        (OwnKind.NUMBER, "1,200.50", "1200.5"),
        (OwnKind.NUMBER, "-3", "-3"),
        (OwnKind.NUMBER, "100", "100"),
        (OwnKind.NUMBER, "0.0", "0"),
        (OwnKind.DAY, "7/4/2031", "2031-07-04"),
        (OwnKind.DAY, "Jul 4, 1999", "1999-07-04"),
        (OwnKind.YES_NO, "YES", "yes"),
        (OwnKind.CHOICE, "by  ferry", "By ferry"),
        *((kind, "  ", "") for kind in OwnKind),
    ],
)
def test_what_is_typed_is_kept_in_one_way(kind: OwnKind, typed: str, wanted: str) -> None:
    assert kept(own(kind, choices=("By ferry", "On foot")), typed) == wanted


@pytest.mark.parametrize(
    ("kind", "typed"),
    [
        (OwnKind.TEXT, "x" * 201),
        (OwnKind.TEXT, "a\x07"),
        (OwnKind.NUMBER, "a few"),
        (OwnKind.NUMBER, "1e9"),
        (OwnKind.NUMBER, "１２"),
        (OwnKind.NUMBER, "9" * 10),
        (OwnKind.DAY, "2/30/2026"),
        (OwnKind.DAY, "soon"),
        (OwnKind.YES_NO, "perhaps"),
        (OwnKind.CHOICE, "By train"),
    ],
)
def test_what_is_none_of_its_kind_is_refused_beside_its_field(kind: OwnKind, typed: str) -> None:
    with pytest.raises(Refused) as refused:
        kept(own(kind, choices=("By ferry", "On foot")), typed)
    assert list(refused.value.problems) == ["own_x"]


@given(kind=st.sampled_from(OwnKind), typed=st.text(max_size=40))
def test_what_was_kept_is_taken_again_and_stays_as_it_is(kind: OwnKind, typed: str) -> None:
    """So a list that went out comes back, and a part of the record that nobody touched can be saved."""
    field = own(kind, choices=("By ferry", "On foot"))
    try:
        once = kept(field, typed)
    except Refused:
        return
    assert kept(field, once) == once and kept(field, field.shown(once)) == once


def test_a_field_stands_in_its_part_of_the_record_after_those_that_are_always_there() -> None:
    fields = [
        own(id=1, name="own_b", section="reach", position=2),
        own(id=2, name="own_a", section="reach", position=1),
        own(id=3, name="own_c", section="reach", position=3, active=False),
    ]
    sections = sections_with(fields)
    names = [each.name for each in sections["reach"].fields]
    assert names == [*(each.name for each in SECTIONS["reach"].fields), "own_a", "own_b"]
    assert sections["person"] == SECTIONS["person"]
    typed = {"own_a": "x", "own_b": "y"}
    assert check_section(sections["reach"], typed, TODAY) | typed == check_section(
        sections["reach"], typed, TODAY
    )


def test_an_answer_that_is_off_the_list_by_now_may_stay_and_only_that_one() -> None:
    section = sections_with([own(OwnKind.CHOICE, choices=("On foot", "By car"))])["person"]
    held = section.keeping(lambda name: "By ferry" if name == "own_x" else "")
    assert check_section(held, {"own_x": "By ferry"}, TODAY)["own_x"] == "By ferry"
    assert check_section(held, {"own_x": "On foot"}, TODAY)["own_x"] == "On foot"
    for wrong in (held, section):
        with pytest.raises(Problems):
            check_section(wrong, {"own_x": "By train"}, TODAY)
    with pytest.raises(Problems):
        check_section(section, {"own_x": "By ferry"}, TODAY)


@given(st.lists(st.text(max_size=60), max_size=12))
def test_names_are_words_of_their_own_and_never_those_of_the_record(all_words: list[str]) -> None:
    names: list[str] = []
    for words in all_words:
        names.append(name_for(words, names))
    assert len(set(names)) == len(names)
    for name in names:
        assert name.startswith(OWN) and len(name) <= LONGEST_NAME and name not in FIELDS
        assert set(name) <= set("abcdefghijklmnopqrstuvwxyz0123456789_")


def test_what_is_missing_depends_on_where_somebody_stands() -> None:
    fields = [
        own(name="own_never"),
        own(name="own_always", needed=Needed.ALWAYS),
        own(name="own_arrival", needed=Needed.ARRIVAL),
        own(name="own_retired", needed=Needed.ALWAYS, active=False),
    ]

    def names(has: dict[str, str], arriving: bool) -> list[str]:
        return [each.name for each in missing(fields, has, arriving)]

    assert names({}, False) == ["own_always"]
    assert names({}, True) == ["own_always", "own_arrival"]
    assert names({"own_always": "x", "own_arrival": ""}, True) == ["own_arrival"]


def test_a_field_is_checked_as_a_whole_and_keeps_its_name() -> None:
    others = [own(id=9, name="own_school", words="School")]
    made = check_own_field(
        own(id=0, words=" Came  by ", kind=OwnKind.CHOICE), "Ferry, Foot\nCar,", others, None
    )
    assert (made.name, made.words, made.choices) == ("own_came_by", "Came by", ("Ferry", "Foot", "Car"))
    again = check_own_field(
        own(id=1, words="How they came", kind=OwnKind.CHOICE), "Ferry, Foot", others, made
    )
    assert again.name == "own_came_by"
    wrong = {
        "words": (own(id=0, words="school"), "", None),
        "kind": (own(id=1, words="Other", kind=OwnKind.TEXT), "", made),
        "choices": (own(id=0, words="Other", kind=OwnKind.CHOICE), "One", None),
        "section": (own(id=0, words="Other", section="nowhere"), "", None),
    }
    for name, (typed, choices, before) in wrong.items():
        with pytest.raises(Problems) as refused:
            check_own_field(typed, choices, others, before)
        assert list(refused.value.problems) == [name]
    many = [own(id=n, name=f"own_{n}", words=f"Field {n}") for n in range(MOST_FIELDS)]
    with pytest.raises(Problems):
        check_own_field(own(id=0, words="One more"), "", many, None)
