"""Charge lines name what their code is about; the estimate explains every cent."""

import pytest

from zax.core.charges.lines import ServiceRule, TypedLine, check_line, is_tooth, unfinished
from zax.core.charges.teeth import TEETH, TEETH_WORDS, fits
from zax.core.errors import Problems
from zax.core.money.tender import Tender, TenderForm, check_tenders

FILLING = ServiceRule(code="D2392", dental=True, needs_tooth=True, surfaces=2)
CROWN = ServiceRule(code="D2740", dental=True, needs_tooth=True)
OFFICE = ServiceRule(code="99213", dental=False)


def test_a_filling_needs_its_tooth_and_exactly_its_surfaces() -> None:
    detail = check_line(FILLING, TypedLine("1", "#14", "om"))
    assert (detail.tooth, detail.surfaces) == ("14", "MO")
    with pytest.raises(Problems) as wrong:
        check_line(FILLING, TypedLine("1", "", "M"))
    assert set(wrong.value.problems) == {"tooth", "surfaces"}


@pytest.mark.parametrize(
    ("rule", "units", "tooth", "surfaces", "field"),
    [
        (FILLING, "1", "33", "MO", "tooth"),
        (FILLING, "1", "Z", "MO", "tooth"),
        (FILLING, "1", "8", "MO", "surfaces"),
        (FILLING, "1", "14", "MI", "surfaces"),
        (FILLING, "1", "14", "MX", "surfaces"),
        (CROWN, "1", "14", "M", "surfaces"),
        (OFFICE, "0", "", "", "units"),
        (OFFICE, "x", "", "", "units"),
        (OFFICE, "21", "", "", "units"),
        (OFFICE, "1", "14", "", "tooth"),
    ],
)
def test_what_does_not_fit_the_code_is_said_beside_its_field(
    rule: ServiceRule, units: str, tooth: str, surfaces: str, field: str
) -> None:
    with pytest.raises(Problems) as wrong:
        check_line(rule, TypedLine(units, tooth, surfaces))
    assert set(wrong.value.problems) == {field}


def test_a_code_for_four_surfaces_or_more_takes_all_five() -> None:
    wide = ServiceRule(code="D2394", dental=True, needs_tooth=True, surfaces=4)
    for surfaces in ("MODB", "MODBL"):
        assert check_line(wide, TypedLine("1", "14", surfaces)).surfaces == surfaces
        assert unfinished(wide, "14", surfaces, "", ()) == ""
    with pytest.raises(Problems, match="name four or five"):
        check_line(wide, TypedLine("1", "14", "MOD"))
    assert unfinished(wide, "14", "MOD", "", ()) == "D2394 needs its surfaces"


def test_teeth_are_one_to_thirty_two_and_a_to_t() -> None:
    assert [tooth for tooth in ("1", "32", "A", "T") if is_tooth(tooth)] == ["1", "32", "A", "T"]
    assert not any(is_tooth(tooth) for tooth in ("0", "33", "U", "", "AA", "١"[:0]))


def test_unfinished_lines_say_what_they_lack() -> None:
    assert unfinished(FILLING, "", "", "", ()) == "D2392 needs a tooth"
    assert unfinished(FILLING, "14", "M", "", ()) == "D2392 needs its surfaces"
    assert unfinished(OFFICE, "", "", "", ()) == "99213 needs a diagnosis"
    assert unfinished(OFFICE, "", "", "", ("J02.9",)) == ""


def test_a_check_needs_its_number() -> None:
    with pytest.raises(Problems) as wrong:
        check_tenders([TenderForm("check", "12", " ")], {})
    assert "printed on the check" in wrong.value.problems["number-1"]
    assert check_tenders([TenderForm("check", "12", "1 184")], {})[0].number == "1184"
    assert check_tenders([TenderForm("cash", "12", "99")], {})[0].number == ""
    with pytest.raises(Problems) as wrong:
        check_tenders([TenderForm("cash", "1"), TenderForm("shells", "abc", "")], {})
    assert set(wrong.value.problems) == {"tender-2", "amount-2"}
    assert check_tenders([TenderForm("card", "1.5", "")], {})[0].tender == Tender.CARD


@pytest.mark.parametrize("tooth", ["NONE", "?99", "", "33", "Z"])
def test_on_what_is_no_tooth_nothing_can_be_done(tooth: str) -> None:
    assert not any(fits(tooth, rule) for rule in (*TEETH_WORDS, ""))
    assert all(fits(known, "") for known in TEETH)
