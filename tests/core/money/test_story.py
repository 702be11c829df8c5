"""How an open amount came about: by examples, and whatever happened, the steps add up to it."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.money.journal import Entry, Kind
from zax.core.money.story import Step, story_of

DAY = date(2026, 11, 24)


def entry(number: int, kind: Kind, patient: int, insurer: int = 0, reverses: int | None = None) -> Entry:
    return Entry(
        id=number,
        kind=kind,
        day=DAY,
        patient_cents=patient,
        insurer_cents=insurer,
        line_id=None,
        visit_id=1,
        reverses=reverses,
        of=None,
    )


@pytest.mark.parametrize(
    ("entries", "steps"),
    [
        # 286.00, the insurer's part 188.80: 97.20 open.
        ([(Kind.CHARGE, 9_720, 18_880)], {Step.CAME_TO: 28_600, Step.WITH_INSURER: -18_880}),
        # It paid 180.00 and left 8.80 to the patient: 106.00.
        (
            [(Kind.CHARGE, 9_720, 18_880), (Kind.INSURER_PAYMENT, 0, -18_000), (Kind.TRANSFER, 880, -880)],
            {Step.CAME_TO: 28_600, Step.INSURER_PAID: -18_000},
        ),
        # 40.00 of it is somebody else's now.
        (
            [(Kind.CHARGE, 9_720, 0), (Kind.TRANSFER, -4_000, 0)],
            {Step.CAME_TO: 9_720, Step.MOVED: -4_000},
        ),
        (
            [(Kind.CHARGE, 500, 0), (Kind.DISCOUNT, -50, 0), (Kind.PAYMENT, -450, 0)],
            {Step.CAME_TO: 500, Step.TAKEN_OFF: -50, Step.PAID: -450},
        ),
    ],
    ids=["not answered", "answered", "handed over", "paid"],
)
def test_what_is_told(entries: list[tuple[Kind, int, int]], steps: dict[Step, int]) -> None:
    assert story_of([entry(n, *each) for n, each in enumerate(entries, 1)]) == steps


def test_a_reversal_counts_with_what_it_reverses() -> None:
    written_off = entry(1, Kind.WRITE_OFF, -300)
    assert story_of([written_off, entry(2, Kind.REVERSAL, 300, reverses=1)]) == {}
    assert story_of([entry(2, Kind.REVERSAL, 300, reverses=99)]) == {Step.MOVED: 300}


cents = st.integers(-(10**7), 10**7)


@given(st.lists(st.tuples(st.sampled_from(Kind), cents, cents, st.integers(0, 12)), max_size=12))
def test_the_steps_add_up_to_what_is_open(made: list[tuple[Kind, int, int, int]]) -> None:
    """Kills: leaving out what was moved to somebody else, charges taken back, refunds, insurer credits."""
    entries = [
        entry(n, kind, patient, insurer, of if kind == Kind.REVERSAL else None)
        for n, (kind, patient, insurer, of) in enumerate(made, 1)
    ]
    story = story_of(entries)
    assert sum(story.values()) == sum(each.patient_cents for each in entries)
    assert list(story) == [step for step in Step if step in story] and 0 not in story.values()
