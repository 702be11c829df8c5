"""What a service usually comes with: what may be kept, what is refused, and how a drug goes by units."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.charges.usual import TypedUsual, Usual, UsualDrug, check_usual
from zax.core.errors import Problems, Refused

VACCINE = TypedUsual("2", "sl", "z23", "12345-6789-01", "0.5", "ML", "207q00000x", "Yes")


def test_what_was_typed_is_kept_and_reads_back_as_it_is_kept() -> None:
    kept = check_usual(VACCINE, "90686", False)
    assert kept == Usual(2, ("SL",), "Z23", UsualDrug("12345678901", "0.5", "ML"), "207Q00000X", True)
    assert check_usual(TypedUsual.of(kept), "90686", False) == kept
    assert check_usual(TypedUsual(), "90686", False) == Usual()
    assert TypedUsual.of(Usual()) == TypedUsual()


@pytest.mark.parametrize(
    ("changed", "beside"),
    [
        ({"units": "0"}, "units"),
        ({"units": "many"}, "units"),
        ({"modifiers": "SL SL"}, "modifiers"),
        ({"modifiers": "9!"}, "modifiers"),
        ({"diagnosis": "flu"}, "diagnosis"),
        ({"ndc": "1234567890"}, "ndc"),
        ({"ndc": "1234567890１"}, "ndc"),
        ({"ndc": ""}, "ndc"),
        ({"ndc_quantity": "0"}, "ndc_quantity"),
        ({"ndc_quantity": "half"}, "ndc_quantity"),
        ({"ndc_unit": "XX"}, "ndc_unit"),
        ({"taxonomy": "207Q"}, "taxonomy"),
        ({"lab": "maybe"}, "lab"),
    ],
)
def test_what_a_claim_could_not_say_is_refused_beside_its_field(changed: dict[str, str], beside: str) -> None:
    with pytest.raises(Problems) as refused:
        check_usual(replace(VACCINE, **changed), "90686", False)
    assert list(refused.value.problems) == [beside]


def test_a_dental_service_has_nothing_of_it_but_its_specialty() -> None:
    assert check_usual(TypedUsual(units="1"), "D2740", True) == Usual()
    endodontist = TypedUsual(taxonomy="1223E0200X")
    assert check_usual(endodontist, "D3330", True) == Usual(taxonomy="1223E0200X")
    with pytest.raises(Refused, match="ten characters"):
        check_usual(TypedUsual(taxonomy="1223"), "D3330", True)
    for typed in (
        TypedUsual(units="2"),
        TypedUsual(modifiers="25"),
        TypedUsual(diagnosis="K02.9"),
        TypedUsual(ndc="12345678901"),
        TypedUsual(lab="yes"),
    ):
        with pytest.raises(Refused):
            check_usual(typed, "D2740", True)


@given(st.decimals("0.001", "999999", places=3), st.integers(1, 99))
def test_a_drug_goes_by_units_to_the_last_digit(quantity: Decimal, units: int) -> None:
    said = UsualDrug("12345678901", str(quantity), "ML").of_units(units)
    assert Decimal(said) == quantity * units and "E" not in said
