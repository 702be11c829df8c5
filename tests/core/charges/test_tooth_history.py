"""Earlier work: reading a line, what it says of days, what cannot be, and how it counts toward a plan."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.charges.teeth import SURFACE_ORDER, TEETH, Numbering
from zax.core.charges.tooth_history import (
    Known,
    ToothWork,
    When,
    Work,
    check_against,
    lost_teeth,
    work_of,
)
from zax.core.charges.tooth_line import LETTERS, read_line, write_line
from zax.core.coverage.benefits import Benefits, Frequency
from zax.core.coverage.limits import Done, Insured, Wanted, done_before_us, payable
from zax.core.coverage.tooth_effects import tooth_effects
from zax.core.errors import Refused

TODAY = date(2026, 11, 24)
UNIVERSAL = Numbering.UNIVERSAL


def said(line: str, missing: tuple[str, ...] = ()) -> list[tuple[str, str, str, str]]:
    """(teeth, work, surfaces, when) of each work of the line."""
    works = read_line(line, UNIVERSAL, TODAY, missing)
    return [(" ".join(w.teeth), w.work.value, w.surfaces, w.when.words) for w in works]


@pytest.mark.parametrize(
    ("line", "works"),
    [
        ("30 crown 2019", [("30", "crown", "", "2019")]),
        ("30 c 2019", [("30", "crown", "", "2019")]),
        ("tooth #30 crown, in may 2019", [("30", "crown", "", "May 2019")]),
        ("1 16 17 32 missing before 2000", [("1 16 17 32", "missing", "", "before 2000")]),
        ("wisdom teeth missing", [("1 16 17 32", "missing", "", "unknown")]),
        ("32 1 m", [("1 32", "missing", "", "unknown")]),
        ("8 r c 2011", [("8", "root_canal", "", "2011"), ("8", "crown", "", "2011")]),
        ("8 root canal and crown 2011", [("8", "root_canal", "", "2011"), ("8", "crown", "", "2011")]),
        ("14 do f 2016", [("14", "filling", "OD", "2016")]),
        ("14 f do", [("14", "filling", "OD", "unknown")]),
        ("3 m o d f about 2012", [("3", "filling", "MOD", "about 2012")]),
        ("3 mod ~2012", [("3", "filling", "MOD", "about 2012")]),
        ("14 b f", [("14", "filling", "B", "unknown")]),
        ("8 o f", [("8", "filling", "I", "unknown")]),
        ("18 to 20 b 3/2014", [("18 19 20", "bridge", "", "March 2014")]),
        ("20-18 bridge", [("18 19 20", "bridge", "", "unknown")]),
        ("28 i 5/14/2022", [("28", "implant", "", "May 14, 2022")]),
        ("32 to be extracted", [("32", "extract", "", "unknown")]),
        ("A k", [("A", "kept", "", "unknown")]),
        ("a k", [("A", "kept", "", "unknown")]),
        ("c c", [("C", "crown", "", "unknown")]),
        ("A B C m", [("A B C", "missing", "", "unknown")]),
        ("a-c m", [("A B C", "missing", "", "unknown")]),
        ("58 e", [("58", "extra", "", "unknown")]),
        ("AS extra", [("AS", "extra", "", "unknown")]),
        ("30 f unknown", [("30", "filling", "", "unknown")]),
    ],
)
def test_a_line_says_teeth_work_and_when(line: str, works: list[tuple[str, str, str, str]]) -> None:
    assert said(line) == works


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("", "Which tooth"),
        ("crown", "Which tooth"),
        ("30", "What is with tooth 30"),
        ("33 crown", "no tooth “33”"),
        ("30 blah 2019", "“blah” can’t be read"),
        ("30 c 2030", "still ahead"),
        ("30 c 1850", "no year from 1900"),
        ("30 c 13/2019", "no such day"),
        ("30 c 2/30/2019", "no such day"),
        ("15-18 m", "aren’t in one arch"),
        ("5 e", "The extra tooth beside it is 55"),
        ("5 k", "no baby tooth"),
        ("A i", "Choose a permanent tooth"),
        ("8 14 mo f", "two lines"),
        ("14 mom f", "can’t be read"),
        ("14 m mo f", "stands twice"),
        ("19-20 b", "one it replaces"),
        ("18 20 b", "18 to 20 bridge"),
        ("19 b", "one it replaces"),
    ],
)
def test_what_cannot_be_read_is_refused_with_the_part_that_is_meant(line: str, words: str) -> None:
    with pytest.raises(Refused, match=words) as error:
        read_line(line, UNIVERSAL, TODAY)
    assert set(error.value.problems) == {"line"}


def test_a_bridge_replaces_what_is_missing_or_all_but_its_ends() -> None:
    assert [w.replaced for w in read_line("18 to 21 b", UNIVERSAL, TODAY)] == [("19", "20")]
    assert [w.replaced for w in read_line("19-20 b", UNIVERSAL, TODAY, {"20"})] == [("20",)]
    assert [w.replaced for w in read_line("18-21 b", UNIVERSAL, TODAY, {"18", "19"})] == [("18", "19")]
    with pytest.raises(Refused, match="holds it"):
        read_line("18-20 b", UNIVERSAL, TODAY, {"18", "19", "20"})


def test_the_other_numbering_reads_its_own_teeth() -> None:
    works = read_line("46 crown 2019", Numbering.FDI, TODAY)
    assert works[0].teeth == ("30",) and write_line(works[0], Numbering.FDI) == "46 crown 2019"
    assert read_line("18S e", Numbering.FDI, TODAY)[0].teeth == ("51",)
    with pytest.raises(Refused, match="no tooth “9”"):
        read_line("9 crown", Numbering.FDI, TODAY)


_PERMANENT = [n for n in TEETH if n.isdecimal() and int(n) <= 32]
_DAYS = st.dates(date(1900, 1, 1), TODAY)
_WHENS = st.one_of(
    st.just(When()),
    st.builds(lambda day: When(day, Known.DAY), _DAYS),
    st.builds(lambda day: When(day.replace(day=1), Known.MONTH), _DAYS),
    st.builds(
        lambda day, known: When(date(day.year, 1, 1), known),
        _DAYS,
        st.sampled_from([Known.YEAR, Known.ABOUT, Known.BEFORE]),
    ),
)


@given(st.sampled_from(sorted(set(LETTERS.values()) - {Work.BRIDGE})), _WHENS, st.booleans(), st.data())
def test_a_written_line_is_read_back_as_the_same_work(
    work: Work, when: When, here: bool, data: st.DataObject
) -> None:
    numbering = data.draw(st.sampled_from(list(Numbering)))
    choices = {
        Work.KEPT: [t.number for t in TEETH.values() if t.primary and not t.extra],
        Work.EXTRA: [t.number for t in TEETH.values() if t.extra],
        Work.IMPLANT: _PERMANENT,
    }.get(work, list(TEETH))
    number = data.draw(st.sampled_from(choices))
    has = TEETH[number].surfaces
    letters = data.draw(st.sets(st.sampled_from(has))) if work == Work.FILLING else set()
    surfaces = "".join(each for each in SURFACE_ORDER if each in letters)
    told = ToothWork(teeth=(number,), work=work, surfaces=surfaces, when=when, here=here)
    assert read_line(write_line(told, numbering), numbering, TODAY) == [told]


@given(st.text(max_size=40), st.sampled_from(list(Numbering)))
def test_any_text_is_read_or_refused_beside_its_field(text: str, numbering: Numbering) -> None:
    try:
        works = read_line(text, numbering, TODAY)
    except Refused as error:
        assert set(error.problems) == {"line"} and str(error)
    else:
        assert works and all(set(w.teeth) <= set(TEETH) and w.teeth for w in works)


@given(_WHENS)
def test_a_day_lies_between_its_earliest_and_its_latest(when: When) -> None:
    if when.day is None:
        assert (when.first, when.last, when.words) == (None, None, "unknown")
        return
    assert when.last is not None
    if when.known == Known.BEFORE:
        assert when.first is None and when.last < when.day
    else:
        assert when.first is not None and when.first <= when.day <= when.last


def test_how_wide_a_day_is() -> None:
    assert (When(date(2019, 12, 1), Known.MONTH).last, When(date(2020, 2, 1), Known.MONTH).last) == (
        date(2019, 12, 31),
        date(2020, 2, 29),
    )
    assert When(date(2019, 1, 1), Known.YEAR).last == date(2019, 12, 31)
    about = When(date(2012, 1, 1), Known.ABOUT)
    assert (about.first, about.last) == (date(2011, 1, 1), date(2013, 12, 31))
    assert When(date(2000, 1, 1), Known.BEFORE).last == date(1999, 12, 31)


@pytest.mark.parametrize(
    ("code", "work"),
    [
        ("D2740", Work.CROWN),
        ("D2391", Work.FILLING),
        ("D3330", Work.ROOT_CANAL),
        ("D6010", Work.IMPLANT),
        ("D6240", Work.BRIDGE),
        ("D7140", Work.MISSING),
        ("D1110", None),
        ("D2950", None),
        ("99213", None),
    ],
)
def test_which_work_a_code_is(code: str, work: Work | None) -> None:
    assert work_of(code) == work


def works(*lines: str) -> list[ToothWork]:
    chart: list[ToothWork] = []
    for line in lines:
        new = read_line(line, UNIVERSAL, TODAY, lost_teeth(chart))
        for each in new:
            check_against(each, chart, (), UNIVERSAL)
        chart += new
    return chart


@pytest.mark.parametrize(
    ("lines", "words"),
    [
        (("30 crown 2019", "30 c 2019"), "already has this"),
        (("2 m", "2 crown"), "Tooth 2 is missing"),
        (("2 m", "1-3 m 2019"), "Tooth 2 already has this"),
        (("28 i", "28 i 2020"), "Tooth 28 already has this"),
        (("18-20 b", "19 filling"), "Tooth 19 is missing"),
        (("2 m", "1-3 x"), "Tooth 2 is missing"),
    ],
)
def test_what_cannot_be_beside_what_is_there(lines: tuple[str, ...], words: str) -> None:
    with pytest.raises(Refused, match=words):
        works(*lines)


def test_what_can_be() -> None:
    chart = works(
        "2 m", "2 i 2020", "2 c 2021", "30 crown 2009", "30 crown 2019", "3 mo f", "3 do f", "19 m", "18-20 b"
    )
    assert lost_teeth(chart) == {"2": None, "19": None}
    with pytest.raises(Refused, match="Tooth 5 is missing"):
        check_against(works("5 crown")[0], [], {"5"}, UNIVERSAL)


@given(st.permutations(["19 m 2021", "19 m", "19 i 2022", "18-20 b 2014", "19 m before 2020"]))
def test_the_order_in_which_it_was_entered_does_not_matter(lines: list[str]) -> None:
    """A merge may bring two entries together that nobody would enter one after the other."""
    chart = [each for line in lines for each in read_line(line, UNIVERSAL, TODAY)]
    assert lost_teeth(chart) == {"19": date(2021, 1, 1)}


# --- what it changes
CROWNS = Frequency(frozenset({"D2740"}), 1, 60, "tooth")
PLAN = Benefits(
    name="Plan",
    percents={"major": 50},
    frequencies=(CROWNS,),
    missing_tooth_codes=frozenset({"D6240"}),
)


def left(
    day: date, *lines: str, code: str = "D2740", tooth: str = "30", since: date | None = None
) -> tuple[int, str]:
    chart = works(*lines)
    insured = Insured(None, since, lost_teeth(chart))
    found = payable(
        PLAN, insured, Wanted(code=code, category="major", day=day, tooth=tooth), done_before_us(chart)
    )
    return found.units, found.why


def test_a_crown_from_elsewhere_counts_toward_the_limit_until_the_last_day_it_can_have_been() -> None:
    assert left(TODAY, "30 crown 2022")[0] == 0
    assert "in 2022; give the exact date" in left(TODAY, "30 crown 2022")[1]
    assert left(date(2027, 12, 30), "30 crown 2022")[0] == 0
    assert left(date(2027, 12, 31), "30 crown 2022") == (1, "")
    assert left(TODAY, "30 crown 11/24/2021") == (1, "")
    assert left(TODAY, "30 crown 11/25/2021")[0] == 0
    assert left(TODAY, "30 crown unknown") == (1, "")
    assert left(TODAY, "29 crown 2022") == (1, "") and left(TODAY, "30 filling 2022") == (1, "")


def test_it_never_counts_as_paid_by_the_plan() -> None:
    paid = Benefits(
        name="Plan", percents={}, frequencies=(Frequency(frozenset({"D2740"}), 1, 60, "tooth", "paid"),)
    )
    wanted = Wanted(code="D2740", category="major", day=TODAY, tooth="30")
    assert payable(paid, Insured(), wanted, done_before_us(works("30 crown 2022"))).units == 1


@pytest.mark.parametrize(
    ("lines", "since", "pays"),
    [
        (("19 m 2021",), date(2022, 1, 1), False),
        (("19 m 2021",), date(2021, 1, 1), True),
        (("19 m 2021",), date(2021, 1, 2), False),
        (("19 m 6/2021",), date(2021, 6, 1), True),
        (("19 m before 2021",), date(2000, 1, 1), False),
        (("19 m",), date(2000, 1, 1), False),
        (("18-20 b 2021",), date(2000, 1, 1), False),
        (("19 m 2021", "19 i 2022"), date(2021, 1, 1), True),
        ((), date(2022, 1, 1), True),
    ],
)
def test_a_tooth_counts_as_lost_on_the_first_day_it_can_have_been(
    lines: tuple[str, ...], since: date, pays: bool
) -> None:
    assert bool(left(TODAY, *lines, code="D6240", tooth="19", since=since)[0]) == pays


@given(_WHENS, st.integers(0, 4000))
def test_knowing_the_day_better_never_lets_the_plan_pay_less(when: When, ago: int) -> None:
    """Any exact day within what is known is at least as good for the patient."""
    day = TODAY - timedelta(days=ago)
    vague = done_before_us([ToothWork(teeth=("30",), work=Work.CROWN, when=when)])
    wanted = Wanted(code="D2740", category="major", day=day, tooth="30")
    first, last = when.first or date(1900, 1, 1), when.last
    if last is None:
        assert vague == []
        return
    for exact in (first, last):
        sharp = [Done("", exact, "30", paid=False, work=Work.CROWN)]
        assert payable(PLAN, Insured(), wanted, sharp).units >= payable(PLAN, Insured(), wanted, vague).units


@given(_WHENS, st.integers(-400, 4000))
def test_what_is_told_agrees_with_what_the_estimate_does(when: When, ahead: int) -> None:
    """While the sentence says "from a day on" nothing is paid; from that day on, and without it, it is."""
    chart = [ToothWork(teeth=("30",), work=Work.CROWN, when=when)]
    day = TODAY + timedelta(days=ahead)
    told = tooth_effects(PLAN, Insured(), "Harbor", chart, day)
    wanted = Wanted(code="D2740", category="major", day=day, tooth="30")
    pays = bool(payable(PLAN, Insured(), wanted, done_before_us(chart)).units)
    assert pays == (not any("is paid from" in each.words for each in told))
    assert (when.last is None) == any("Without a year" in each.words for each in told)


def test_teeth_gone_before_are_told_once_and_those_gone_later_are_not() -> None:
    insured = Insured(None, date(2020, 1, 1), {"19": date(2021, 5, 1), "3": None, "30": date(2019, 1, 1)})
    found = tooth_effects(PLAN, insured, "Harbor", [], TODAY)
    assert [(each.teeth, each.words) for each in found] == [
        (("3", "30"), "gone before the coverage began, so Harbor pays no replacement.")
    ]
