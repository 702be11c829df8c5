"""Claim files: professional and institutional ones validated by pyx12's full maps, dental ones against the
written-out expectation; and whatever is written is read back as the same claim.
"""

import io
from dataclasses import replace
from datetime import date

import pytest
import pyx12.params
import pyx12.x12n_document
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.claim_strategies import any_claim, claims
from tests.x12_samples import DAY, ENVELOPE, MATEO, claim
from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form
from zax.core.x12.claim_file import claim_file, claim_pieces
from zax.core.x12.claim_reading import claims_of
from zax.core.x12.describe import describe
from zax.core.x12.syntax import read

SLOW = [HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.large_base_example]


def valid_by_pyx12(text: str) -> bool:
    return bool(pyx12.x12n_document.x12n_document(pyx12.params.params(), io.StringIO(text), None, None))


@pytest.mark.parametrize(
    "claims",
    [
        [claim()],
        [claim(), claim(number="C000018")],
        [claim(relationship="19", patient=MATEO)],
        [claim(group_number="")],
        [
            claim(
                diagnoses=tuple(
                    f"J0{n}.{m}0"[:5]
                    for n, m in (
                        (1, 0),
                        (1, 1),
                        (1, 2),
                        (1, 3),
                        (1, 4),
                        (1, 8),
                        (1, 9),
                        (2, 0),
                        (3, 0),
                        (6, 0),
                        (6, 9),
                        (9, 0),
                    )
                )
            )
        ],
    ],
    ids=["own", "two claims", "child", "no group", "twelve diagnoses"],
)
def test_837p_passes_the_full_5010_map(claims: list[Claim]) -> None:
    text = claim_file(claims, ENVELOPE)
    assert read(text).problems == []
    assert valid_by_pyx12(text)


FERRO = Clinician("Nadia", "Ferro", "1467560052", "363LF0000X")


def test_a_line_by_somebody_else_elsewhere_and_supervised_passes_the_full_map() -> None:
    line = replace(
        claim().lines[0],
        modifiers=("25", "59", "76", "GA"),
        pointers=(2, 1),
        place="10",
        rendering=FERRO,
        supervising=Clinician("Ines", "Calloway", "1467560003", "1223G0001X"),
    )
    text = claim_file([claim(lines=(claim().lines[0], line))], ENVELOPE)
    assert valid_by_pyx12(text)
    at = text.splitlines().index("LX*2~")
    assert text.splitlines()[at + 1 : at + 7] == [
        "SV1*HC:99213:25:59:76:GA*128*UN*1*10**2:1~",
        "DTP*472*D8*20261124~",
        "REF*6R*L7~",
        "NM1*82*1*FERRO*NADIA****XX*1467560052~",
        "PRV*PE*PXC*363LF0000X~",
        "NM1*DQ*1*CALLOWAY*INES****XX*1467560003~",
    ]


def test_a_quadrant_stands_in_the_oral_cavity_element() -> None:
    line = ClaimLine(number="L9", code="D4341", cents=24800, units=1, day=DAY, area="20", place="12")
    assert "SV3*AD:D4341*248*12*20**1~" in claim_file([claim(True, lines=(line,))], ENVELOPE).splitlines()


def test_pyx12_would_see_a_broken_file() -> None:
    assert not valid_by_pyx12(claim_file([claim()], ENVELOPE).replace("SV1*HC", "SV1*ZZ"))
    assert not valid_by_pyx12(claim_file([claim()], ENVELOPE).replace("NM1*IL*1", "NM1*IL*9"))


def test_837d_is_written_segment_by_segment_as_the_guide_says() -> None:
    lines = (claim(True).lines[0], ClaimLine(number="L8", code="D0120", cents=6400, units=1, day=DAY))
    written = claim_file([claim(True, lines=lines)], ENVELOPE).splitlines()
    assert written == [
        (
            "ISA*00*          *00*          *ZZ*JUNIPERQ       *ZZ*FERRYHUB      "
            " *261124*1842*^*00501*000000017*0*P*:~"
        ),
        "GS*HC*JUNIPERQ*FERRYHUB*20261124*1842*17*X*005010X224A2~",
        "ST*837*000000017*005010X224A2~",
        "BHT*0019*00*17*20261124*1842*CH~",
        "NM1*41*2*JUNIPER QUAY CLINIC*****46*JUNIPERQ~",
        "PER*IC*BILLING OFFICE*TE*3605550100~",
        "NM1*40*2*FERRYHUB CLEARING*****46*FERRYHUB~",
        "HL*1**20*1~",
        "PRV*BI*PXC*261QM1300X~",
        "NM1*85*2*JUNIPER QUAY CLINIC*****XX*1234567893~",
        "N3*18 QUAY STREET~",
        "N4*MARROW HARBOR*WA*982015518~",
        "REF*EI*911234567~",
        "HL*2*1*22*0~",
        "SBR*P*18*G104******CI~",
        "NM1*IL*1*VASQUEZ*HELEN****MI*HG-31806~",
        "N3*12 TIDE STREET~",
        "N4*MARROW HARBOR*WA*98201~",
        "DMG*D8*19840503*F~",
        "NM1*PR*2*HARBOR GUILD DENTAL*****PI*HGD01~",
        "CLM*C000017*350***11:B:1*Y*A*Y*Y~",
        "DTP*472*D8*20261124~",
        "NM1*82*1*CALLOWAY*INES****XX*1467560003~",
        "PRV*PE*PXC*1223G0001X~",
        "LX*1~",
        "SV3*AD:D2392*286****1~",
        "TOO*JP*14*M:O~",
        "REF*6R*L7~",
        "LX*2~",
        "SV3*AD:D0120*64****1~",
        "REF*6R*L8~",
        "SE*30*000000017~",
        "GE*1*17~",
        "IEA*1*000000017~",
    ]


def test_a_child_is_written_below_the_subscriber() -> None:
    written = claim_file([claim(True, relationship="19", patient=MATEO)], ENVELOPE).splitlines()
    at = written.index("HL*2*1*22*1~")
    assert written[at + 1] == "SBR*P**G104******CI~"
    assert written[at + 4 : at + 10] == [
        "HL*3*2*23*0~",
        "PAT*19~",
        "NM1*QC*1*VASQUEZ*MATEO~",
        "N3*12 TIDE STREET~",
        "N4*MARROW HARBOR*WA*98201~",
        "DMG*D8*20130209*M~",
    ]


def test_a_line_of_another_day_carries_its_date() -> None:
    lines = (claim(True).lines[0], replace(claim(True).lines[0], number="L8", day=date(2026, 11, 25)))
    assert "DTP*472*D8*20261125~" in claim_file([claim(True, lines=lines)], ENVELOPE)


def test_one_file_holds_claims_of_one_kind() -> None:
    with pytest.raises(ValueError, match="one form"):
        claim_file([claim(), claim(True)], ENVELOPE)
    with pytest.raises(ValueError, match="one form"):
        claim_file([], ENVELOPE)


@settings(max_examples=200, deadline=None, suppress_health_check=SLOW)
@given(any_claim)
def test_what_is_written_is_read_back_as_the_same_claim(written: Claim) -> None:
    batches, problems = claims_of(read(claim_file([written], ENVELOPE)))
    assert problems == []
    assert [each.claim for batch in batches for each in batch.claims] == [written]


@settings(max_examples=15, deadline=None, suppress_health_check=SLOW)
@given(st.lists(claims(Form.PROFESSIONAL), min_size=4, max_size=8))
def test_any_837p_passes_the_full_5010_map(many: list[Claim]) -> None:
    assert valid_by_pyx12(claim_file(many, ENVELOPE))


@settings(max_examples=15, deadline=None, suppress_health_check=SLOW)
@given(st.lists(claims(Form.INSTITUTIONAL), min_size=4, max_size=8))
def test_any_837i_passes_the_full_5010_map(many: list[Claim]) -> None:
    assert valid_by_pyx12(claim_file(many, ENVELOPE))


@settings(max_examples=60, deadline=None, suppress_health_check=SLOW)
@given(st.text(max_size=300), st.integers(0, 3000))
def test_damage_never_raises_and_is_said(noise: str, at: int) -> None:
    text = claim_file([claim(), claim(number="C000018")], ENVELOPE)
    damaged = text[:at] + noise + text[at + len(noise) :]
    found = describe(damaged)
    assert found["problems"] or damaged == text or len(found["transactions"]) == 1


def test_many_claims_are_written_piece_by_piece() -> None:
    endless = (claim(number=f"C{n}") for n in range(10_000_000))
    pieces = claim_pieces(endless, Form.PROFESSIONAL, ENVELOPE)
    assert [next(pieces)[:3] for _ in range(5)] == ["ISA", "GS*", "ST*", "BHT", "NM1"]


def test_one_number_stands_in_all_three_control_numbers() -> None:
    text = claim_file([claim()], replace(ENVELOPE, control=123_456_789))
    assert "*00501*123456789*0*P*" in text
    assert "GS*HC*JUNIPERQ*FERRYHUB*20261124*1842*123456789*X*" in text
    assert "ST*837*123456789*" in text and "SE*27*123456789~" in text


def test_claims_of_two_billing_providers_stand_below_each() -> None:
    other = replace(claim().billing, name="FERRY SCHOOL CLINIC", identifier="1987654328")
    text = claim_file(
        [claim(), claim(number="C2", billing=other), claim(number="C3", billing=other)], ENVELOPE
    )
    assert [row for row in text.splitlines() if row.startswith("HL")] == [
        "HL*1**20*1~",
        "HL*2*1*22*0~",
        "HL*3**20*1~",
        "HL*4*3*22*0~",
        "HL*5*3*22*0~",
    ]
    found = describe(text)
    assert [(t["billing"]["npi"], len(t["claims"])) for t in found["transactions"]] == [
        ("1234567893", 1),
        ("1987654328", 2),
    ]
    assert valid_by_pyx12(text)
