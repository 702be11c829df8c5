"""Pairs of records by people who know the trade, with the verdict: a different person never passes for the
same one, and every pair that may be one person is worth a look.
"""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from zax.core.coverage.member import member_key
from zax.core.patients.likeness import LIKELY, Known, compare
from zax.core.patients.nicknames import same_given_name, stands_for
from zax.core.patients.person import search_key

PAIRS: list[Any] = json.loads((Path(__file__).parents[2] / "cases" / "duplicates.json").read_text())["pairs"]
# Different people who are still put before somebody, each with why; nothing is merged by itself.
DISPUTED = {
    "u54": "twins with names as alike as two spellings of one",
    "u57": "the same",
    "u69": "one name, and birth dates that differ in one figure",
}


def known(number: int, each: Any) -> Known:
    phone = "".join(ch for ch in each["phone"] or "" if ch.isdigit())
    return Known(
        id=number,
        first=search_key(each["first"]),
        last=search_key(each["last"]),
        birth=date.fromisoformat(each["dob"]) if each["dob"] else None,
        phones=frozenset({phone} if phone else ()),
        members=frozenset({member_key(each["member_id"])} if each["member_id"] else ()),
        street=each["address"] or "",
        email=each["email"] or "",
        sex=each["sex"] or "",
    )


@pytest.mark.parametrize("pair", PAIRS, ids=[f"{each['id']} {each['tag']}" for each in PAIRS])
def test_cases_of_the_trade(pair: Any) -> None:
    found = compare(known(1, pair["a"]), known(2, pair["b"]))
    likely = found.points >= LIKELY
    assert likely == (pair["expected"] != "different" or pair["id"] in DISPUTED), (pair, found)


def test_short_names_stand_for_all_that_they_may() -> None:
    assert stands_for("bob") == {"robert"} and "elizabeth" in stands_for("beth")
    assert {"samuel", "samantha"} <= stands_for("sam")
    assert same_given_name("bob", "robert") and same_given_name("bob", "rob")
    assert not same_given_name("robert", "roberta") and not same_given_name("ana", "anna")
