"""Claims on pre-printed forms: everything that is on the claim is on a sheet, on it and not beside it, moved
as a whole.
"""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.claim_strategies import claims
from tests.core.claims.sound_claims import dental, hospital, line, medical
from zax.core.claims.claim import Claim, Form
from zax.core.claims.stock.printing import on_stock, read_offset, ruler_sheet
from zax.core.claims.stock.sheet import HEIGHT_MM, WIDTH_MM, Placed
from zax.core.errors import Refused

MOST = {Form.PROFESSIONAL: 6, Form.DENTAL: 10, Form.INSTITUTIONAL: 22}


def at(sheet: list[Placed], text: str) -> tuple[float, float]:
    return next((each.x, each.y) for each in sheet if each.text == text)


@given(st.sampled_from(Form).flatmap(claims), st.floats(-25, 25), st.floats(-25, 25))
def test_every_claim_fits_its_sheets_and_none_of_its_services_is_lost(
    claim: Claim, x: float, y: float
) -> None:
    """Kills: a seventh service that falls off the form, and text beside the paper after a move."""
    sheets = on_stock(claim, x, y)
    assert len(sheets) == max(1, -(-len(claim.lines) // MOST[claim.form]))
    texts = [each.text for sheet in sheets for each in sheet]
    for each in claim.lines:
        wanted = each.revenue if claim.form is Form.INSTITUTIONAL else each.code
        assert any(wanted[:5] in text for text in texts)
    for sheet in sheets:
        assert all(0 <= each.x < WIDTH_MM and 0 <= each.y < HEIGHT_MM for each in sheet)
        assert any(claim.number[:14] in each.text for each in sheet)


@pytest.mark.parametrize("claim", [medical(), dental(), hospital()])
def test_moving_moves_everything_alike(claim: Claim) -> None:
    as_it_is, moved = on_stock(claim, 0, 0)[0], on_stock(claim, 1.5, -2)[0]
    assert {(round(b.x - a.x, 1), round(b.y - a.y, 1)) for a, b in zip(as_it_is, moved, strict=True)} == {
        (1.5, -2.0)
    }


def test_services_stand_one_below_the_other_and_each_sheet_has_its_own_total() -> None:
    lines = tuple(line("99213", number=f"L{n}", cents=10_000 + n) for n in range(8))
    first, second = on_stock(medical(*lines), 0, 0)
    rows = sorted({each.y for each in first if each.text == "99213"})
    assert len(rows) == 6 and {round(b - a, 1) for a, b in zip(rows, rows[1:], strict=False)} == {8.5}
    # 6 services of 100.00 to 100.05, then the two that are left.
    assert at(list(first), "600") and at(list(second), "200")
    assert at(list(second), "13")


def test_a_facility_bill_has_one_total_on_its_last_sheet() -> None:
    rooms = tuple(line("", revenue="0120", number=f"L{n}", pointers=()) for n in range(30))
    first, last = on_stock(hospital(*rooms), 0, 0)
    assert [each.text for each in last].count("0001") == 1
    assert "0001" not in [each.text for each in first]


@pytest.mark.parametrize(
    ("text", "found"), [("", 0.0), ("1.5", 1.5), ("-2", -2.0), (" 3 mm ", 3.0), ("25", 25.0)]
)
def test_millimeters_are_read(text: str, found: float) -> None:
    assert read_offset(text, "right_p") == found


@pytest.mark.parametrize("text", ["far", "26", "-25.1", "nan", "inf", "1,5"])
def test_what_is_no_such_distance_is_said_at_its_field(text: str) -> None:
    with pytest.raises(Refused) as wrong:
        read_offset(text, "right_p")
    assert set(wrong.value.problems) == {"right_p"}


def test_the_ruler_marks_whole_centimeters() -> None:
    (sheet,) = ruler_sheet(0, 0)
    assert at(list(sheet), "100")[0] == 100.0
