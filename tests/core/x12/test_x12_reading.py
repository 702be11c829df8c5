"""Reading X12: any valid file in any layout, and damaged ones without ever failing."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.x12_samples import acknowledgement, envelope, remittance
from zax.core.x12.acknowledgement import read_acknowledgements
from zax.core.x12.describe import describe
from zax.core.x12.remittance import read_remittances
from zax.core.x12.syntax import amount, clean, read, to_cents

SOUND = remittance()


def other_delimiters(text: str) -> str:
    return text.replace("~", "\x1d").replace("*", "|").replace(":", ">")


@pytest.mark.parametrize(
    "text",
    [
        SOUND,
        SOUND.replace("~", "~\n"),
        SOUND.replace("~", "~\r\n"),
        SOUND.replace("~", "\n"),
        other_delimiters(SOUND),
        "\n\n " + SOUND + "\n\n",
        "\ufeff" + SOUND,
        SOUND.replace("~", "'"),
    ],
    ids=[
        "one line",
        "lines",
        "crlf",
        "newline as terminator",
        "other delimiters",
        "blank around",
        "byte order mark",
        "apostrophe",
    ],
)
def test_the_same_payment_in_every_layout(text: str) -> None:
    found = read_remittances(text)
    assert found.problems == []
    claim = found.remittances[0].claims[0]
    assert (found.remittances[0].paid_cents, claim.number, claim.lines[0].code, claim.lines[0].modifiers) == (
        10240,
        "C000017",
        "99213",
        ("25",),
    )
    assert [(a.group, a.reason, a.cents) for a in claim.lines[0].adjustments] == [("PR", "2", 2560)]


def test_what_the_command_prints_has_the_promised_shape() -> None:
    found = describe(remittance(plb="PLB*1234567893*20261231*WO:REF*-10", total="112.4"))
    payment = found["transactions"][0]
    assert found["problems"] == []
    assert {key: payment[key] for key in ("trace", "payer", "paid_cents")} == {
        "trace": "T900",
        "payer": "COPPERLINE HEALTH",
        "paid_cents": 11240,
    }
    assert payment["provider_adjustments"] == [{"reason": "WO", "reference": "REF", "cents": -1000}]
    claim = payment["claims"][0]
    assert {
        "number",
        "status",
        "charge_cents",
        "paid_cents",
        "patient_cents",
        "payer_claim",
        "adjustments",
        "lines",
    } <= set(claim)
    assert claim["lines"][0]["service"] == "99213"
    assert claim["lines"][0]["adjustments"] == [{"group": "PR", "reason": "2", "cents": 2560}]
    json.dumps(found)


def test_several_transactions_groups_and_interchanges_in_one_file() -> None:
    second = remittance(trace="T901")
    found = read_remittances(SOUND + "\n" + other_delimiters(second))
    assert (found.problems, [r.trace for r in found.remittances]) == ([], ["T900", "T901"])
    body = [part for part in SOUND.split("~")[3:-4] if part]
    inner = "~".join(body)
    double = SOUND.replace("SE*18*0001", f"SE*18*0001~ST*835*0002~{inner}~SE*18*0002").replace(
        "GE*1*900", "GE*2*900"
    )
    assert read_remittances(double).problems == []
    assert len(read_remittances(double).remittances) == 2


def test_loops_and_segments_we_never_write_are_passed_over() -> None:
    rich = (
        SOUND.replace("LX*1~", "RDM*BM*X~LX*1~TS3*1234567893*11*20261231*1*128~")
        .replace(
            "NM1*QC*1*VASQUEZ*HELEN****MI*HG-31806~",
            "CAS*OA*23*0~NM1*QC*1*VASQUEZ*HELEN****MI*HG-31806~NM1*82*1*X~MOA***MA01~REF*1L*G1~DTM*232*20261124~PER*CX**TE*3605550199~AMT*AU*128~QTY*CA*1~",
        )
        .replace("REF*6R*L7~", "REF*6R*L7~REF*LU*11~AMT*B6*128~AMT*KH*3~LQ*HE*N130~LQ*RX*5~")
    )
    rich = rich.replace("SE*18*0001", f"SE*{18 + 15}*0001").replace("CAS*OA*23*0", "CAS*OA*23*0*1")
    found = read_remittances(rich)
    assert found.problems == []
    line = found.remittances[0].claims[0].lines[0]
    assert (line.number, line.allowed_cents, line.remarks) == ("L7", 12800, ["N130"])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "empty"),
        ("   \n", "empty"),
        ("Dear clinic, we paid.", "not an X12 file"),
        ("ISA*00*short~", "breaks off inside"),
        (SOUND[:500], "has no SE"),
        (SOUND[: SOUND.index("GE*1")], "has no GE"),
        (SOUND[: SOUND.index("IEA")], "has no IEA"),
        (SOUND.replace("SE*18", "SE*17"), "SE says 17 segments, the file has 18"),
        (SOUND.replace("SE*18*0001", "SE*18*0009"), "0009 instead of 0001"),
        (SOUND.replace("GE*1*900", "GE*3*900"), "GE says 3 transactions"),
        (SOUND.replace("IEA*1*000000900", "IEA*1*000000901"), "000000901 instead"),
        (remittance(paid="50"), "does not add up"),
        (remittance(total="99"), "its claims add up to"),
        (SOUND.replace("CLP*C000017*1*128", "CLP*C000017*1*12x8"), "is not an amount"),
        (SOUND.replace("102.4", "102.444"), "whole number of cents"),
        (envelope("999", "FA", "005010X231A1", ["AK1*HC*5"]).replace("ST*999", "ST*835"), "0.00"[:0]),
        (SOUND.replace("ISA*00*", "ISA*00**", 1), "16 elements"),
    ],
)
def test_damage_becomes_a_sentence(text: str, says: str) -> None:
    found = describe(text)
    assert says in " ".join(found["problems"])
    assert found["problems"] or not says


def test_a_file_cut_anywhere_is_never_taken_for_sound() -> None:
    for end in range(len(SOUND) - 1):
        assert describe(SOUND[:end])["problems"], end


@given(st.text(max_size=300))
def test_no_text_at_all_makes_the_reader_fail(text: str) -> None:
    assert describe(text)["problems"]


@given(st.integers(106, len(SOUND) - 1), st.text(min_size=1, max_size=6))
def test_no_damage_makes_the_reader_fail(at: int, noise: str) -> None:
    found = describe(SOUND[:at] + noise + SOUND[at:])
    assert isinstance(found["problems"], list)


def test_an_acknowledgement_says_which_file_and_why() -> None:
    taken = read_acknowledgements(acknowledgement("17"))
    assert (taken.problems, taken.acknowledgements[0].group, taken.acknowledgements[0].files[0].taken) == (
        [],
        "17",
        True,
    )
    refused = describe(acknowledgement("17", "R"))
    assert refused["transactions"][0]["verdict"] == "rejected"
    assert refused["transactions"][0]["files"][0]["errors"] == [
        "CLM02 has a character that isn’t allowed: 12X",
    ]
    assert "no verdict" in " ".join(
        describe(acknowledgement("17").replace("IK5*A~", "").replace("SE*6", "SE*5"))["problems"]
    )


def test_other_transactions_are_named() -> None:
    found = describe(envelope("276", "HR", "005010X212", ["BHT*0010*13*1*20261124*0800"]))
    assert found == {
        "transactions": [{"kind": "276", "version": "005010X212", "control": "0001", "segments": 3}],
        "problems": [],
    }
    assert "not an 835" in read_remittances(acknowledgement("1")).problems[0]
    assert "not a 999" in read_acknowledgements(SOUND).problems[0]


@given(st.integers(-(10**9), 10**9))
def test_amounts_are_written_and_read_back(cents: int) -> None:
    problems: list[str] = []
    assert to_cents(amount(cents), "here", problems) == cents
    assert problems == []


@pytest.mark.parametrize(
    ("text", "cents"), [("100", 10000), (".5", 50), ("-12.5", -1250), ("0", 0), ("", 0), ("1E2", 10000)]
)
def test_decimals_as_x12_allows_them(text: str, cents: int) -> None:
    assert to_cents(text, "here", []) == cents


def test_text_is_cleaned_of_delimiters_and_accents() -> None:
    assert clean("Vásquez*  ~Ortiz:") == "VASQUEZ ORTIZ"
    assert read("").problems == ["The file is empty."]
