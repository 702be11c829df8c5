"""Typed payers and doctors against lists of people who know the trade, and by attack: an entry that isn't
meant is never chosen.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.online.likeness import Meant
from zax.core.online.typed_doctor import DoctorEntry, meant_doctor
from zax.core.online.typed_payer import PayerEntry, meant_payer

CASES: Any = json.loads((Path(__file__).parents[2] / "cases" / "payer_likeness.json").read_text())
PAYERS = [PayerEntry(key=int(each["id"][1:]), name=each["name"]) for each in CASES["payers"]]
NAMES = {each.key: each.name for each in PAYERS}
# Asked though one is meant: as much speaks for another one.
ASKED = {"k43": "Davida Cohen may be Davida Cohn or David Cohen"}


def doctor(each: Any) -> DoctorEntry:
    last, first = each["name"].split(", ")
    return DoctorEntry(key=int(each["id"][2:]), first=first, last=last, degree=each["degree"])


DOCTORS = [doctor(each) for each in CASES["doctors"]]


def judge(case: Any, meant: Meant, key: str) -> None:
    got = key.format(meant.chosen.key) if meant.chosen else None
    assert got == case["expected"] or (got is None and case["id"] in ASKED), (case, meant)
    offered = {key.format(fit.key) for fit in meant.likeliest}
    wanted = set(case.get("ask_among", ())) | {case["expected"]} - {None}
    assert wanted <= offered, (case, offered)


@pytest.mark.parametrize("case", CASES["payer_queries"], ids=lambda case: case["id"])
def test_payers_of_the_trade(case: Any) -> None:
    judge(case, meant_payer(case["typed"], PAYERS), "y{:02d}")


@pytest.mark.parametrize("case", CASES["doctor_queries"], ids=lambda case: case["id"])
def test_doctors_of_the_trade(case: Any) -> None:
    judge(case, meant_doctor(case["typed"], DOCTORS), "dr{:02d}")


@pytest.mark.parametrize(
    ("typed", "name"),
    [
        ("meridian first", "Meridian First Dental"),
        ("First Meridian TX", "First Meridian of Texas"),
        ("pallas premier", "Pallas Dental Premier"),
        ("mercer vally coop", "Mercer Valley Health Cooperative"),
        ("cedar lane", "Cedar Lane Administrators"),
        ("blue heron indianna", "Blue Heron of Indiana"),
        ("harrowgate", None),
        ("cedar line", None),
        ("united", None),
        ("sunrise kids", None),
        ("gardwell life", None),
        ("principle mutual", None),
        ("first meridian dental", None),
        ("westmoor health", None),
        ("workers comp", None),
        ("health insurance", None),
        ("dental", None),
        ("self pay", None),
        ("I don't know", None),
        ("???", None),
        ("", None),
    ],
)
def test_more_payers(typed: str, name: str | None) -> None:
    chosen = meant_payer(typed, PAYERS).chosen
    assert (NAMES[chosen.key] if chosen else None) == name


@pytest.mark.parametrize(
    ("typed", "name"),
    [
        ("heidi fischer-wong", "Heidi"),
        ("dr thibodeau", "Jules"),
        ("Dr. O'Connell, Brigid", "Brigid"),
        ("nguyen md", "Linh"),
        ("bob kane", "Robert"),
        ("dr stephenson", None),
        ("bobbie", None),
        ("dr wong", None),
        ("rashid", None),
        ("gail stevens", None),
        ("p patel", None),
        ("dr smith", None),
        ("none", None),
        ("dr", None),
    ],
)
def test_more_doctors(typed: str, name: str | None) -> None:
    chosen = meant_doctor(typed, DOCTORS).chosen
    assert (next(each.first for each in DOCTORS if each.key == chosen.key) if chosen else None) == name


def test_where_they_work_speaks_for_them() -> None:
    rows = [
        DoctorEntry(key=1, first="Rosa", last="Ibarra", degree="MD", about="Gull Point Family Practice"),
        DoctorEntry(key=2, first="Alma", last="Abner", degree="DO", about="Gull Point Family Practice"),
        DoctorEntry(key=3, first="Rosa", last="Ibarra", degree="DDS", about="Hillcrest Orthodontics"),
    ]
    found = meant_doctor("Dr Ibara, at Gull Point", rows).chosen
    assert found is not None and found.key == 1
    assert meant_doctor("Rosa Ibarra", rows).chosen is None
    assert meant_doctor("someone at Gull Point", rows).chosen is None


def test_an_id_or_a_phone_from_the_card_is_enough() -> None:
    rows = [
        PayerEntry(key=1, name="Harbor Guild Dental", electronic_id="HGD01", phone="3605550190"),
        PayerEntry(key=2, name="Brightwater Family", electronic_id="BDT01"),
    ]
    for typed in ("hgd 01", "(360) 555-0190"):
        found = meant_payer(typed, rows).chosen
        assert found is not None and found.key == 1, typed
    assert meant_payer("HGD02", rows).chosen is None


@given(st.sampled_from(PAYERS), st.permutations(PAYERS))
def test_a_payer_s_own_name_finds_it_in_any_order_of_the_list(
    one: PayerEntry, rows: list[PayerEntry]
) -> None:
    chosen = meant_payer(one.name, rows).chosen
    assert chosen is not None and chosen.key == one.key


@given(st.sampled_from(PAYERS), st.integers(100, 200))
def test_two_of_one_name_always_ask(one: PayerEntry, key: int) -> None:
    twice = [*PAYERS, PayerEntry(key=key, name=one.name)]
    assert meant_payer(one.name, twice).chosen is None


@given(st.text(max_size=60))
def test_any_text_is_read(text: str) -> None:
    for meant in (meant_payer(text, PAYERS), meant_doctor(text, DOCTORS)):
        assert len(meant.likeliest) <= 3
        assert all(0 <= fit.points <= 100 for fit in meant.likeliest)


@given(st.sampled_from(PAYERS), st.data())
def test_a_letter_left_out_never_makes_it_somebody_else(one: PayerEntry, data: st.DataObject) -> None:
    """Unless what is left spells their name."""
    at = data.draw(st.integers(0, len(one.name) - 1))
    typed = one.name[:at] + one.name[at + 1 :]
    chosen = meant_payer(typed, PAYERS).chosen
    assert chosen is None or chosen.key == one.key or NAMES[chosen.key].lower() in typed.lower(), typed
