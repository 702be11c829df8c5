"""The clinic's setup as data: sites, rooms, providers, hours, services, visit types, payers, plans and people
who sign in.
"""

from __future__ import annotations

from datetime import date, timedelta

from zax.core.json import Json

PASSWORD = "ferry-bell-7"
USERS = (
    ("juno", "Juno Park", "receptionist", None),
    ("ravi", "Ravi Teller", "receptionist", None),
    ("odile", "Odile Marsh", "biller", None),
    ("sam", "Sam Quill", "manager", None),
    ("ines", "Dr. Ines Calloway", "clinician", 1),
    ("hollis", "Dr. Hollis Abernathy", "clinician", 5),
)
ABOUT = {
    "clinic_name": "Juniper Quay Clinic",
    "email": "desk@juniperquay.example.org",
    "npi": "1234567893",
    "tax_id": "911234567",
    "taxonomy": "261QM1300X",
    "submitter_id": "JUNIPERQ",
    "clearinghouse_name": "Ferryhub Clearing",
    "clearinghouse_id": "FERRYHUB",
    "wait_limit_minutes": 10,
    "online": {"runs": True},
}
ZONE = "America/Los_Angeles"
SITES = (
    ("Quay Street", "18 Quay Street", "982015518", "3605550100", 7 * 60 + 30, 18 * 60),
    ("Hillcrest", "240 Hillcrest Road", "982031240", "3605550101", 16 * 60, 19 * 60),
)
ROOMS: tuple[tuple[int, str, bool, list[str]], ...] = (
    (1, "Chair 1", True, ["microscope", "x-ray"]),
    (1, "Chair 2", True, ["microscope", "x-ray"]),
    (1, "Chair 3", True, ["x-ray"]),
    (1, "Chair 4", True, ["x-ray"]),
    (1, "Exam A", False, ["ekg"]),
    (1, "Exam B", False, ["ekg"]),
    (1, "Exam C", False, ["ekg", "vaccine fridge"]),
    (2, "Room 1", False, ["ekg", "vaccine fridge"]),
    (2, "Room 2", False, ["ekg"]),
)
# first, last, shown name, short name, role, dental, NPI, taxonomy, own room
PROVIDERS = (
    ("Ines", "Calloway", "Dr. Ines Calloway", "Dr. Calloway", "dentist", True, "1467560003", "1223G0001X", 1),
    ("Maren", "Sollis", "Maren Sollis RDH", "M. Sollis", "hygienist", True, "1467560011", "124Q00000X", 3),
    ("Tobias", "Wren", "Dr. Tobias Wren", "Dr. Wren", "dentist", True, "1467560029", "1223G0001X", 2),
    ("Petra", "Okwu", "Petra Okwu RDH", "P. Okwu", "hygienist", True, "1467560037", "124Q00000X", 4),
    (
        "Hollis",
        "Abernathy",
        "Dr. Hollis Abernathy",
        "Dr. Abernathy",
        "medical",
        False,
        "1467560045",
        "207Q00000X",
        5,
    ),
    ("Nadia", "Ferro", "Nadia Ferro NP", "N. Ferro", "medical", False, "1467560052", "363LF0000X", 7),
)
# How many a person may have at the same minute, where it is more than one and the types allow it.
AT_ONCE = {6: 2}
# provider -> hours at Quay Street, Monday to Friday
HOURS = {
    1: ((450, 735), (780, 1050)),
    2: ((450, 750), (795, 1035)),
    3: ((510, 740), (780, 1020)),
    4: ((480, 720), (765, 1005)),
    5: ((480, 720), (795, 1005)),
    6: ((540, 720), (765, 1005)),
}
EVENING = {5: (1020, 1110), 6: (1020, 1110)}  # Hillcrest, Monday to Friday
# code, words, dental, category, fee, needs a tooth, surfaces
SERVICES = (
    ("D0120", "Exam, regular", True, "diagnostic", 6400, False, 0),
    ("D0140", "Exam, one problem", True, "diagnostic", 6400, False, 0),
    ("D0150", "Exam, first visit", True, "diagnostic", 9200, False, 0),
    ("D0220", "X-ray, one tooth", True, "diagnostic", 2800, True, 0),
    ("D0274", "Bitewing x-rays, four", True, "diagnostic", 7800, False, 0),
    ("D1110", "Cleaning, adult", True, "preventive", 11800, False, 0),
    ("D1120", "Cleaning, child", True, "preventive", 7600, False, 0),
    ("D1206", "Fluoride varnish", True, "preventive", 4200, False, 0),
    ("D2330", "White filling, front, one surface", True, "basic", 19200, True, 1),
    ("D2391", "White filling, back, one surface", True, "basic", 21000, True, 1),
    ("D2392", "White filling, back, two surfaces", True, "basic", 28600, True, 2),
    ("D2740", "Crown, ceramic", True, "major", 118000, True, 0),
    ("D2750", "Crown, ceramic over gold", True, "major", 114000, True, 0),
    ("D2920", "Crown recemented", True, "basic", 9800, True, 0),
    ("D2950", "Crown buildup", True, "basic", 24000, True, 0),
    ("D3320", "Root canal, premolar", True, "endodontics", 89000, True, 0),
    ("D4910", "Periodontal maintenance", True, "periodontics", 14800, False, 0),
    ("D7140", "Extraction", True, "oral_surgery", 19800, True, 0),
    ("D9230", "Nitrous oxide", True, "adjunctive", 4500, False, 0),
    ("36415", "Blood draw", False, "lab", 1800, False, 0),
    ("81002", "Urine dipstick", False, "lab", 1400, False, 0),
    ("87880", "Rapid strep test", False, "lab", 3200, False, 0),
    ("90471", "Vaccine, given by injection", False, "vaccine", 3600, False, 0),
    ("90686", "Flu vaccine", False, "vaccine", 4400, False, 0),
    ("93000", "EKG", False, "procedure", 5800, False, 0),
    ("99203", "Office visit, new patient", False, "office", 16800, False, 0),
    ("99213", "Office visit, known patient", False, "office", 12800, False, 0),
    ("99214", "Office visit, known patient, longer", False, "office", 18600, False, 0),
    ("99396", "Annual physical", False, "office", 21200, False, 0),
    ("D2930", "Steel crown, primary tooth", True, "basic", 26000, True, 0),
    ("D4341", "Deep cleaning, one quadrant", True, "periodontics", 24800, False, 0),
    ("D9944", "Night guard", True, "adjunctive", 42000, False, 0),
    ("D1204", "Fluoride, adult, old code", True, "preventive", 4200, False, 0),
    ("99204", "Office visit, new patient, longer", False, "office", 24400, False, 0),
    ("99386", "Annual physical, new patient", False, "office", 26800, False, 0),
)
# Which teeth a service is for, which area it needs, and since when a code is no longer used.
SERVICE_MORE: dict[str, Json] = {
    "D2330": {"teeth": "front"},
    "D2391": {"teeth": "back"},
    "D2392": {"teeth": "back"},
    "D2740": {"teeth": "permanent"},
    "D2750": {"teeth": "permanent"},
    "D2930": {"teeth": "primary"},
    "D3320": {"teeth": "premolar"},
    "D4341": {"area": "quadrant"},
    "D9944": {"area": "arch"},
    "D1204": {"retired_on": date(2013, 1, 1)},
}
SERVICE_USUAL: Json = {"teeth": "", "area": "", "retired_on": None}
# name, minutes, role, services, (helper role, minutes, offsets)
_EXAM = ("dentist", 10, "30 40 20 50 35 45 25 15 10")  # the middle of the visit first
TYPES: tuple[tuple[str, int, str, tuple[str, ...], tuple[str, int, str]], ...] = (
    ("Hygiene", 60, "hygienist", ("D1110", "D0120"), _EXAM),
    ("Gum care", 60, "hygienist", ("D4910",), ("", 0, "")),
    ("Filling", 40, "dentist", ("D2392",), ("", 0, "")),
    ("Crown prep", 50, "dentist", ("D2950",), ("", 0, "")),
    ("Crown seat", 40, "dentist", ("D2740",), ("", 0, "")),
    ("Root canal", 50, "dentist", ("D3320",), ("", 0, "")),
    ("Extraction", 60, "dentist", ("D7140",), ("", 0, "")),
    ("Toothache", 30, "dentist", ("D0140", "D0220"), ("", 0, "")),
    ("Sick visit", 30, "medical", ("99213",), ("", 0, "")),
    ("Follow-up", 30, "medical", ("99213",), ("", 0, "")),
    ("Physical", 40, "medical", ("99396", "93000"), ("", 0, "")),
    ("Vaccines", 30, "medical", ("90471", "90686"), ("", 0, "")),
)
# name, electronic id, filing indicator, days to file, kind
PAYERS = (
    ("Harbor Guild Dental", "HGD01", "CI", 365, "insurer"),
    ("Brightwater Dental Trust", "BDT01", "CI", 365, "insurer"),
    ("Northmoor Mutual", "NMM01", "CI", 180, "insurer"),
    ("Copperline Health", "CPL01", "CI", 180, "insurer"),
    ("Harbor State Assistance", "HSA01", "MC", 365, "public"),
)
_CLEANINGS = [["D1110", "D1120", "D4910"], 2, 12, "person"]
_DENTAL = {"preventive": 100, "diagnostic": 100, "basic": 80, "major": 50}
_MEDICAL = {"office": 80, "lab": 80, "procedure": 80, "vaccine": 100}
# payer, name, dental, terms (see zax.core.coverage.benefits)
PLANS: tuple[tuple[int, str, bool, Json], ...] = (
    (
        1,
        "Harbor Guild Dental",
        True,
        {
            "percents": _DENTAL,
            "deductible_cents": 5000,
            "household_deductible_cents": 15000,
            "no_deductible": ["preventive", "diagnostic"],
            "maximum_cents": 250000,
            "frequencies": [_CLEANINGS, [["D0274"], 1, 12, "person"], [["D2740", "D2750"], 1, 60, "tooth"]],
        },
    ),
    (
        2,
        "Brightwater Family",
        True,
        {
            "percents": {"preventive": 100, "diagnostic": 80, "basic": 70, "major": 50},
            "percents_out": {"basic": 50, "major": 30},
            "deductible_cents": 2500,
            "household_deductible_cents": 7500,
            "no_deductible": ["preventive", "diagnostic"],
            "maximum_cents": 200000,
            "waiting_months": {"major": 12},
            "lifetime_maximums": {"orthodontics": 150000},
            "frequencies": [_CLEANINGS],
            "ages": [[["D1206"], None, 18]],
            "alternates": {"D2740": "D2750"},
            "coordination": "carve_out",
        },
    ),
    (3, "Northmoor Standard", False, {"percents": _MEDICAL}),
    (
        4,
        "Copperline Choice",
        False,
        {"percents": _MEDICAL, "deductible_cents": 10000, "no_deductible": ["vaccine"]},
    ),
    (
        5,
        "State Assistance Dental",
        True,
        {"percents": dict.fromkeys(_DENTAL, 100), "needs_authorization": ["D2750"]},
    ),
    (5, "State Assistance Medical", False, {"percents": dict.fromkeys(_MEDICAL, 100)}),
)
# What Harbor State Assistance allows, as a percentage of the clinic's own fee.
ASSISTANCE_ALLOWS = 70
FLAGS = (
    ("Nervous, talk them through", False),
    ("Needs an interpreter", False),
    ("Cash only", True),
    ("See billing before booking", True),
)
MEMBER_PREFIX = {1: "HG", 2: "BW", 3: "NM", 4: "CP", 5: "SA", 6: "SA"}
# What a type needs besides: limits, goals, equipment, the web; and how long it may wait before it is asked
# again.
TYPE_MORE: dict[str, Json] = {
    "Hygiene": {
        "goal_a_day": 6,
        "web": "held",
        "web_words": "Cleaning and exam",
        "web_note": "Hygienist, then dentist. We confirm by text.",
        "ask_after_days": 60,
        "equipment": ["x-ray"],
    },
    "Gum care": {"ask_after_days": 60},
    "Root canal": {"equipment": ["microscope"], "ask_after_days": 30},
    "Crown prep": {"ask_after_days": 60},
    "Extraction": {"ask_after_days": 60, "most_a_day": 6},
    "Toothache": {"web": "held", "web_words": "A tooth hurts", "ask_after_days": 7},
    "Follow-up": {"doubles": True},
    "Sick visit": {"web": "held", "web_words": "I feel sick", "ask_after_days": 7},
    "Physical": {"equipment": ["ekg"], "ask_after_days": 90},
    "Vaccines": {"web": "firm", "web_words": "A vaccine", "doubles": True},
}
# name, dental, services
SETS = (
    ("Recall with X-rays", True, ("D1110", "D0120", "D0274")),
    ("Crown with build-up", True, ("D2950", "D2740")),
    ("Physical with bloods", False, ("99396", "93000", "36415", "81002")),
)
SERVICE_ID = {row[0]: number for number, row in enumerate(SERVICES, 1)}
TYPE_ID = {row[0]: number for number, row in enumerate(TYPES, 1)}


def closures(first: date, last: date) -> dict[date, str]:
    """The days the clinic is closed between two dates."""
    found: dict[date, str] = {}
    for year in range(first.year, last.year + 1):
        november = date(year, 11, 1)
        thanksgiving = november + timedelta(days=(3 - november.weekday()) % 7 + 21)
        found |= {
            date(year, 1, 1): "New Year",
            date(year, 7, 4): "Independence Day",
            thanksgiving: "Thanksgiving",
            date(year, 12, 25): "Christmas Day",
        }
    return {day: words for day, words in found.items() if first <= day <= last}


def working_day_after(day: date) -> date:
    day += timedelta(days=1)
    while day.weekday() > 4 or day in closures(day, day):
        day += timedelta(days=1)
    return day
