"""The record's fields, gaps by purpose, likeness of two records, and names by sound."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.coverage.member import check_member_id, member_key
from zax.core.errors import Problems, Refused
from zax.core.patients.fields import FIELDS, SECTIONS, check_section, check_ssn, mask_ssn
from zax.core.patients.likeness import LIKELY, Known, compare
from zax.core.patients.sounds import sound_of
from zax.core.record.gaps import CoverFacts, Facts, Purpose, record_gaps

TODAY = date(2026, 11, 24)
HELEN = Known(
    id=1,
    first="helen",
    last="vasquez",
    birth=date(1984, 5, 3),
    phones=frozenset({"3605550148"}),
    members=frozenset({"HG1"}),
    street="12 tide street",
    email="h@example.org",
    sex="F",
)
WHOLE = Facts(
    birth=date(1984, 5, 3),
    sex="F",
    phone="3605550148",
    street="12 Tide Street",
    zip="98201",
    other_phones="",
    texts_go="phone",
    emergency="Rafael",
    coverages=(),
)


def test_every_field_names_itself_once_and_takes_an_empty_text() -> None:
    assert len(FIELDS) == sum(len(section.fields) for section in SECTIONS.values())
    for name, field in FIELDS.items():
        if name not in ("first", "last"):
            assert field.check("", name, TODAY) in ("", None)


@pytest.mark.parametrize(
    ("name", "typed", "kept"),
    [
        ("first", "  Ana   Maria ", "Ana Maria"),
        ("birth", "5/3/84", date(1984, 5, 3)),
        ("phone", "(360) 555-0148", "3605550148"),
        ("email", " a@example.org ", "a@example.org"),
        ("zip", "98201-5518", "98201-5518"),
        ("state", "wa", "WA"),
        ("sex", "F", "F"),
        ("mail_zip", "98201", "98201"),
        ("language", " Tagalog ", "Tagalog"),
    ],
)
def test_what_is_typed_is_kept_in_one_form(name: str, typed: str, kept: object) -> None:
    assert FIELDS[name].check(typed, name, TODAY) == kept


@pytest.mark.parametrize(
    ("name", "typed", "says"),
    [
        ("first", "", "first name"),
        ("last", "x" * 61, "at most 60"),
        ("birth", "13/45/1984", "isn’t a date"),
        ("birth", "1/1/2050", "future"),
        ("phone", "299 555-017", "Use ten digits"),
        ("email", "a@b@c", "name@example.org"),
        ("email", "a b@c.org", "name@example.org"),
        ("zip", "9820", "5 digits"),
        ("zip", "٩٨٢٠١", "5 digits"),
        ("state", "Wash", "two-letter"),
        ("sex", "X", "list"),
        ("employer", "y" * 81, "At most 80"),
        ("language", "a\x07b", "can’t be printed"),
        ("texts_to", "fax", "list"),
    ],
)
def test_bad_input_says_what_is_wrong_beside_its_field(name: str, typed: str, says: str) -> None:
    with pytest.raises(Refused, match=says) as wrong:
        FIELDS[name].check(typed, name, TODAY)
    assert list(wrong.value.problems) == [name]


def test_texts_need_a_number_to_go_to() -> None:
    typed = {"phone": "", "home_phone": "360 555 0101", "work_phone": "", "texts_to": "phone", "email": "bad"}
    with pytest.raises(Problems) as wrong:
        check_section(SECTIONS["reach"], typed, TODAY)
    assert set(wrong.value.problems) == {"email"}
    with pytest.raises(Problems, match="no mobile number to send texts to"):
        check_section(SECTIONS["reach"], typed | {"email": ""}, TODAY)
    assert (
        check_section(SECTIONS["reach"], typed | {"email": "", "texts_to": "home"}, TODAY)["home_phone"]
        == "3605550101"
    )


def test_social_security_numbers() -> None:
    assert check_ssn(" 123-45-6789") == "123456789" and check_ssn("") == ""
    assert mask_ssn("123456789") == "•••-••-6789" and mask_ssn("") == ""
    for wrong in (
        "12345678",
        "000-12-3456",
        "666-12-3456",
        "912-12-3456",
        "123-00-3456",
        "123-45-0000",
        "abcdefghi",
    ):
        with pytest.raises(Refused):
            check_ssn(wrong)


def test_member_ids_are_compared_without_what_stands_between() -> None:
    assert member_key("hg-441 02") == member_key("HG44102") == "HG44102"
    assert check_member_id(" hg-441  02 ") == "HG-441 02"
    for wrong in ("", "H", "-- -", "X" * 31, "HG_1", "ÄÖ12"):
        with pytest.raises(Refused):
            check_member_id(wrong)


def test_gaps_are_told_by_purpose_and_only_of_what_was_looked_up() -> None:
    assert record_gaps(WHOLE) == []
    assert [g.field for g in record_gaps(Facts(birth=None, sex="", phone="", street=""))] == [
        "birth",
        "street",
        "sex",
        "phone",
    ]
    assert [g.field for g in record_gaps(replace(WHOLE, emergency="", texts_go="", zip=""))] == [
        "zip",
        "texts_to",
        "emergency_name",
    ]
    assert [g.words for g in record_gaps(replace(WHOLE, phone="", other_phones="3605550101"))] == [
        "no mobile number"
    ]
    covers = (
        CoverFacts(id=7, words="Guild", member_id=""),
        CoverFacts(id=8, words="Brightwater", member_id="BW1", own=False, needs_group=True),
        CoverFacts(
            id=9,
            words="Northmoor",
            member_id="NM1",
            own=False,
            holder_birth=date(1980, 1, 1),
            holder_address="1 Pier Road",
            group="G1",
            needs_group=True,
        ),
    )
    found = record_gaps(replace(WHOLE, coverages=covers, emergency=""), Purpose.BILL)
    assert [(g.coverage_id, g.field) for g in found] == [
        (7, "member_id"),
        (8, "group_number"),
        (8, "holder_birth"),
        (8, "holder_street"),
    ]
    assert found[0].words == "Guild: no member ID" and found[0].section == "coverage"
    assert [g.purpose for g in record_gaps(replace(WHOLE, emergency=""), Purpose.TREAT)] == [Purpose.TREAT]


@pytest.mark.parametrize(
    ("other", "likely"),
    [
        ({"id": 2}, True),
        ({"id": 2, "last": "vazquez"}, True),
        ({"id": 2, "birth": date(1984, 3, 5)}, True),
        ({"id": 2, "first": "vasquez", "last": "helen"}, True),
        ({"id": 2, "first": "hel"}, True),
        ({"id": 2, "last": "vasquez lopez", "phones": frozenset()}, True),
        ({"id": 2, "first": "rafael", "birth": date(2015, 1, 1), "sex": "M"}, False),
        ({"id": 2, "first": "mateo", "sex": "M"}, False),
        ({"id": 2, "last": "okafor", "first": "chidi", "phones": frozenset(), "members": frozenset()}, False),
    ],
)
def test_who_may_be_one_person(other: dict[str, object], likely: bool) -> None:
    pair = compare(HELEN, replace(HELEN, **other))  # type: ignore[arg-type]
    assert (pair.points >= LIKELY) == likely, pair
    assert pair.reasons and (pair.a, pair.b) == (1, 2)


@given(
    st.integers(1, 9),
    st.text("abc", min_size=1, max_size=5),
    st.text("abc", min_size=1, max_size=5),
    st.dates(date(1950, 1, 1), TODAY),
)
def test_comparing_does_not_care_who_comes_first(number: int, first: str, last: str, birth: date) -> None:
    other = Known(id=number + 1, first=first, last=last, birth=birth)
    assert compare(HELEN, other) == compare(other, HELEN)
    assert compare(other, replace(other, id=20)).points >= LIKELY


def test_names_that_sound_alike_share_a_sound() -> None:
    assert sound_of("vasquez") == sound_of("vazquez") == sound_of("vasqeuz")
    assert sound_of("o'brien") == sound_of("obrien") and len(sound_of("x" * 80)) <= 12
    assert sound_of("meyer") != sound_of("vasquez") and sound_of("") == ""
