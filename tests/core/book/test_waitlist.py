"""The waitlist: weight of reasons, fit to a gap, asking again; wishes, tallies and reasons for canceling."""

from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.cancellation import OFF, Attendance, OffWhy, check_off, tally
from zax.core.book.waitlist import (
    Entry,
    Gap,
    Waits,
    WaitWhy,
    best_for,
    chosen,
    fit_to,
    stale_first,
    weightiest_first,
)
from zax.core.errors import Refused
from zax.core.patients.wishes import Wishes, wishes_of

TODAY = date(2026, 11, 24)
THURSDAY = date(2026, 11, 26)
GAP = Gap(1, THURSDAY, 14 * 60 + 20, 40, 3, "dentist", frozenset({3, 8}))


def waits(why: WaitWhy = WaitWhy.LOST, minutes: int = 40, **more: object) -> Waits:
    values: dict[str, object] = {
        "id": 1,
        "why": why,
        "since": date(2026, 11, 12),
        "asked": date(2026, 11, 12),
        "ask_after": 60,
        "type_id": 3,
        "type_words": "Filling",
        "role": "dentist",
        "minutes": minutes,
        "provider_id": 3,
        "value": 28600,
        "site_id": 1,
    }
    return Waits(**(values | more))  # type: ignore[arg-type]


def entry(*reasons: Waits, patient_id: int = 1, wishes: Wishes = Wishes(), missed: int = 0) -> Entry:
    return Entry(
        patient_id=patient_id,
        name="Ada Lorne",
        phone="3605550148",
        wishes=wishes,
        missed=missed,
        reasons=weightiest_first(reasons),
    )


def test_who_lost_their_time_and_likes_that_afternoon_comes_first() -> None:
    ada = entry(waits(), waits(WaitWhy.SHORT, id=2), wishes=wishes_of([7], [0]))
    bram = entry(waits(WaitWhy.SOONER, provider_id=0), patient_id=2)
    noor = entry(waits(WaitWhy.SHORT, 30, provider_id=0), patient_id=3)
    priti = entry(waits(WaitWhy.SOONER), patient_id=4, wishes=wishes_of([0, 2], []))
    long = entry(waits(minutes=60), patient_id=5)
    found = best_for([long, priti, noor, bram, ada], GAP, TODAY)
    assert [fit.entry.patient_id for fit in found] == [1, 2, 3, 4, 5]
    assert [fit.words for fit in found] == [
        "fills it",
        "fills it",
        "10 left",
        "different time",
        "20 too long",
    ]
    assert (
        found[0].why
        == "Lost their spot, waiting since Nov 12, prefers Thursday afternoons, short notice is fine"
    )
    assert "but prefers Monday mornings, Tuesday mornings" in found[3].why


@pytest.mark.parametrize(
    "useless",
    [
        {"role": "hygienist"},
        {"type_id": 4},
        {"provider_id": 1},
        {"site_id": 2},
        {"booked": THURSDAY},
        {"booked": TODAY},
    ],
)
def test_a_gap_of_no_use(useless: dict[str, object]) -> None:
    assert fit_to(entry(waits(**useless)), GAP, TODAY) is None
    assert fit_to(entry(waits(booked=THURSDAY + timedelta(days=1))), GAP, TODAY) is not None


def test_the_best_of_several_reasons_counts_and_the_person_is_there_once() -> None:
    both = entry(waits(minutes=60), waits(WaitWhy.SHORT, 40, id=2))
    found = best_for([both], GAP, TODAY)
    assert len(found) == 1 and found[0].wait.id == 2 and found[0].left == 0


def test_who_never_comes_then_is_last_of_those_it_is_long_enough_for() -> None:
    never = entry(waits(), wishes=wishes_of([], [7]))
    found = best_for([never, entry(waits(), patient_id=2)], GAP, TODAY)
    assert [fit.entry.patient_id for fit in found] == [2, 1]
    assert "but never on Thursday afternoons" in found[1].why and not found[1].wishes_met


def test_who_missed_often_is_to_be_called() -> None:
    fit = fit_to(entry(waits(), missed=3), GAP, TODAY)
    assert fit is not None and fit.why.endswith("missed 3 visits, so call")


@given(st.lists(st.integers(0, 200), min_size=1, max_size=8), st.integers(1, 120))
def test_entries_are_asked_again_by_rule_the_longest_overdue_first(days: list[int], limit: int) -> None:
    entries = [
        entry(waits(asked=TODAY - timedelta(days=n), ask_after=limit, id=n), patient_id=k)
        for k, n in enumerate(days)
    ]
    found = [wait.days_unasked(TODAY) for _, wait in stale_first(entries, TODAY)]
    assert found == sorted((n for n in days if n >= limit), reverse=True)


def test_the_weightiest_reason_speaks_for_the_person() -> None:
    person = entry(
        waits(WaitWhy.SHORT, value=100),
        waits(WaitWhy.LOST, value=50, since=TODAY),
        waits(WaitWhy.SOONER, value=900),
    )
    assert (person.main.why, person.value, person.since, person.short_notice) == (
        WaitWhy.LOST,
        900,
        date(2026, 11, 12),
        True,
    )


@given(st.sets(st.integers(0, 13)), st.sets(st.integers(0, 13)))
def test_no_half_day_is_both_liked_and_ruled_out(likes: set[int], never: set[int]) -> None:
    wishes = wishes_of(likes, never)
    for number in range(14):
        day, minute = date(2026, 11, 23) + timedelta(days=number // 2), 600 if number % 2 == 0 else 800
        assert wishes.ruled_out(day, minute) == (number in never)
        assert wishes.liked(day, minute) == (number in likes and number not in never)


def test_wishes_in_words() -> None:
    assert wishes_of([2, 3, 6], [8, 9]).words == "prefers Tuesdays, Thursday mornings; never Fridays"
    assert Wishes().words == ""


def test_only_what_the_patient_did_counts_in_attendance() -> None:
    assert {why for why, off in OFF.items() if off.counts_as} == {
        OffWhy.MISSED,
        OffWhy.WANTS_ANOTHER,
        OffWhy.DOES_NOT,
        OffWhy.UNSEEN,
    }
    assert {why for why, off in OFF.items() if off.waits} == {
        OffWhy.MISSED,
        OffWhy.WANTS_ANOTHER,
        OffWhy.CLINIC,
        OffWhy.UNSEEN,
    }


@pytest.mark.parametrize(
    ("why", "note", "field"),
    [("", "", "why"), ("bored", "", "why"), ("expired", "", "why"), ("clinic", " ", "note")],
)
def test_a_reason_must_be_chosen_and_the_clinics_own_explained(why: str, note: str, field: str) -> None:
    with pytest.raises(Refused) as refused:
        check_off(why, note)
    assert field in refused.value.problems
    assert check_off("clinic", "storm") == OffWhy.CLINIC


@pytest.mark.parametrize(
    ("attendance", "words"),
    [
        (Attendance(), "no visits yet"),
        (Attendance(0, 0, 1), "no visits yet, canceled 1"),
        (Attendance(6), "no missed visits, 6 visits"),
        (Attendance(1), "no missed visits, 1 visit"),
        (Attendance(8, 1, 2), "missed 1 of 9, canceled 2"),
        (Attendance(3, unseen=1), "no missed visits, 3 visits, left unseen 1"),
    ],
)
def test_attendance_in_words(attendance: Attendance, words: str) -> None:
    assert attendance.words == words


def test_only_what_the_patient_did_counts_against_them() -> None:
    visits = [
        ("settled", "", 5),
        ("left", "", 1),
        ("checkout", "", 1),
        ("booked", "", 2),
        ("missed", "", 1),
        ("canceled", "missed", 1),
        ("canceled", "wants", 1),
        ("canceled", "declined", 2),
        ("canceled", "clinic", 4),
        ("canceled", "mistake", 3),
        ("canceled", "expired", 1),
        ("canceled", "", 1),
        ("canceled", "unseen", 2),
    ]
    assert tally(visits) == Attendance(kept=7, missed=2, canceled=3, unseen=2)
    assert tally([]) == Attendance()


def test_a_name_is_found_by_every_word_in_plain_spelling() -> None:
    jose = replace(entry(waits()), name="José O’Neil")
    found = {typed: len(chosen([jose], name=typed)) for typed in ("jose", "o'neil JOSÉ", "neil", "ana", "")}
    assert found == {"jose": 1, "o'neil JOSÉ": 1, "neil": 1, "ana": 0, "": 1}
