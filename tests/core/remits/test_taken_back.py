"""A decision taken back: only what was posted, to the cent, and nothing that patients paid is lost."""

from __future__ import annotations

from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from tests.core.remits.test_placing import answer
from zax.core.money.journal import Entry, Kind, Parts
from zax.core.remits.line import ExpectedLine
from zax.core.remits.taken_back import take_back, waiting_again

DAY = date(2026, 11, 24)
OURS = [ExpectedLine(n, f"L{n}", "D2392", 10_000, Parts(), 0) for n in (1, 2)]


def entry(number: int, kind: Kind, line: int, insurer: int, patient: int = 0, **more: int) -> Entry:
    return Entry(
        id=number, kind=kind, day=DAY, patient_cents=patient, insurer_cents=insurer, line_id=line, **more
    )


def paid(number: int, line: int, cents: int) -> Entry:
    return entry(number, Kind.INSURER_PAYMENT, line, -cents)


def test_all_of_it_goes_the_newest_first() -> None:
    moved = entry(3, Kind.TRANSFER, 1, -2_000, 2_000)
    posted = [paid(1, 1, 8_000), paid(2, 2, 5_000), moved]
    found = take_back(answer([(1, -10_000, -8_000, []), (2, -10_000, -5_000, [])], "22"), OURS, posted)
    assert [each.id for each in found.entries] == [3, 2, 1] and found.why_not == ""


def test_what_was_reversed_before_is_not_reversed_again() -> None:
    undone = entry(2, Kind.REVERSAL, 1, 8_000, reverses=1)
    said = answer([(1, -10_000, -8_000, []), (2, -10_000, 0, [])], "22")
    assert "never posted here" in take_back(said, OURS, [paid(1, 1, 8_000), undone]).why_not
    again = take_back(said, OURS, [paid(1, 1, 8_000), undone, paid(3, 1, 8_000)])
    assert [each.id for each in again.entries] == [3]


def test_a_claim_without_lines_is_taken_back_as_a_whole() -> None:
    whole = answer([], "22")
    whole.paid_cents = -13_000
    posted = [paid(1, 1, 8_000), paid(2, 2, 5_000)]
    assert len(take_back(whole, OURS, posted).entries) == 2
    whole.paid_cents = -12_999
    assert "takes back $129.99, but $130.00 was posted" in take_back(whole, OURS, posted).why_not


@given(st.integers(0, 10_000), st.integers(0, 10_000), st.integers(-2, 2))
def test_another_amount_on_any_line_waits_for_a_person(first: int, second: int, off: int) -> None:
    posted = [paid(1, 1, first), paid(2, 2, second)]
    said = answer([(1, -10_000, -first, []), (2, -10_000, -(second + off), [])], "22")
    found = take_back(said, OURS, posted)
    assert (found.entries == ()) == bool(off) and bool(found.why_not) == bool(off)


@given(
    st.lists(st.tuples(st.integers(0, 20_000), st.integers(0, 20_000), st.integers(0, 20_000)), max_size=4)
)
def test_the_patients_part_becomes_what_they_paid_and_not_a_cent_is_made(
    lines: list[tuple[int, int, int]],
) -> None:
    owed = {at: Parts(patient, insurer) for at, (patient, insurer, _) in enumerate(lines)}
    given_ = {at: cents for at, (_, _, cents) in enumerate(lines)}
    after = dict(owed)
    for each in waiting_again(owed, given_, list(owed)):
        assert each.patient_cents == -each.insurer_cents
        after[each.line_id] += Parts(each.patient_cents, each.insurer_cents)
    for at, (patient, insurer, cents) in enumerate(lines):
        assert after[at].patient + after[at].insurer == patient + insurer
        assert after[at].patient == min(cents, patient + insurer)
        assert after[at].insurer >= 0
