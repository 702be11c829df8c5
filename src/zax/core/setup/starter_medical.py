"""What a medical clinic begins with. Codes have their real formats; every description is in our own words."""

from __future__ import annotations

from zax.core.followup.recall import Interval, RecallType, Unit, read_tries
from zax.core.setup.starter import (
    StarterRecall,
    StarterReturn,
    StarterService,
    StarterSet,
    StarterStage,
    StarterType,
)

_YEARLY = read_tries("email -30, text 0, call 30, letter 90")

MEDICAL = StarterSet(
    services=(
        StarterService("99202", "Office visit, new patient, short", "office"),
        StarterService("99203", "Office visit, new patient", "office"),
        StarterService("99204", "Office visit, new patient, longer", "office"),
        StarterService("99212", "Office visit, known patient, short", "office"),
        StarterService("99213", "Office visit, known patient", "office"),
        StarterService("99214", "Office visit, known patient, longer", "office"),
        StarterService("99385", "Annual physical, new patient, 18 to 39", "office"),
        StarterService("99386", "Annual physical, new patient, 40 to 64", "office"),
        StarterService("99395", "Annual physical, 18 to 39", "office"),
        StarterService("99396", "Annual physical, 40 to 64", "office"),
        StarterService("36415", "Blood draw", "lab"),
        StarterService("81002", "Urine dipstick", "lab"),
        StarterService("82962", "Blood sugar, finger stick", "lab"),
        StarterService("87880", "Rapid strep test", "lab"),
        StarterService("90471", "Vaccine, given by injection", "vaccine"),
        StarterService("90472", "Vaccine, each one more", "vaccine"),
        StarterService("90686", "Flu vaccine", "vaccine"),
        StarterService("90715", "Tetanus, diphtheria and pertussis vaccine", "vaccine"),
        StarterService("93000", "EKG", "procedure"),
        StarterService("94640", "Breathing treatment", "procedure"),
        StarterService("12001", "Small wound closed", "procedure"),
    ),
    types=(
        StarterType("Sick visit", 30, "medical", ("99213",), None, {"ask_after_days": 7}),
        StarterType("Follow-up", 30, "medical", ("99213",)),
        StarterType("First visit, medical", 45, "medical", ("99203",), None, {"for_whom": "new"}),
        StarterType("Physical", 45, "medical", ("99396",), None, {"ask_after_days": 90}),
        StarterType("Vaccines", 20, "medical", ("90471", "90686")),
        StarterType("Blood draw", 15, "medical", ("36415",)),
    ),
    bundles=(("Physical with blood work", ("99396", "93000", "36415", "81002")),),
    stages=(
        StarterStage("Nurse first", "assistant", False),
        StarterStage("With the provider", "provider", False),
        StarterStage("Tests and shots", "assistant", False),
    ),
    recalls=(
        StarterRecall(
            RecallType(
                id=0,
                name="Yearly physical",
                every=Interval(1, Unit.YEAR),
                type_id=0,
                before=30,
                after=60,
                youngest=18,
                tries=_YEARLY,
            ),
            "Physical",
        ),
    ),
    returns=(
        StarterReturn("Blood pressure check", "4 weeks", "nurse", True, "Follow-up"),
        StarterReturn("Repeat the blood test", "2 weeks", "lab", True, "Blood draw"),
        StarterReturn("Talk through the results", "1 week", "phone", False, "Follow-up"),
        StarterReturn("Medication review", "3 months", "physician", False, "Follow-up"),
    ),
)
