"""Patients' details, searching, record gaps and roles."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import NotAllowed, Problems, Refused
from zax.core.patients.person import (
    age_on,
    as_named,
    check_name,
    check_new_patient,
    check_phone,
    parse_birth,
    search_key,
)
from zax.core.patients.search_terms import parse_query
from zax.core.people.roles import CLINICIAN, MANAGER, RECEPTIONIST, RIGHT_WORDS, SHIPPED, may, require
from zax.core.wording import phone_words
from zax.core.x12.syntax import clean

TODAY = date(2026, 11, 24)


@pytest.mark.parametrize(
    "typed",
    [
        "5/3/1984",
        "05-03-84",
        "1984-05-03",
        "3 May 1984",
        "May 3, 1984",
        "may 3 84",
        "050384",
        "05031984",
        "5.3.1984",
    ],
)
def test_birth_dates_in_their_usual_spellings(typed: str) -> None:
    assert parse_birth(typed, TODAY) == date(1984, 5, 3)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("", "Enter the birth date"),
        ("11/25/2026", "future"),
        ("2/30/1990", "isn’t a date"),
        ("1/1/1850", "years ago"),
        ("soon", "isn’t a date"),
        ("13/13/13", "isn’t a date"),
        ("3 foo 1984", "isn’t a date"),
    ],
)
def test_birth_dates_that_cannot_be(typed: str, says: str) -> None:
    with pytest.raises(Refused) as refused:
        parse_birth(typed, TODAY)
    assert says in refused.value.problems["birth"]


@given(st.dates(date(1927, 1, 1), TODAY))
def test_a_written_out_birth_date_is_read_back(day: date) -> None:
    assert parse_birth(f"{day.month}/{day.day}/{day.year}", TODAY) == day
    assert parse_birth(day.isoformat(), TODAY) == day


def test_two_digit_years_are_never_ahead() -> None:
    assert parse_birth("1/1/26", TODAY) == date(2026, 1, 1)
    assert parse_birth("1/1/27", TODAY) == date(1927, 1, 1)


@pytest.mark.parametrize(
    "typed", ["360 555 0148", "(360) 555-0148", "+1 360 555 0148", "3605550148", "1-360-555-0148"]
)
def test_phones_are_ten_digits(typed: str) -> None:
    assert check_phone(typed) == "3605550148"
    assert phone_words("3605550148") == "(360) 555-0148"


@pytest.mark.parametrize("typed", ["", "12", "555-01", "call me", "+49 30 1234567", "99999999999999"])
def test_phones_that_cannot_be(typed: str) -> None:
    with pytest.raises(Refused) as refused:
        check_phone(typed)
    assert "phone" in refused.value.problems


def test_all_fields_of_a_new_patient_are_checked_at_once() -> None:
    with pytest.raises(Problems) as wrong:
        check_new_patient(" ", "x" * 61, "tomorrow", "1", TODAY)
    assert set(wrong.value.problems) == {"first", "last", "birth", "phone"}
    assert "61 letters" in wrong.value.problems["last"]
    made = check_new_patient(" Ana  María ", "Ortiz", "5/3/1984", "360 555 0148", TODAY)
    assert (made.first, made.birth) == ("Ana María", date(1984, 5, 3))


@pytest.mark.parametrize("name", ["123", "\x00Bob", "--"])
def test_what_is_no_name(name: str) -> None:
    with pytest.raises(Problems) as wrong:
        check_new_patient(name, "Ortiz", "5/3/1984", "360 555 0148", TODAY)
    assert set(wrong.value.problems) == {"first"}


def test_keys_forget_case_and_accents() -> None:
    assert search_key("  Müller-Łódź ") == search_key("muller-łódz")
    assert {search_key(each) for each in ("O’Neil", "O'Neil", "O`Neil", "oneil")} == {"oneil"}
    plain = {"Đặng": "dang", "Łukasz": "lukasz", "Ærø": "aero", "李": "li", "Иван": "ivan", "ﬃ": "ffi"}
    assert {name: search_key(name) for name in plain} == plain


@given(st.text(min_size=1, max_size=60))
def test_nobody_is_without_a_name_however_it_is_written(text: str) -> None:
    """Kills: a file that loses the letters it does not know."""
    try:
        name = check_name(text, "first name", "first")
    except Refused:
        return
    assert search_key(name)
    written = clean(name)
    assert written and written.isascii() and not set(written) & set("*:~^|")


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("555 0148", "Add the area code"),
        ("5550148", "Add the area code"),
        ("360 555 0148 x12", "extension"),
        ("060 555 0148", "isn’t a phone number"),
        ("360 155 0148", "isn’t a phone number"),
        ("0000000000", "isn’t a phone number"),
        ("+44 20 7946 0958", "isn’t a phone number"),
    ],
)
def test_a_phone_has_its_ten_digits_or_is_refused(typed: str, says: str) -> None:
    with pytest.raises(Refused, match=says):
        check_phone(typed)
    for same in ("360 555 0148", "(360) 555-0148", "1-360-555-0148", "+1 360.555.0148"):
        assert check_phone(same) == "3605550148"


@pytest.mark.parametrize(
    ("typed", "digits", "words"),
    [
        ("vas hel", "", ("vas", "hel")),
        ("(360) 555", "360555", ()),
        ("0148", "0148", ()),
        ("v", "", ()),
        ("12", "", ()),
        ("Vasquez, Helen", "", ("vasquez", "helen")),
        ("   ", "", ()),
    ],
)
def test_what_is_typed_into_the_find_box(typed: str, digits: str, words: tuple[str, ...]) -> None:
    query = parse_query(typed, TODAY)
    assert (query.digits, query.words) == (digits, words)
    assert query.empty == (not digits and not words)


@given(st.text(max_size=200))
def test_any_text_is_a_question_or_none(typed: str) -> None:
    query = parse_query(typed, TODAY)
    assert query.empty or query.digits or query.words or query.birth or query.member


def test_age_turns_on_the_birthday() -> None:
    assert age_on(date(1984, 11, 24), TODAY) == 42
    assert age_on(date(1984, 11, 25), TODAY) == 41
    assert age_on(date(2024, 2, 29), date(2025, 2, 28)) == 0


def test_roles_have_only_known_rights_and_a_refusal_says_who_may() -> None:
    assert all(role.rights <= set(RIGHT_WORDS) for role in SHIPPED.values())
    assert may(CLINICIAN, "charges") and not may(CLINICIAN, "payments")
    with pytest.raises(NotAllowed, match="Ask .*billing.* or manager"):
        require(RECEPTIONIST, "claims")
    for right in RIGHT_WORDS:
        require(MANAGER, right)


@pytest.mark.parametrize(
    ("typed", "named"),
    [
        ("vasquez, helen", ("Helen", "Vasquez", "")),
        ("helen de la cruz", ("Helen", "De La Cruz", "")),
        ("Helen McBride 360 555 0148", ("Helen", "McBride", "3605550148")),
        ("3605550148", ("", "", "3605550148")),
        ("vasquez 1992", ("Vasquez", "", "")),
        ("", ("", "", "")),
    ],
)
def test_who_was_searched_for_need_not_be_typed_again(typed: str, named: tuple[str, str, str]) -> None:
    assert as_named(typed) == named


@given(st.text(max_size=40))
def test_any_search_names_somebody_or_nobody(typed: str) -> None:
    first, last, phone = as_named(typed)
    assert not phone or phone.isdecimal() and phone.isascii()
    assert first == first.strip() and last == last.strip()
