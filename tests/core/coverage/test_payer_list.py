"""The clearinghouse's list: read whatever it holds, and found by what somebody types on the phone."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.coverage.payer_list import COLUMNS, ListedPayer, PayerIndex, read_payers
from zax.standin.payer_list import page, payer_list

EVERY = read_payers(page("", 10_000)[0])
INDEX = PayerIndex(EVERY.payers)


def as_csv(*rows: tuple[str, ...]) -> str:
    out = io.StringIO()
    csv.writer(out).writerows([COLUMNS, *rows])
    return out.getvalue()


@pytest.mark.parametrize(
    ("typed", "first"),
    [
        ("juniperstone dental ben", "Juniperstone Dental Benefits"),
        ("Juniper Stone Mutual", "Juniperstone Mutual"),
        ("stone comm juniper", "Juniperstone Community Care"),
        ("ALDERBRIDGE HP", "Alderbridge Health Plan"),
        ("hgd01", "Harbor Guild Dental"),
        # A slip of the finger, a letter left out, two turned round.
        ("cedrline dental", "Cedarline Dental"),
        ("graniteridge mutaul", "Graniteridge Mutual"),
        ("copperlin health", "Copperline Health"),
    ],
)
def test_what_is_typed_finds_the_payer_first(typed: str, first: str) -> None:
    assert INDEX.find(typed)[0].name == first


@pytest.mark.parametrize("typed", ["", "   ", "%%%", "qqqqzzzz", "’"])
def test_what_names_none_finds_none(typed: str) -> None:
    assert INDEX.find(typed) == []


@given(st.sampled_from(EVERY.payers), st.data())
def test_every_payer_is_found_by_every_spelling_of_it(payer: ListedPayer, data: st.DataObject) -> None:
    spelling = data.draw(st.sampled_from([payer.name, *payer.also, payer.id]))
    assert payer in INDEX.find(spelling)


@given(st.text(max_size=40))
def test_whatever_is_typed_is_answered(typed: str) -> None:
    found = INDEX.find(typed)
    assert len(found) <= 8 and len({each.id for each in found}) == len(found)


def test_the_list_is_about_four_thousand_in_order_each_once() -> None:
    ids = [row[0] for row in payer_list()]
    assert 3_900 < len(ids) < 4_100 and ids == sorted(set(ids))
    assert not EVERY.problems and len(EVERY.payers) == len(ids)


@pytest.mark.parametrize(
    ("row", "says"),
    [
        (("", "No Id", "", "", ""), "isn’t a payer’s ID"),
        (("A B", "Spaced", "", "", ""), "isn’t a payer’s ID"),
        (("X" * 21, "Long", "", "", ""), "isn’t a payer’s ID"),
        (("ABC1", "  ", "", "", ""), "no name"),
        (("ABC1", "N" * 81, "", "", ""), "too long"),
    ],
)
def test_what_cannot_be_used_is_left_out_and_said(row: tuple[str, ...], says: str) -> None:
    read = read_payers(as_csv(row, ("GOOD1", "Good Health", "Good | Gd", "270 835", "835")))
    assert [each.id for each in read.payers] == ["GOOD1"]
    assert says in read.problems[0] and read.problems[0].startswith("Line 2")
    assert read.payers[0].also == ("Good", "Gd") and read.payers[0].enroll == ("835",)


@given(st.text(max_size=300))
def test_what_is_no_list_is_never_an_error(text: str) -> None:
    read = read_payers(text)
    assert read.payers or read.problems or text.strip()
