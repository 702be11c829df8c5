"""The rules of the patients' own page: who may look how long, why a line is owed, which charges a payment is
for.
"""

from __future__ import annotations

from datetime import date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.messages.language import Language
from zax.core.money.journal import Entry, Kind, Parts
from zax.core.money.statement import way_wished
from zax.core.own.access import (
    IDLE,
    LONGEST,
    MOST_WRONG,
    SHUT_FOR,
    Permission,
    password_shut,
    session_holds,
    still_allowed,
)
from zax.core.own.explaining import Because, explain_line
from zax.core.own.suggesting import OpenCharge, fits, suggest
from zax.core.people.passwords import password_problem
from zax.core.tablet.shown import (
    FORGETS_AFTER,
    forgotten,
    masked_email,
    masked_name,
    masked_phone,
    masked_street,
)
from zax.web.online.words import words_in as online_words
from zax.web.own.words import words_in as own_words
from zax.web.tablet.words import words_in as tablet_words

NOW = datetime(2026, 11, 24, 18, 0)
DAY = date(2026, 11, 24)


def test_a_session_ends_without_use_and_by_itself() -> None:
    assert session_holds(NOW, NOW, NOW + IDLE - timedelta(seconds=1))
    assert not session_holds(NOW, NOW, NOW + IDLE)
    assert not session_holds(NOW, NOW + LONGEST - timedelta(minutes=1), NOW + LONGEST)


def test_what_was_allowed_for_a_child_ends_when_they_come_of_age() -> None:
    child = Permission(7, date(2009, 5, 31), DAY)
    assert still_allowed(child, date(2027, 5, 30)) and not still_allowed(child, date(2027, 5, 31))
    grown_up = Permission(8, date(1950, 1, 1), DAY)
    assert still_allowed(grown_up, date(2050, 1, 1)) and still_allowed(Permission(9, None, DAY), DAY)


def test_a_password_is_shut_for_a_while_after_many_wrong_ones() -> None:
    assert not password_shut(MOST_WRONG - 1, NOW, NOW)
    assert password_shut(MOST_WRONG, NOW, NOW + SHUT_FOR - timedelta(seconds=1))
    assert not password_shut(MOST_WRONG, NOW, NOW + SHUT_FOR)


@pytest.mark.parametrize("text", ["short", "aaaaaaaaaaaaaaa", "helen is my name", "x" * 201])
def test_what_is_no_password(text: str) -> None:
    assert password_problem(text, ("Helen", "Vasquez", ""))


def test_a_few_words_are_a_password() -> None:
    assert password_problem("ferry at seven bells", ("Helen", "Vasquez", "helen")) == ""


charges = st.lists(
    st.builds(
        OpenCharge,
        line_id=st.integers(1, 9),
        cents=st.integers(0, 50_000),
        since=st.dates(date(2026, 1, 1), DAY),
    ),
    max_size=8,
    unique_by=lambda each: each.line_id,
)


@given(st.integers(1, 200_000), charges, st.frozensets(st.integers(1, 9)))
def test_a_suggestion_always_fits_and_puts_first_what_it_was_made_for(
    cents: int, open_now: list[OpenCharge], first: frozenset[int]
) -> None:
    parts = suggest(cents, open_now, first)
    assert fits(parts, cents, open_now)
    left = cents - sum(part for _, part in parts)
    assert left == 0 or left == cents - sum(each.cents for each in open_now)
    wanted = sum(each.cents for each in open_now if each.line_id in first)
    given_first = sum(part for line, part in parts if line in first)
    assert given_first == min(cents, wanted)


@given(
    st.lists(st.tuples(st.integers(1, 5), st.integers(-100, 5_000)), max_size=5),
    st.integers(0, 9_000),
    charges,
)
def test_nothing_fits_that_would_pay_more_than_is_open_or_was_paid(
    parts: list[tuple[int, int]], cents: int, open_now: list[OpenCharge]
) -> None:
    if fits(parts, cents, open_now):
        open_by = {each.line_id: each.cents for each in open_now}
        assert sum(part for _, part in parts) <= cents
        assert all(0 < part <= open_by[line] for line, part in parts)


def entries(*rows: tuple[Kind, int, int]) -> list[Entry]:
    return [
        Entry(id=number, kind=kind, day=DAY, patient_cents=p, insurer_cents=i, line_id=1)
        for number, (kind, p, i) in enumerate(rows, 1)
    ]


@pytest.mark.parametrize(
    ("rows", "still_open", "billed", "because", "paid"),
    [
        ([(Kind.CHARGE, 6_400, 0)], Parts(6_400, 0), False, Because.NO_PLAN, 0),
        ([(Kind.CHARGE, 0, 6_400)], Parts(0, 6_400), True, Because.WAITING, 0),
        (
            [(Kind.CHARGE, 0, 6_400), (Kind.INSURER_PAYMENT, 1_280, -6_400)],
            Parts(1_280, 0),
            True,
            Because.PLAN_PAID_PART,
            0,
        ),
        (
            [(Kind.CHARGE, 0, 6_400), (Kind.INSURER_PAYMENT, 0, -6_400)],
            Parts(0, 0),
            True,
            Because.PLAN_PAID_ALL,
            0,
        ),
        ([(Kind.CHARGE, 6_400, 0)], Parts(0, 0), False, Because.PAID, 6_400),
        ([(Kind.CHARGE, 6_400, 0)], Parts(400, 0), True, Because.PLAN_PAID_NONE, 6_000),
    ],
)
def test_a_line_is_explained_by_what_happened_to_it(
    rows: list[tuple[Kind, int, int]], still_open: Parts, billed: bool, because: Because, paid: int
) -> None:
    found = explain_line(1, "Exam", DAY, entries(*rows), still_open, billed)
    assert (found.because, found.paid) == (because, paid)
    assert found.fee == found.plan + found.off + found.paid + found.waiting + found.yours


kinds = st.sampled_from([Kind.CHARGE, Kind.INSURER_PAYMENT, Kind.WRITE_OFF, Kind.DISCOUNT, Kind.TRANSFER])
amounts = st.integers(-9_000, 9_000)


@given(st.lists(st.tuples(kinds, amounts, amounts), max_size=6), amounts, amounts)
def test_the_parts_of_a_line_always_add_up(
    rows: list[tuple[Kind, int, int]], yours: int, waiting: int
) -> None:
    found = explain_line(1, "Exam", DAY, entries(*rows), Parts(yours, waiting), True)
    assert found.fee == found.plan + found.off + found.paid + found.waiting + found.yours


def test_a_statement_goes_without_paper_only_where_that_is_wished_and_reaches_them() -> None:
    assert way_wished("text", False, True) == "text" and way_wished("text", True, False) == "paper"
    assert way_wished("email", True, False) == "email" and way_wished("email", False, True) == "paper"
    assert {way_wished(wish, True, True) for wish in ("", "post", "none", "call")} == {"paper"}


def test_a_tablet_shows_enough_to_tell_and_too_little_to_take_along() -> None:
    assert masked_street("22 Garden Street, Apt 4") == "22 G… Street, Apt 4"
    assert masked_phone("3605550143") == "(360) •••-••43" and masked_phone("12") == ""
    assert masked_email("joan@example.org") == "j…@example.org" and masked_email("") == ""
    assert masked_name("Milo Petrakis") == "Milo P." and masked_name("Milo") == "Milo"
    assert forgotten(NOW, NOW + FORGETS_AFTER) and not forgotten(
        NOW, NOW + FORGETS_AFTER - timedelta(seconds=1)
    )


@given(st.text(max_size=40))
def test_no_masked_text_is_the_whole(text: str) -> None:
    if len(text) == 10 and text.isdecimal():
        assert text not in masked_phone(text)
    if "@" in text and len(text.partition("@")[0]) > 1:
        assert masked_email(text) != text


def test_no_page_s_words_stand_in_for_those_of_another() -> None:
    """Kills: a word of one's own page that takes the place of the link to the other language."""
    for language in Language:
        shared = online_words(language)
        for words in (own_words(language), tablet_words(language)):
            assert {name for name in shared if words[name] != shared[name]} == set()
