"""270 and 271: the question is written by the guide, any valid answer is read, nothing unknown is dropped,
and an answer about somebody else is not used.
"""

from __future__ import annotations

import io
from dataclasses import replace
from datetime import date, datetime
from decimal import Decimal

import pytest
import pyx12.x12file
from hypothesis import given, settings
from hypothesis import strategies as st

from zax.core.coverage.answer import (
    FAILED,
    FINE,
    PROBLEM,
    Asked,
    Difference,
    Figures,
    counted_elsewhere,
    differences,
    figures,
    judge,
    taken_over,
    told,
)
from zax.core.coverage.benefits import Benefits
from zax.core.coverage.used import Used
from zax.core.x12.describe import describe
from zax.core.x12.eligibility import read_eligibility
from zax.core.x12.inquiry import Inquiry, inquiry_file
from zax.core.x12.parties import Address, Envelope, Organization, Person

DAY = date(2026, 11, 24)
HERE = Organization(
    name="Juniper Quay Clinic",
    identifier="1467560003",
    address=Address("18 Quay Street", "Marrow Harbor", "WA", "98201"),
)
ENVELOPE = Envelope(
    sender=Organization(name="Juniper Quay", identifier="JUNIPERQ"),
    receiver=Organization(name="Ferryhub", identifier="FERRYHUB"),
    made_at=datetime(2026, 11, 24, 18, 42),
    control=77,
)
HELEN = Person(
    first="Helen", last="Vasquez", birth=date(1984, 5, 3), sex="F", address=HERE.address, member_id="HG-44102"
)
SON = Person(
    first="Mateo", last="Vasquez", birth=date(2015, 2, 1), sex="M", address=HERE.address, member_id=""
)
ASK = Inquiry(
    trace="T77",
    payer=Organization(name="Harbor Guild Dental", identifier="HGD01"),
    provider=HERE,
    subscriber=HELEN,
    dependent=None,
    day=DAY,
    service_types=("35", "41"),
)
ASKED = Asked("Helen", "Vasquez", date(1984, 5, 3), "HG-44102", "T77")
HEAD = (
    "ISA*00*          *00*          "
    "*ZZ*FERRYHUB       *ZZ*JUNIPERQ       *261124*1842*^*00501*000000009*0*T*:~"
    "GS*HB*FERRYHUB*JUNIPERQ*20261124*1842*9*X*005010X279A1~"
    "ST*271*0001*005010X279A1~"
    "BHT*0022*11*T77*20261124*1842~"
    "HL*1**20*1~"
    "NM1*PR*2*HARBOR GUILD DENTAL*****PI*HGD01~"
    "HL*2*1*21*1~"
    "NM1*1P*2*JUNIPER QUAY*****XX*1467560003~"
    "HL*3*2*22*0~"
    "TRN*2*T77*9JUNIPERQ0~"
)
NAME = "NM1*IL*1*VASQUEZ*HELEN****MI*HG-44102~"
RICH = NAME + "".join(
    (
        "REF*6P*G0904~",
        "N3*12 TIDE STREET~",
        "N4*MARROW HARBOR*WA*98201~",
        "DMG*D8*19840503*F~",
        "DTP*346*D8*20250101~",
        "EB*1*IND*35**GUILD DENTAL~",
        "DTP*291*RD8*20260101-20261231~",
        "EB*A*IND*25^26^24***23**.2****Y~",
        "MSG*AFTER THE DEDUCTIBLE~",
        "EB*A*IND*36***23**.5****Y~",
        "EB*A*IND*36***23**.7****N~",
        "EB*C*IND*35***23*50*****Y~",
        "EB*C*IND*35***29*12.5*****Y~",
        "EB*C*FAM*35***23*150*****Y~",
        "EB*F*IND*35***23*2000*****Y~",
        "EB*F*IND*35***29*1388*****Y~",
        "EB*F*IND*41***23***P6*2**Y~",
        "HSD*VS*1***34*6~",
        "III*ZZ*11~",
        "EB*I*IND*38~",
        "EB*B*IND*98***27*30*****W~",
        "EB*ZZ*QQ*X9***77~",
        "EB*D*IND*35*********Y*AD:D2740~",
        "EB*R**35~",
        "LS*2120~",
        "NM1*PRP*2*SECOND PAYER*****PI*99~",
        "N3*1 PIER~",
        "PER*IC*HELP*TE*3605550199~",
        "LE*2120~",
        "XYZ*WHAT*IS*THIS~",
    )
)


def answer_of(body: str) -> str:
    text = HEAD + body
    count = text.count("~") - 2 + 1
    return f"{text}SE*{count}*0001~GE*1*9~IEA*1*000000009~"


def segments(text: str) -> list[str]:
    return text.replace("\n", "").split("~")[:-1]


def test_the_question_names_payer_provider_and_person() -> None:
    lines = segments(inquiry_file(ASK, ENVELOPE))
    assert lines[1] == "GS*HS*JUNIPERQ*FERRYHUB*20261124*1842*77*X*005010X279A1"
    assert lines[3:15] == [
        "BHT*0022*13*T77*20261124*1842",
        "HL*1**20*1",
        "NM1*PR*2*HARBOR GUILD DENTAL*****PI*HGD01",
        "HL*2*1*21*1",
        "NM1*1P*2*JUNIPER QUAY CLINIC*****XX*1467560003",
        "HL*3*2*22*0",
        "TRN*1*T77*9JUNIPERQ0",
        "NM1*IL*1*VASQUEZ*HELEN****MI*HG-44102",
        "DMG*D8*19840503*F",
        "DTP*291*D8*20261124",
        "EQ*35^41",
        "SE*13*000000077",
    ]


def test_a_dependent_is_asked_about_below_the_subscriber() -> None:
    lines = segments(inquiry_file(replace(ASK, dependent=SON), ENVELOPE))
    assert lines[8:15] == [
        "HL*3*2*22*1",
        "NM1*IL*1*VASQUEZ*HELEN****MI*HG-44102",
        "HL*4*3*23*0",
        "TRN*1*T77*9JUNIPERQ0",
        "NM1*03*1*VASQUEZ*MATEO",
        "DMG*D8*20150201*M",
        "DTP*291*D8*20261124",
    ]


def test_an_independent_reader_finds_the_envelope_sound() -> None:
    source = pyx12.x12file.X12Reader(io.StringIO(inquiry_file(ASK, ENVELOPE)))
    ids = [segment.get_seg_id() for segment in source]
    assert ids[0] == "ISA" and ids[-1] == "IEA" and source.pop_errors() == []


def test_a_rich_answer_is_read_whole() -> None:
    found = read_eligibility(answer_of(RICH))
    assert found.problems == []
    (answer,) = found.answers
    (member,) = answer.members
    assert (answer.payer, answer.payer_id, member.member_id, member.group, member.birth) == (
        "HARBOR GUILD DENTAL",
        "HGD01",
        "HG-44102",
        "G0904",
        date(1984, 5, 3),
    )
    assert len(member.benefits) == 15
    coinsurance = member.benefits[1]
    assert (coinsurance.services, coinsurance.percent, coinsurance.network, coinsurance.messages) == (
        ("25", "26", "24"),
        Decimal(20),
        "Y",
        ["AFTER THE DEDUCTIBLE"],
    )
    limit = member.benefits[9]
    assert (limit.counted, limit.quantity, limit.limits, limit.facts) == (
        "P6",
        "2",
        [("VS", "1", "", "", "34", "6")],
        ["ZZ 11"],
    )
    assert member.benefits[0].dates[0].last == date(2026, 12, 31)
    assert member.benefits[-1].entities == ["SECOND PAYER (99)", "1 PIER"]
    assert member.benefits[-1].others == ["PER*IC*HELP*TE*3605550199", "XYZ*WHAT*IS*THIS"]


def test_the_table_speaks_plain_words_and_shows_what_it_does_not_know() -> None:
    rows = told(read_eligibility(answer_of(RICH)).answers[0].members[0])
    assert (rows[1].service, rows[1].what, rows[1].value, rows[1].network) == (
        "fillings, root canals, gum care",
        "coinsurance",
        "patient pays 20 percent",
        "in network",
    )
    assert (rows[5].what, rows[5].value, rows[5].when) == ("deductible", "$12.50", "left")
    assert "1 visit in 6 months" in rows[9].notes
    unknown = rows[12]
    assert (unknown.what, unknown.who, unknown.service, unknown.when) == (
        "code ZZ",
        "code QQ",
        "code X9",
        "code 77",
    )
    assert rows[13].service == "dental care: AD D2740"


def test_other_delimiters_and_line_breaks_read_the_same() -> None:
    plain = answer_of(RICH)
    head, rest = plain[:106], plain[106:]
    for element, component, repeat, end in (("|", ">", "!", "\n"), ("+", "&", "\\", "'\r\n")):
        swap = str.maketrans({"*": element, ":": component, "^": repeat})
        text = head[:105].translate(swap) + end[0] + end[1:] + rest.translate(swap).replace("~", end)
        again = read_eligibility(text)
        assert again.problems == [] and again.answers == read_eligibility(plain).answers


def test_our_figures_and_where_they_differ_from_the_plan() -> None:
    member = read_eligibility(answer_of(RICH)).answers[0].members[0]
    found = figures(member)
    assert found.percents == {
        **{"basic": 80, "endodontics": 80, "periodontics": 80},
        **{"major": 50, "orthodontics": 0},
    }
    assert (
        found.deductible,
        found.deductible_left,
        found.household_deductible,
        found.maximum,
        found.maximum_left,
    ) == (5000, 1250, 15000, 200000, 138800)
    plan = Benefits(
        name="Guild",
        percents={"basic": 70, "major": 50, "preventive": 100},
        deductible_cents=5000,
        maximum_cents=150000,
    )
    made = differences(plan, found)
    assert [(d.key, d.on_file, d.says) for d in made] == [
        ("percents.basic", "70 percent", "80 percent"),
        ("household_deductible_cents", "none", "$150.00"),
        ("maximum_cents", "$1,500.00", "$2,000.00"),
    ]
    for each in made:
        plan = taken_over(plan, each)
    assert (
        plan.percents["basic"],
        plan.household_deductible_cents,
        plan.maximum_cents,
        plan.percents["preventive"],
    ) == (80, 15000, 200000, 100)
    assert differences(plan, found) == []
    assert taken_over(plan, Difference("percents.lab", "", "", "", 60)).percents["lab"] == 60


@pytest.mark.parametrize(
    ("body", "state", "says"),
    [
        (RICH, FINE, "Active, Guild Dental."),
        (NAME + "DMG*D8*19840503~EB*6**35~DTP*347*D8*20260831~", PROBLEM, "ended on Aug 31, 2026"),
        (NAME + "AAA*Y**75*C~", PROBLEM, "The subscriber was not found; correct it and ask again."),
        (NAME + "AAA*Y**71*C~", PROBLEM, "birth date is not the one the payer has"),
        (NAME + "AAA*Y**Q9*Z~", PROBLEM, "Code q9; code z"),
        ("NM1*IL*1*QUILLFEATHER*BARNABY****MI*HG-44102~DMG*D8*19511130~EB*1**35~", PROBLEM, "someone else"),
        (NAME + "DMG*D8*19500101~EB*1**35~", PROBLEM, "someone else"),
        (NAME.replace("44102", "99999").replace("HELEN", "HELENA") + "EB*1**35~", FINE, "Active."),
        (NAME + "EB*U**35~", PROBLEM, "can’t say: ask this contact"),
        (NAME + "EB*B*IND*98****30~", PROBLEM, "response doesn’t say whether"),
        (NAME + "EB*1**35~DTP*349*D8*20261001~", PROBLEM, "Covered until Oct 1, 2026 only."),
        ("", PROBLEM, "someone else (no one)"),
    ],
)
def test_the_verdict_in_one_sentence(body: str, state: str, says: str) -> None:
    file = read_eligibility(
        answer_of(body) if body else answer_of("").replace("HL*3*2*22*0~TRN*2*T77*9JUNIPERQ0~", "")
    )
    judged = judge(file, ASKED, DAY)
    assert judged.state == state and says in judged.words, judged.words


@pytest.mark.parametrize(
    ("rows", "dental", "state"),
    [
        ("EB*1**35~EB*6**30~", True, FINE),  # the medical side has ended, the dental side has not
        ("EB*6**1~EB*1**35~", True, FINE),
        ("EB*1**35~EB*6**1~", False, PROBLEM),
        ("EB*6**35~EB*1**30~", True, PROBLEM),
        ("EB*6**35~EB*1**30~", False, FINE),
        ("EB*1**30~", True, FINE),
        ("EB*6**30~", True, PROBLEM),
        ("EB*6~", False, PROBLEM),
        ("EB*1**35~", False, PROBLEM),  # nothing is said about the medical side
    ],
)
def test_the_side_we_asked_about_decides(rows: str, dental: bool, state: str) -> None:
    asked = replace(ASKED, dental=dental)
    assert judge(read_eligibility(answer_of(NAME + rows)), asked, DAY).state == state


def told_figures(rows: str, dental: bool = True) -> Figures:
    return figures(read_eligibility(answer_of(NAME + rows)).answers[0].members[0], dental)


def test_a_lifetime_is_no_year_and_an_out_of_pocket_maximum_is_read() -> None:
    """Kills: taking a lifetime's, a visit's or a month's amount for a year's."""
    found = told_figures(
        "EB*F*IND*38***32*1500*****Y~EB*F*IND*35***32*9000*****Y~EB*F*IND*35***33*8000*****Y~"
        "EB*F*IND*35***23*1200*****Y~EB*C*IND*35***27*20*****Y~EB*C*IND*35***23*50*****Y~"
        "EB*G*IND*30***23*4000*****Y~EB*G*FAM*30***23*8000*****Y~EB*G*IND*30***29*3100*****Y~"
    )
    assert (found.maximum, found.maximum_left, found.deductible) == (120_000, None, 5_000)
    assert (found.out_of_pocket, found.household_out_of_pocket) == (400_000, 800_000)
    assert found.lifetime == {"orthodontics": 150_000}
    plan = Benefits(name="P", percents={}, maximum_cents=120_000, deductible_cents=5_000)
    made = differences(plan, found)
    assert [each.key for each in made] == [
        *("out_of_pocket_cents", "household_out_of_pocket_cents", "lifetime_maximums.orthodontics")
    ]
    for each in made:
        plan = taken_over(plan, each)
    assert differences(plan, found) == [] and plan.lifetime_maximums == {"orthodontics": 150_000}


def test_the_particular_row_goes_before_the_general_one() -> None:
    found = told_figures(
        "EB*A*IND*23^24^25^26^40***23**.5****W~EB*A*IND*25***23**.2****Y~"
        "EB*C*IND*30***23*500*****Y~EB*C*IND*35***23*50*****Y~EB*C**35***23*75*****Y~"
    )
    assert (found.percents["basic"], found.percents["endodontics"]) == (80, 50)
    assert found.deductible == 5_000
    assert (
        told_figures("EB*C*IND*35***23*50*****Y~EB*C*IND*30***23*500*****Y~", dental=False).deductible
        == 50_000
    )


def test_an_answer_to_another_question_is_not_used() -> None:
    judged = judge(read_eligibility(answer_of(RICH).replace("TRN*2*T77", "TRN*2*T55")), ASKED, DAY)
    assert judged.state == PROBLEM and judged.member is None


def test_a_dependents_answer_may_stand_on_the_subscriber() -> None:
    body = (
        NAME.replace("HELEN", "RAFAEL")
        + "EB*1**35~HL*4*3*23*0~TRN*2*T77*9JUNIPERQ0~NM1*03*1*VASQUEZ*MATEO~DMG*D8*20150201*M~"
    )
    judged = judge(
        read_eligibility(answer_of(body)), Asked("Mateo", "Vasquez", date(2015, 2, 1), "HG-44102", "T77"), DAY
    )
    assert judged.state == FINE and judged.member is not None and judged.member.level == "dependent"


def test_a_refused_question_and_garbage_fail() -> None:
    refused = HEAD.split("HL*2", maxsplit=1)[0] + "AAA*Y**42*R~SE*5*0001~GE*1*9~IEA*1*000000009~"
    assert "cannot answer now; ask again" in judge(read_eligibility(refused), ASKED, DAY).words
    for garbage in ("", "<html>503</html>", "ISA*00*", HEAD.replace("ST*271", "ST*835")):
        judged = judge(read_eligibility(garbage), ASKED, DAY)
        assert judged.state == FAILED and "can’t be read" in judged.words


def test_the_command_shows_it_as_json() -> None:
    shown = describe(answer_of(RICH))
    member = shown["transactions"][0]["members"][0]
    assert shown["problems"] == [] and member["benefits"][1]["percent"] == 20.0
    assert "fillings" in member["benefits"][1]["words"] and member["others"] == []
    assert (
        describe(answer_of(NAME + "AAA*Y**75*C~"))["transactions"][0]["members"][0]["rejections"][0]["words"]
        == "the subscriber was not found"
    )


@settings(max_examples=60)
@given(st.data())
def test_damage_never_raises(data: st.DataObject) -> None:
    text = answer_of(RICH)
    at = data.draw(st.integers(0, len(text) - 1))
    cut = data.draw(st.sampled_from(["", "~", "*", "9", "EB*", "\x00"]))
    damaged = text[:at] + cut if data.draw(st.booleans()) else text[:at] + cut + text[at + 1 :]
    assert judge(read_eligibility(damaged), ASKED, DAY).state in {FINE, PROBLEM, FAILED}
    assert set(describe(damaged)) == {"transactions", "problems"}


def test_what_the_payer_counts_beyond_what_was_done_here() -> None:
    said = Figures(percents={}, deductible=5000, deductible_left=1250, maximum=200000, maximum_left=138800)
    assert counted_elsewhere(said, Used(deductible=1000, paid=30000, pending=10000), (0, 0)) == (2750, 41200)
    assert counted_elsewhere(said, Used(deductible=3750, paid=71200, pending=10000), (2750, 41200)) == (
        2750,
        41200,
    )
    assert counted_elsewhere(Figures(percents={}), Used(), (7, 8)) == (7, 8)
    assert counted_elsewhere(said, Used(deductible=5000, paid=90000), (0, 0)) == (0, 0)
