"""What stands beside the claims of a payment: its nature, its words, and what nothing explains."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.remits.provider_level import CARRIED, Nature, level_words, nature_of, unexplained


@pytest.mark.parametrize(
    ("reason", "nature", "words"),
    [
        ("L6", Nature.EARNED, "L6: interest"),
        ("WO", Nature.CARRIED, "WO: overpayment taken back"),
        ("FB", Nature.CARRIED, "FB: balance carried forward"),
        ("IR", Nature.KEPT, "IR: tax withheld"),
        ("Z9", Nature.CARRIED, "reason Z9"),
        ("refund", Nature.CARRIED, "refund sent to the payer"),
    ],
)
def test_each_code_has_words_and_a_strange_one_stays_in_sight(
    reason: str, nature: Nature, words: str
) -> None:
    assert (nature_of(reason), level_words(reason)) == (nature, words)


@given(st.integers(0, 100_000), st.integers(0, 100_000))
def test_only_what_was_still_to_be_taken_explains_a_taking(cents: int, left: int) -> None:
    assert unexplained("WO", cents, -left) == max(0, cents - left)
    assert unexplained("WO", cents, left) == cents  # it has taken already what nobody explained
    assert unexplained("WO", -cents, -left) == 0


@given(st.sampled_from(["L6", "IR", "L3"]), st.integers(-100_000, 100_000), st.integers(-1_000, 1_000))
def test_what_it_may_keep_or_adds_needs_no_explanation(reason: str, cents: int, before: int) -> None:
    assert unexplained(reason, cents, before) == 0


@given(st.lists(st.integers(0, 10_000), min_size=1, max_size=5))
def test_carried_to_later_payments_in_any_pieces_it_is_explained(pieces: list[int]) -> None:
    stands, asked = -sum(pieces), 0
    for piece in pieces:
        asked += unexplained(CARRIED[0], piece, stands)
        stands += piece
    assert (stands, asked) == (0, 0)
