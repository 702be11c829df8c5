"""What a dental clinic begins with. Codes have their real formats; every description is in our own words."""

from __future__ import annotations

from collections.abc import Sequence

from zax.core.followup.recall import Interval, RecallType, Unit, read_tries
from zax.core.json import Json
from zax.core.setup.starter import (
    StarterForm,
    StarterRecall,
    StarterReturn,
    StarterService,
    StarterSet,
    StarterStage,
    StarterStep,
    StarterType,
)

NUMBING = "Numbing, what to know"
_NUMBING: Sequence[Json] = (
    {"kind": "heading", "words": "Numbing for your treatment"},
    {"kind": "text", "words": "The numbness lasts two to four hours. Please don’t eat until it’s gone."},
    {
        "kind": "choice",
        "words": "Has numbing ever made you feel unwell?",
        "options": ["No", "Yes, I’ll say how"],
        "needed": True,
    },
)
# The middle of the visit first: the dentist looks in when the hygienist is well under way.
_EXAM = ("dentist", 10, (30, 40, 20, 50, 35, 45, 25, 15, 10))

DENTAL = StarterSet(
    services=(
        StarterService("D0120", "Exam, regular", "diagnostic"),
        StarterService("D0140", "Exam, one problem", "diagnostic"),
        StarterService("D0150", "Exam, first visit", "diagnostic"),
        StarterService("D0210", "X-rays, full mouth", "diagnostic"),
        StarterService("D0220", "X-ray, one tooth", "diagnostic", "tooth"),
        StarterService("D0274", "Bitewing x-rays, four", "diagnostic"),
        StarterService("D0330", "X-ray, whole jaw", "diagnostic"),
        StarterService("D1110", "Cleaning, adult", "preventive"),
        StarterService("D1120", "Cleaning, child", "preventive"),
        StarterService("D1206", "Fluoride varnish", "preventive"),
        StarterService("D1351", "Sealant", "preventive", "tooth"),
        StarterService("D2330", "White filling, front, one surface", "basic", "surfaces", 1, "front"),
        StarterService("D2391", "White filling, back, one surface", "basic", "surfaces", 1, "back"),
        StarterService("D2392", "White filling, back, two surfaces", "basic", "surfaces", 2, "back"),
        StarterService("D2393", "White filling, back, three surfaces", "basic", "surfaces", 3, "back"),
        StarterService("D2740", "Crown, ceramic", "major", "tooth", 0, "permanent"),
        StarterService("D2920", "Crown recemented", "basic", "tooth"),
        StarterService("D2950", "Crown buildup", "basic", "tooth"),
        StarterService("D3310", "Root canal, front tooth", "endodontics", "tooth", 0, "front"),
        StarterService("D3320", "Root canal, premolar", "endodontics", "tooth", 0, "premolar"),
        StarterService("D3330", "Root canal, molar", "endodontics", "tooth"),
        StarterService("D4341", "Deep cleaning, one quadrant", "periodontics", "quadrant"),
        StarterService("D4910", "Periodontal maintenance", "periodontics"),
        StarterService("D7140", "Extraction", "oral_surgery", "tooth"),
        StarterService("D7210", "Extraction, surgical", "oral_surgery", "tooth"),
        StarterService("D9230", "Nitrous oxide", "adjunctive"),
        StarterService("D9944", "Night guard", "adjunctive", "arch"),
    ),
    types=(
        StarterType("Cleaning and exam", 60, "hygienist", ("D1110", "D0120"), _EXAM),
        StarterType(
            "First visit, dental", 90, "hygienist", ("D0150", "D0210", "D1110"), _EXAM, {"for_whom": "new"}
        ),
        StarterType(
            "Child’s cleaning", 40, "hygienist", ("D1120", "D0120", "D1206"), ("dentist", 10, (20, 30, 10))
        ),
        StarterType("Gum care", 60, "hygienist", ("D4910",)),
        StarterType("Filling", 50, "dentist", ("D2392",)),
        StarterType("Crown prep", 90, "dentist", ("D2740", "D2950")),
        StarterType("Crown seat", 40, "dentist", ()),
        StarterType("Root canal", 90, "dentist", ("D3320",)),
        StarterType("Extraction", 60, "dentist", ("D7140",)),
        StarterType("Toothache", 30, "dentist", ("D0140", "D0220"), None, {"ask_after_days": 7}),
    ),
    bundles=(
        ("Recall with x-rays", ("D1110", "D0120", "D0274")),
        ("Crown with buildup", ("D2950", "D2740")),
    ),
    stages=(
        StarterStage("Getting ready", "assistant", True),
        StarterStage("In treatment", "provider", True),
        StarterStage("Next steps", "desk", True),
    ),
    forms=(StarterForm(NUMBING, _NUMBING, 0),),
    steps=(StarterStep("form", NUMBING, types=("Root canal", "Extraction"), form=NUMBING),),
    recalls=(
        StarterRecall(
            RecallType(id=0, name="Cleaning and exam", every=Interval(6, Unit.MONTH), type_id=0, youngest=3),
            "Cleaning and exam",
        ),
        StarterRecall(
            RecallType(
                id=0, name="Gum care", every=Interval(4, Unit.MONTH), type_id=0, after=21, youngest=18
            ),
            "Gum care",
        ),
        StarterRecall(
            RecallType(
                id=0,
                name="After an extraction",
                every=Interval(3, Unit.DAY),
                type_id=0,
                before=0,
                after=4,
                starts=("D7140", "D7210"),
                repeats=False,
                tries=read_tries("call 0, call 2"),
                text="Hi {first}, how is it healing? Call us at {phone} if anything feels wrong. {clinic}",
            ),
            "Toothache",
        ),
    ),
    returns=(
        StarterReturn("Look at the sutures", "10 days", "physician", False, "Toothache"),
        StarterReturn("Check the bite", "3 weeks", "physician", False, "Filling"),
    ),
    flags=(("Nervous, talk them through", False),),
)
