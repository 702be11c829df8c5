"""The dental guide as a grammar: order, must and may, repeats of 005010X224A2, written out here from the
guide, since no independent map of it exists. Any dental claim we write keeps it, and broken ones do not.
"""

from __future__ import annotations

import re

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.claim_strategies import claims
from tests.x12_samples import ENVELOPE, MATEO, claim
from zax.core.claims.claim import Claim, Form
from zax.core.x12.claim_file import claim_file
from zax.core.x12.syntax import read

# A segment is its id and, where the guide tells kinds apart by it, its qualifier.
QUALIFIED = {"NM1": 1, "DTP": 1, "REF": 1, "AMT": 1, "HL": 3}
_ADDRESS = r"N3 N4 "
_PERSON = rf"{_ADDRESS}DMG "
_OTHER_PLAN = (
    r"(?:SBR (?:CAS ){0,5}(?:AMT:D )?(?:AMT:EAF )?(?:AMT:A8 )?OI (?:MOA )?"
    rf"NM1:IL (?:{_ADDRESS})?NM1:PR (?:{_ADDRESS})?(?:DTP:573 )?(?:REF:F8 )?)"
)
_LINE = (
    r"(?:LX SV3 (?:TOO ){0,32}(?:DTP:472 )?(?:DTP:441 )?(?:DTP:452 )?REF:6R "
    r"(?:NM1:82 (?:PRV )?)?(?:NM1:DD (?:PRV )?)?(?:NM1:DQ )?"
    r"(?:SVD (?:CAS ){0,5}DTP:573 (?:AMT:EAF )?){0,15})"
)
_CLAIM = (
    r"(?:CLM (?:DTP:439 )?(?:DTP:452 )?(?:DTP:472 )?(?:DN1 )?(?:DN2 ){0,35}(?:PWK ){0,10}(?:AMT:F5 )?"
    r"(?:REF:F8 )?(?:REF:9F )?(?:REF:G1 )?(?:NTE ){0,5}(?:HI )?"
    rf"(?:NM1:DN (?:PRV )?)?(?:NM1:82 (?:PRV )?)?(?:NM1:77 {_ADDRESS})?(?:NM1:DD (?:PRV )?)?(?:NM1:DQ )?"
    rf"{_OTHER_PLAN}{{0,10}}{_LINE}{{1,50}})"
)
_PATIENT = rf"(?:HL:23 PAT NM1:QC {_PERSON}{_CLAIM}{{1,100}})"
_SUBSCRIBER = rf"(?:HL:22 SBR NM1:IL (?:{_PERSON})?NM1:PR (?:{_ADDRESS})?(?:{_CLAIM}{{1,100}}|{_PATIENT}+))"
_BILLER = rf"(?:HL:20 (?:PRV )?NM1:85 {_ADDRESS}(?:REF:EI |REF:SY )(?:PER )?{_SUBSCRIBER}+)"
GUIDE = re.compile(rf"ST BHT NM1:41 PER NM1:40 {_BILLER}+SE ")


def tokens(text: str) -> str:
    found = []
    for segment in read(text).transactions[0].segments:
        at = QUALIFIED.get(segment.id)
        found.append(f"{segment.id}:{segment.get(at)} " if at else f"{segment.id} ")
    return "".join(found)


def keeps_the_guide(text: str) -> bool:
    return GUIDE.fullmatch(tokens(text)) is not None


@settings(
    max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
@given(st.lists(claims(Form.DENTAL), min_size=1, max_size=3))
def test_any_dental_claim_keeps_the_guide(many: list[Claim]) -> None:
    assert keeps_the_guide(claim_file(many, ENVELOPE)), tokens(claim_file(many, ENVELOPE))


@pytest.mark.parametrize(
    ("take", "put"),
    [
        ("SV3*", "SV1*"),
        ("LX*1~\n", ""),
        ("REF*EI*911234567~\n", ""),
        ("CLM*", "NTE*ADD*X~\nCLM*"),
        ("DTP*472", "TOO*JP*3~\nDTP*472"),
        ("PAT*19~\n", ""),
        ("N3*12 TIDE STREET~\nN4*MARROW HARBOR*WA*98201~\nDMG", "DMG"),
    ],
)
def test_what_is_out_of_order_or_missing_does_not(take: str, put: str) -> None:
    text = claim_file([claim(True, relationship="19", patient=MATEO)], ENVELOPE)
    assert keeps_the_guide(text)
    broken = text.replace(take, put, 1)
    assert broken != text and not keeps_the_guide(broken)
