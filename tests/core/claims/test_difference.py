"""What the record says otherwise than what was sent."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.claim_strategies import claims
from tests.x12_samples import ENVELOPE, claim
from zax.core.claims.claim import Claim, Form
from zax.core.claims.difference import Difference, differences
from zax.core.x12.claim_file import claim_file
from zax.core.x12.claim_reading import claim_in

SLOW = (HealthCheck.too_slow, HealthCheck.data_too_large)
forms = st.sampled_from([Form.PROFESSIONAL, Form.DENTAL, Form.INSTITUTIONAL])


@settings(max_examples=40, deadline=None, suppress_health_check=SLOW)
@given(forms.flatmap(lambda form: st.lists(claims(form), min_size=1, max_size=5)))
def test_each_claim_of_a_file_is_found_alone_as_it_was_sent(many: list[Claim]) -> None:
    numbered = [replace(each, number=f"C{at:06d}") for at, each in enumerate(many)]
    text = claim_file(numbered, ENVELOPE)
    for each in numbered:
        assert claim_in(text, each.number) == each
        assert differences(each, each) == []
    assert claim_in(text, "C999999") is None


CHANGES: dict[str, Callable[[Claim], Claim]] = {
    "patient": lambda c: replace(c, patient=replace(c.patient, birth=date(1984, 5, 4))),
    "plan’s holder": lambda c: replace(c, subscriber=replace(c.subscriber, last="Other")),
    "member ID": lambda c: replace(c, subscriber=replace(c.subscriber, member_id="X-1")),
    "group number": lambda c: replace(c, group_number="G999"),
    "payer": lambda c: replace(c, payer=replace(c.payer, identifier="OTHER")),
    "provider": lambda c: replace(c, clinician=None),
    "place of service": lambda c: replace(c, place_of_service="22"),
    "diagnoses": lambda c: replace(c, diagnoses=("R05.9",)),
}


@pytest.mark.parametrize("what", CHANGES)
def test_every_point_a_payer_decides_by_is_seen(what: str) -> None:
    found = differences(claim(), CHANGES[what](claim()))
    assert what in [each.what for each in found]
    assert all(each.was != each.now for each in found)


@pytest.mark.parametrize(
    "change",
    [
        {"code": "99214"},
        {"cents": 1},
        {"units": 2},
        {"day": date(2026, 11, 1)},
        {"modifiers": ("59",)},
        {"tooth": "14"},
        {"surfaces": "MO"},
        {"area": "10"},
        {"place": "22"},
        {"pointers": (2,)},
    ],
)
def test_every_part_of_a_service_is_seen(change: dict[str, object]) -> None:
    sent = claim()
    now = replace(sent, lines=(replace(sent.lines[0], **change), *sent.lines[1:]))  # type: ignore[arg-type]
    assert len(differences(sent, now)) == 1


def test_a_service_that_came_or_went_says_so() -> None:
    sent = claim()
    less = replace(sent, lines=sent.lines[1:])
    (gone,) = differences(sent, less)
    assert gone.what == sent.lines[0].code and gone.was and gone.now == ""
    (came,) = differences(less, sent)
    assert came == Difference(gone.what, "", gone.was)


def test_how_a_name_is_spelled_for_the_file_is_no_change() -> None:
    person = replace(claim().patient, last="Łukaš", first="Zoë")
    typed = replace(claim(), patient=person, subscriber=person)
    sent = claim_in(claim_file([typed], ENVELOPE), typed.number)
    assert sent is not None and sent.patient.last == "LUKAS"
    assert differences(sent, typed) == []
