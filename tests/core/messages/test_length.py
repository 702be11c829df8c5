"""How long a text is: the worked cases, and what holds for any text."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.messages.length import Encoding, text_length

CASES = json.loads((Path(__file__).parents[2] / "cases" / "sms_length.json").read_text())["texts"]


@pytest.mark.parametrize("case", CASES, ids=[each["id"] for each in CASES])
def test_worked_case(case: dict[str, object]) -> None:
    found = text_length(str(case["text"]))
    assert (found.encoding, found.units, found.messages) == (
        case["encoding"],
        case["units"],
        case["messages"],
    )
    assert {f"U+{ord(each):04X}" for each in found.forced_by} == set(case.get("forced_by", []))  # type: ignore[call-overload]


@given(st.text(max_size=700))
def test_every_text_has_room_for_itself(words: str) -> None:
    found = text_length(words)
    assert (found.messages == 0) == (words == "")
    assert found.units <= found.room or not words
    assert (found.encoding is Encoding.UCS) == bool(found.forced_by)


@given(st.text(alphabet="ab€[", min_size=1, max_size=400), st.integers(0, 400))
def test_a_longer_text_is_never_shorter(words: str, at: int) -> None:
    longer = words[:at] + "€" + words[at:]
    assert text_length(longer).messages >= text_length(words).messages
    assert text_length(longer).units == text_length(words).units + 2
