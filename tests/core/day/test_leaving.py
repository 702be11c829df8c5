"""Charges in full, teeth, modifiers, pointers; phases of planned work; the forecast of a day; what
stays open.
"""

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.hours import Span
from zax.core.book.lateness import Coming, Forecast, expected_starts, is_late
from zax.core.book.track import Stop
from zax.core.charges.lines import (
    ServiceRule,
    TypedLine,
    check_line,
    check_pointers,
    check_retired,
    pointed,
    unfinished,
)
from zax.core.charges.modifiers import MODIFIER_WORDS, check_modifiers, is_visit_code, modifier_warning
from zax.core.charges.teeth import TEETH, Numbering, fits, read_tooth, show_tooth
from zax.core.coverage.benefits import Benefits, Frequency
from zax.core.coverage.estimate import Cover, PricedLine, estimate
from zax.core.coverage.phases import Phase, estimate_phases
from zax.core.coverage.used import Used
from zax.core.day.open_points import Leaving, open_points
from zax.core.errors import Problems, Refused
from zax.core.money.journal import Allocation, Entry, Kind, credit_left, faults, give
from zax.core.money.tender import split_over

DAY = date(2026, 11, 24)
CLEANING = ServiceRule(code="D4341", dental=True, area="quadrant")
CROWN = ServiceRule(code="D2740", dental=True, needs_tooth=True, teeth="permanent")
FRONT = ServiceRule(code="D2330", dental=True, needs_tooth=True, surfaces=1, teeth="front")
BABY = ServiceRule(code="D2930", dental=True, needs_tooth=True, teeth="primary")
OFFICE = ServiceRule(code="99213", dental=False)


# --- teeth
def test_teeth_have_places_kinds_and_iso_numbers() -> None:
    assert len(TEETH) == 104 and len({tooth.fdi for tooth in TEETH.values()}) == 104
    # ISO 3950: 18 is the upper right third molar, 21 the upper left central incisor, 36 the lower left first
    # molar, 85 a primary molar.
    known = {
        "1": "18",
        "8": "11",
        "9": "21",
        "16": "28",
        "17": "38",
        "19": "36",
        "24": "31",
        "25": "41",
        "32": "48",
        "A": "55",
        "E": "51",
        "F": "61",
        "K": "75",
        "T": "85",
    }
    assert {number: TEETH[number].fdi for number in known} == known
    kinds = {
        "1": "molar",
        "4": "premolar",
        "6": "front",
        "11": "front",
        "13": "premolar",
        "A": "molar",
        "C": "front",
    }
    assert {number: TEETH[number].kind for number in kinds} == kinds
    assert (TEETH["8"].surfaces, TEETH["14"].surfaces) == ("MDIFL", "MODBL")


@given(st.sampled_from(sorted(TEETH)), st.sampled_from(list(Numbering)))
def test_a_tooth_is_read_back_as_it_was_shown(number: str, numbering: Numbering) -> None:
    assert read_tooth(show_tooth(number, numbering), numbering) == number


def test_a_tooth_of_the_other_numbering_is_not_taken_for_another() -> None:
    assert read_tooth("48", Numbering.FDI) == "32" and read_tooth(" #14 ", Numbering.UNIVERSAL) == "14"
    assert read_tooth("9", Numbering.FDI) not in TEETH and read_tooth("", Numbering.FDI) == ""


@pytest.mark.parametrize(
    ("rule", "typed", "field", "words"),
    [
        (CROWN, TypedLine(tooth="A"), "tooth", "permanent teeth"),
        (BABY, TypedLine(tooth="14"), "tooth", "primary teeth"),
        (FRONT, TypedLine(tooth="14", surfaces="M"), "tooth", "front teeth"),
        (CROWN, TypedLine(tooth="?99"), "tooth", "no tooth “99”"),
        (CLEANING, TypedLine(), "area", "needs its quadrant"),
        (CLEANING, TypedLine(area="01"), "area", "isn’t done by upper arch"),
        (CLEANING, TypedLine(area="77"), "area", "Choose an area"),
        (CROWN, TypedLine(tooth="14", area="10"), "area", "isn’t done by upper right"),
        (CROWN, TypedLine(tooth="14", modifiers="25"), "modifiers", "dental"),
        (OFFICE, TypedLine(units="１"), "units", "can be 1 to 20"),
    ],
)
def test_what_a_service_cannot_be_done_on_is_said_at_its_field(
    rule: ServiceRule, typed: TypedLine, field: str, words: str
) -> None:
    with pytest.raises(Problems) as wrong:
        check_line(rule, typed)
    assert set(wrong.value.problems) == {field} and words in wrong.value.problems[field]


def test_areas_and_teeth_that_fit_are_taken() -> None:
    assert check_line(CLEANING, TypedLine(area="20")).area == "20"
    assert check_line(BABY, TypedLine(tooth="k")).tooth == "K"
    assert unfinished(CLEANING, "", "", "", ()) == "D4341 needs its quadrant"
    assert fits("4", "back") and not fits("8", "back") and fits("8", "")


# --- modifiers, pointers, retired codes
@pytest.mark.parametrize(
    ("typed", "code", "words"),
    [
        ("25 25", "99213", "listed twice"),
        ("25 LT RT 59 76", "99213", "at most 4"),
        ("5", "99213", "isn’t a modifier"),
        ("LT,RT", "93000", "can’t go together"),
        ("ZZ", "99213", "There is no modifier ZZ"),
        ("25 1X", "99213", "There is no modifier 1X"),
        ("26 TC", "93000", "can’t go together"),
        ("x9!", "93000", "isn’t a modifier"),
    ],
)
def test_modifiers_that_cannot_be_are_refused(typed: str, code: str, words: str) -> None:
    with pytest.raises(Refused, match=words):
        check_modifiers(typed, code, dental=False)


@pytest.mark.parametrize(
    ("modifiers", "code", "words"),
    [
        ("25", "99213", ""),
        ("LT", "93000", ""),
        ("25", "93000", "goes with an office visit"),
        ("25", "Q0091", "goes with an office visit"),
        ("25", "99396", "Payers differ about 25 on 99396"),
        ("25", "G0439", "Payers differ about 25 on G0439"),
        ("24", "99396", ""),
    ],
)
def test_where_good_practice_varies_a_modifier_is_taken_with_a_word(
    modifiers: str, code: str, words: str
) -> None:
    assert check_modifiers(modifiers, code, dental=False) == (modifiers,)
    found = modifier_warning([modifiers], code)
    assert words in found and bool(found) == bool(words)


def test_modifiers_keep_their_order_and_payers_may_have_their_own() -> None:
    assert check_modifiers(" 59,lt ", "93000", False) == ("59", "LT")
    assert check_modifiers("u7", "93000", False) == ("U7",) and check_modifiers("", "D1110", True) == ()
    assert (
        is_visit_code("99213")
        and not is_visit_code("93000")
        and is_visit_code("G0439")
        and all(len(each) == 2 for each in MODIFIER_WORDS)
    )


def test_lines_point_by_letters_in_the_order_typed() -> None:
    codes = ["J02.9", "R05.1", "I10", "E11.9", "Z23"]
    assert check_pointers("c, a", codes) == ("I10", "J02.9") and check_pointers("", codes) == ()
    assert pointed(("I10", "gone", "J02.9"), codes) == (3, 1)
    assert pointed((), codes) == (1, 2, 3, 4) and pointed((), []) == ()
    for typed, words in (("F", "no diagnosis F. Use A to E"), ("AA", "once"), ("ABCDE", "at most 4")):
        with pytest.raises(Refused, match=words):
            check_pointers(typed, codes)
    with pytest.raises(Refused, match="Add a diagnosis first"):
        check_pointers("A", [])


def test_a_retired_code_is_good_for_visits_before_its_day() -> None:
    check_retired("D1204", date(2013, 1, 1), date(2012, 12, 31))
    check_retired("D1206", None, DAY)
    with pytest.raises(Refused, match="retired on Jan 1, 2013"):
        check_retired("D1204", date(2013, 1, 1), date(2013, 1, 1))


# --- planned work over time
PLAN = Benefits(
    name="Plan",
    percents={"major": 50, "basic": 80},
    deductible_cents=5000,
    maximum_cents=100_000,
    frequencies=(Frequency(frozenset({"D2740"}), 1, 60, "tooth"),),
)


def crown(number: int, tooth: str = "14") -> PricedLine:
    return PricedLine(
        line_id=number, cents=118_000, category="major", billed=True, code="D2740", units=1, tooth=tooth
    )


def test_the_maximum_is_carried_from_phase_to_phase_and_comes_back_with_the_new_year() -> None:
    covers = [Cover(benefits=PLAN)]
    phases = [
        Phase(DAY, (crown(1),)),
        Phase(DAY, (crown(2, "3"),)),
        Phase(date(2027, 1, 24), (crown(3, "19"),)),
    ]
    first, second, third = (made[0] for made in estimate_phases(phases, covers, DAY))
    assert (first.deductible, first.first) == (5000, 56_500)  # half of 1,130.00
    assert (second.deductible, second.first) == (0, 43_500)  # what the 1,000.00 leaves
    assert (third.deductible, third.first) == (5000, 56_500)
    again = estimate_phases([Phase(DAY, (crown(1),)), Phase(date(2027, 6, 1), (crown(2),))], covers, DAY)
    assert (
        again[1][0].first == 0 and "60 months on one tooth" in again[1][0].why
    )  # the same tooth within 60 months, across the years


def test_phases_out_of_order_are_a_mistake_of_ours() -> None:
    with pytest.raises(ValueError, match="order of time"):
        estimate_phases([Phase(date(2027, 1, 1), ()), Phase(DAY, ())], [], DAY)
    assert estimate_phases([Phase(DAY, (crown(1),))], [], DAY)[0][0].patient == 118_000


SECOND = Benefits(
    name="Second",
    percents={"basic": 70, "major": 40},
    deductible_cents=7_500,
    maximum_cents=30_000,
    out_of_pocket_cents=40_000,
    lifetime_maximums={"major": 20_000},
)


@given(
    st.lists(
        st.tuples(st.sampled_from(["basic", "major"]), st.integers(100, 90_000)), min_size=1, max_size=8
    ),
    st.integers(0, 120_000),
    st.booleans(),
)
def test_work_done_at_once_costs_what_one_bill_would(
    lines: list[tuple[str, int]], paid: int, both: bool
) -> None:
    """Phases on one day are one bill, however it is cut, with one plan and with two; and no plan pays over
    its maximum in a year. Kills: a second plan that begins anew with each phase.
    """
    priced = [
        PricedLine(line_id=n, cents=cents, category=category, billed=True, code=f"X{n}")
        for n, (category, cents) in enumerate(lines)
    ]
    covers = [Cover(benefits=PLAN, used=Used(paid=paid)), *([Cover(benefits=SECOND)] if both else [])]
    cut = estimate_phases([Phase(DAY, (line,)) for line in priced], covers, DAY)
    assert [made[0] for made in cut] == estimate(priced, covers, DAY)
    assert sum(made[0].first for made in cut) <= max(0, 100_000 - paid)
    later = estimate_phases(
        [Phase(DAY, tuple(priced)), Phase(date(2027, 2, 1), tuple(replace(p, line_id=99) for p in priced))],
        covers,
        DAY,
    )
    assert sum(each.first for each in later[1]) <= 100_000
    assert sum(each.second for each in later[1]) <= 30_000


# --- the day ahead
def coming(number: int, start: int, minutes: int, stop: Stop, in_at: int | None = None) -> Coming:
    return Coming(number, Span(start, start + minutes), stop, in_at)


def test_a_delay_runs_on_until_free_time_swallows_it() -> None:
    visits = [
        coming(1, 600, 50, Stop.ROOM, 612),
        coming(2, 650, 30, Stop.HERE),
        coming(3, 680, 40, Stop.CONFIRMED),
        coming(4, 780, 30, Stop.BOOKED),
        coming(5, 640, 30, Stop.MISSED),
    ]
    found = expected_starts(visits, now=642)
    assert {n: (f.start, f.late) for n, f in found.items()} == {2: (662, 12), 3: (692, 12), 4: (780, 0)}


def test_nobody_begins_before_now_and_two_at_once_do_not_wait_for_each_other() -> None:
    late = [coming(1, 600, 30, Stop.CONFIRMED)]
    assert expected_starts(late, now=625)[1].late == 25
    pair = [coming(1, 600, 30, Stop.ROOM, 600), coming(2, 600, 30, Stop.HERE)]
    assert expected_starts(pair, now=605)[2].start == 630
    assert expected_starts(pair, now=605, at_once=2)[2].start == 605


@given(
    st.lists(
        st.tuples(
            st.integers(0, 40),
            st.integers(1, 12),
            st.sampled_from([Stop.ROOM, Stop.HERE, Stop.BOOKED, Stop.SETTLED]),
        ),
        max_size=10,
    ),
    st.integers(480, 900),
)
def test_a_forecast_never_begins_early_nor_two_at_the_same_time(
    rows: list[tuple[int, int, Stop]], now: int
) -> None:
    visits = [
        coming(n, 480 + at * 10, length * 5, stop, 480 + at * 10 if stop == Stop.ROOM else None)
        for n, (at, length, stop) in enumerate(rows)
    ]
    found = expected_starts(visits, now)
    by_id = {visit.id: visit for visit in visits}
    for number, forecast in found.items():
        planned = by_id[number].planned.start
        assert forecast.start >= max(now, planned)
        assert forecast.late <= forecast.start - planned and forecast.late >= 0
    absent = {n for n in found if by_id[n].stop != Stop.HERE and is_late(now - by_id[n].planned.start)}
    begun = sorted((f.start, f.start + by_id[n].planned.minutes) for n, f in found.items() if n not in absent)
    assert all(one[1] <= other[0] for one, other in zip(begun, begun[1:], strict=False))
    assert expected_starts(list(reversed(visits)), now) == found  # in whatever order they are read
    without = expected_starts([visit for visit in visits if visit.id not in absent], now)
    assert without == {n: f for n, f in found.items() if n not in absent}  # who is not there holds up nobody


def test_two_in_rooms_give_one_forecast_in_any_order() -> None:
    inside = [coming(1, 600, 60, Stop.ROOM, 610), coming(2, 600, 20, Stop.ROOM, 600)]
    after = coming(3, 630, 30, Stop.CONFIRMED)
    for order in (inside, inside[::-1]):
        assert expected_starts([*order, after], now=615)[3] == Forecast(670, 40)


def test_somebody_who_never_came_holds_up_nobody() -> None:
    rows = [coming(1, 600, 60, Stop.CONFIRMED), coming(2, 620, 30, Stop.HERE)]
    assert expected_starts(rows, now=640) == {1: Forecast(640, 40), 2: Forecast(640, 0)}
    assert expected_starts(rows, now=601)[2] == Forecast(661, 41)  # one minute late, they may well come


def test_nobody_who_is_here_is_late_while_the_provider_is_free() -> None:
    assert expected_starts([coming(1, 600, 30, Stop.HERE)], now=625)[1] == Forecast(625, 0)
    busy = [coming(1, 560, 60, Stop.ROOM, 580), coming(2, 600, 30, Stop.HERE)]
    assert expected_starts(busy, now=610)[2] == Forecast(640, 40)


# --- money at the counter
@given(
    st.lists(
        st.tuples(st.integers(1, 9), st.integers(-500, 5000)), max_size=6, unique_by=lambda pair: pair[0]
    ),
    st.integers(0, 20_000),
)
def test_a_payment_is_split_without_losing_a_cent(owed: list[tuple[int, int]], cents: int) -> None:
    most = sum(max(0, due) for _, due in owed)
    if cents > most:
        with pytest.raises(ValueError, match="more is paid"):
            split_over(cents, owed)
        return
    made = split_over(cents, owed)
    assert sum(part for _, part in made) == cents
    assert all(0 < part <= dict(owed)[number] for number, part in made)


@given(st.integers(1, 5000), st.integers(1, 5000))
def test_credit_moved_away_is_gone_here_and_there_for_the_lines_there(paid: int, wanted: int) -> None:
    moved = min(paid, wanted)
    ctx = [
        Entry(id=1, kind=Kind.PAYMENT, day=DAY, patient_cents=-paid, insurer_cents=0),
        Entry(id=2, kind=Kind.TRANSFER, day=DAY, patient_cents=moved, insurer_cents=0, of=1),
    ]
    assert credit_left(ctx, []) == {1: paid - moved} and faults(ctx, []) == []
    there = [
        Entry(id=3, kind=Kind.CHARGE, day=DAY, patient_cents=wanted, insurer_cents=0, line_id=7),
        Entry(id=4, kind=Kind.TRANSFER, day=DAY, patient_cents=-moved, insurer_cents=0, of=2),
    ]
    given_there = give(credit_left(there, []), [(7, wanted)])
    assert given_there == [Allocation(4, 7, moved)] and faults(there, given_there) == []


def test_more_moved_away_than_there_was_is_a_fault() -> None:
    wrong = [
        Entry(id=1, kind=Kind.PAYMENT, day=DAY, patient_cents=-100, insurer_cents=0),
        Entry(id=2, kind=Kind.TRANSFER, day=DAY, patient_cents=150, insurer_cents=0, of=1),
    ]
    assert faults(wrong, []) == ["credit 1 gives 50 more than it holds"]


def test_what_stays_open_is_listed_with_its_reason_trouble_first() -> None:
    assert open_points(Leaving(due=0, paying=0, pending=0, plan=0, payer="", earlier=0, credit=0)) == []
    found = open_points(
        Leaving(
            due=4260,
            paying=1000,
            pending=500,
            plan=17_140,
            payer="Harbor Guild Dental",
            earlier=3840,
            credit=200,
            stops=["no address"],
            skipped=["Photo"],
            unsigned=["Privacy policy"],
        )
    )
    assert [point.trouble for point in found] == [True] * 4 + [False] * 4
    assert [point.what for point in found] == [
        "the claim is held back",
        "“Privacy policy” isn’t signed",
        "“Photo” was skipped at arrival",
        "$5.00 by card isn’t confirmed yet",
        "$32.60 for today",
        "$38.40 from earlier visits",
        "$171.40 with Harbor Guild Dental",
        "$2.00 of credit",
    ]
    assert all(point.why for point in found)
