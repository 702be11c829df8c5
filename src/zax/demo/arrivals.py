"""How the demo clinic receives people: stages, the check-in list, forms, heads-ups, and one
patient's options.
"""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Engine, insert, select, text, update

from zax.clock import ShiftedClock, to_utc
from zax.core.json import Json
from zax.core.people.roles import MANAGER
from zax.demo.world import SERVICE_ID, TYPE_ID, ZONE
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import do_step
from zax.desk.book.planned import plan_service
from zax.desk.charges.tooth_history import add_tooth_works
from zax.desk.charges.treatment_options import (
    PlannedLineForm,
    add_option,
    add_to_option,
    drop_from_option,
    make_proposal,
    name_parts,
)
from zax.store import schema

SAM = Actor(4, "Sam Quill", MANAGER, "SQ")
# name, whose turn, dental
STAGES = (
    ("Getting ready", "assistant", True),
    ("In treatment", "provider", True),
    ("Next steps", "desk", True),
    ("Nurse first", "assistant", False),
    ("With the provider", "provider", False),
    ("Tests and shots", "assistant", False),
)
PRIVACY: list[Json] = [
    {"kind": "heading", "words": "How we keep what you tell us"},
    {
        "kind": "text",
        "words": (
            "We share your record with those who treat you and with the insurer you name, and with nobody"
            " else unless you say so or the law asks."
        ),
    },
    {
        "kind": "text",
        "words": (
            "You may see your record, correct it, and ask who has read it. {first} {last}, born {birth}:"
            " please tell us when something changes."
        ),
    },
    {"kind": "choice", "words": "May we text you about visits?", "options": ["Yes", "No"], "needed": True},
    {"kind": "field", "words": "Somebody we may speak to about you", "fills": "emergency_name"},
]
LOCAL: list[Json] = [
    {"kind": "heading", "words": "Numbing for your treatment"},
    {"kind": "text", "words": "The numbness lasts two to four hours. Please do not eat until it has gone."},
    {
        "kind": "choice",
        "words": "Did numbing ever make you unwell?",
        "options": ["No", "Yes, I will say how"],
        "needed": True,
    },
]
# kind, words, note, needed, for whom, form
STEPS: tuple[tuple[str, str, str, bool, Json, int | None], ...] = (
    ("details", "Confirm details", "", True, {"yearly": True}, None),
    ("coverage", "Insurance card, both sides", "", False, {"yearly": True}, None),
    (
        "own",
        "New card numbers this year",
        "Northmoor sent new cards. If the number begins with NM-6, type it in.",
        False,
        {"yearly": True, "types": [TYPE_ID[name] for name in ("Sick visit", "Follow-up", "Physical")]},
        None,
    ),
    ("eligibility", "Review the payer’s response", "", False, {}, None),
    ("gaps", "Fill in what’s missing", "", False, {}, None),
    ("form", "Privacy policy, 2026", "", True, {}, 1),
    (
        "form",
        "Numbing, what to know",
        "",
        False,
        {"types": [TYPE_ID[name] for name in ("Root canal", "Extraction")]},
        2,
    ),
    ("collect", "Copay and balance", "", False, {}, None),
    ("photo", "Photo for the record", "", False, {"new": True}, None),
)
# words, what to do, places, condition, warns
HEADSUPS: tuple[tuple[str, str, list[str], Json, bool], ...] = (
    (
        "Cash only",
        "Take {first}’s part before the room.",
        ["booking", "arrival"],
        {"any": [{"all": [{"fact": "flag", "value": 3}]}]},
        True,
    ),
    (
        "Nervous, talk {first} through",
        "Say who comes and how long it takes.",
        ["arrival"],
        {"any": [{"all": [{"fact": "flag", "value": 1}]}]},
        False,
    ),
    (
        "Owes {balance} and has no plan that pays",
        "Ask for it now; offer a plan of payments.",
        ["booking", "arrival", "checkout"],
        {"any": [{"all": [{"fact": "owes", "value": 10000}, {"fact": "kind", "value": "none"}]}]},
        True,
    ),
    (
        "Recall overdue by {overdue}",
        "Book it before {first} leaves.",
        ["checkout", "record"],
        {
            "any": [
                {
                    "all": [
                        {"fact": "overdue", "value": 360},
                        {"not": {"fact": "type", "value": TYPE_ID["Hygiene"]}},
                    ]
                }
            ]
        },
        False,
    ),
    (
        "Diabetes: ask about sugar and food today",
        "Offer a morning time next.",
        ["arrival", "booking"],
        {"any": [{"all": [{"fact": "diagnosis", "value": "E11"}]}]},
        False,
    ),
    (
        "Not here for {days}",
        "Read address and phone back to {first}.",
        ["arrival"],
        {
            "any": [
                {
                    "all": [
                        {"fact": "away", "value": 500},
                        {"fact": "recent", "value": 1825},
                    ]
                }
            ]
        },
        False,
    ),
    (
        "Nobody to call if {first} feels unwell",
        "Ask for an emergency contact.",
        ["checkout"],
        {"any": [{"all": [{"fact": "gap", "value": "treat"}, {"fact": "older", "value": 79}]}]},
        False,
    ),
)


def write_copays(engine: Engine) -> None:
    """Northmoor asks a copay of every office visit."""
    plan = schema.plan
    with engine.begin() as connection:
        terms = dict(
            connection.execute(select(plan.c.terms).where(plan.c.name == "Northmoor Standard")).scalar_one()
        )
        terms["copays"] = [["office", 2000, "visit"]]
        connection.execute(update(plan).where(plan.c.name == "Northmoor Standard").values(terms=terms))


def write_arrivals(connection: Connection, now: datetime) -> None:
    """The setup of arrivals."""

    def put(table: Any, rows: list[Json]) -> None:
        connection.execute(insert(table), rows)

    put(
        schema.stage,
        [
            {"name": name, "whose": whose, "dental": dental, "position": n}
            for n, (name, whose, dental) in enumerate(STAGES, 1)
        ],
    )
    put(
        schema.form_template,
        [
            {"id": 1, "name": "Privacy policy, 2026", "blocks": PRIVACY, "again_months": 12},
            {"id": 2, "name": "Numbing, what to know", "blocks": LOCAL, "again_months": 0},
        ],
    )
    put(
        schema.arrival_step,
        [
            {
                "kind": kind,
                "words": words,
                "note": note,
                "required": needed,
                "for_whom": whom,
                "template_id": form,
                "position": n,
            }
            for n, (kind, words, note, needed, whom, form) in enumerate(STEPS, 1)
        ],
    )
    put(
        schema.headsup,
        [
            {
                "words": words,
                "todo": todo,
                "places": places,
                "condition": condition,
                "warns": warns,
                "position": n,
            }
            for n, (words, todo, places, condition, warns) in enumerate(HEADSUPS, 1)
        ],
    )


# What Dana Whitlow had done before she came here.
EARLIER = (
    "1 16 17 32 missing before 2000",
    "2 missing",
    "8 root canal crown 2011",
    "12 o filling",
    "31 crown 2023",
    "19 to 21 bridge 2014",
    "28 implant 2022",
)


def receive(desk: Desk, clock: ShiftedClock, opens: datetime, day: date) -> None:
    """Those who are here went through the list this morning, Dana Whitlow has planned work and earlier work
    from elsewhere, and Priya Raman has options to choose from.
    """
    with desk.engine.begin() as connection:
        write_arrivals(connection, opens)
    desk.read_setup()
    v, p = schema.visit, schema.patient
    with desk.engine.connect() as connection:
        here = (
            connection.execute(select(v.c.id).where(v.c.day == day, v.c.state == "here").order_by(v.c.id))
            .scalars()
            .all()
        )
        dana = connection.execute(
            select(p.c.id).where(p.c.first == "Dana", p.c.last == "Whitlow")
        ).scalar_one()
        priya = connection.execute(
            select(p.c.id).where(p.c.first == "Priya", p.c.last == "Raman")
        ).scalar_one()
        inside = connection.execute(
            select(v.c.id, v.c.room_id).where(v.c.day == day, v.c.state == "room")
        ).all()
    clock.set_to(opens - timedelta(minutes=2))
    for visit_id in here:
        do_step(desk, SAM, visit_id, 1)
    for code, tooth, surfaces in (("D2740", "14", ""), ("D2392", "18", "DO"), ("D2330", "9", "M")):
        plan_service(desk, SAM, dana, SERVICE_ID[code], tooth, surfaces)
    for line in EARLIER:
        add_tooth_works(desk, SAM, dana, line)
    _stage_rooms(desk, [row.id for row in inside])
    clock.set_to(to_utc(datetime(day.year, day.month, day.day, 9, 15), ZONE))
    _offer(desk, priya)
    clock.set_to(opens)


def _stage_rooms(desk: Desk, visit_ids: list[int]) -> None:
    """Everybody in a room is being treated by now; their places were written before the stages were."""
    with desk.engine.begin() as connection:
        for number in visit_ids:
            dental = connection.execute(
                text("SELECT t.dental FROM visit v JOIN visit_type t ON t.id = v.type_id WHERE v.id = :id"),
                {"id": number},
            ).scalar_one()
            first, second = (1, 2) if dental else (4, 5)
            w, v = schema.whereabouts, schema.visit
            row = connection.execute(
                select(w).where(w.c.visit_id == number, w.c.room_id.is_not(None)).order_by(w.c.id.desc())
            ).first()
            assert row is not None
            connection.execute(update(w).where(w.c.id == row.id).values(stage_id=first))
            after = row.at + (desk.clock.now() - row.at) / 3
            connection.execute(
                insert(w).values(
                    visit_id=number, room_id=row.room_id, stage_id=second, at=after, by_id=row.by_id, words=""
                )
            )
            connection.execute(update(v).where(v.c.id == number).values(stage_id=second))


def _offer(desk: Desk, priya: int) -> None:
    """Three ways to fix the upper left side, in two phases."""
    made = make_proposal(desk, SAM, priya, "Upper left side", 1)
    name_parts(desk, SAM, made, {"A": "Ceramic crown"}, [("Now", "0"), ("After the new year", "2")], 1)
    for code, phase, tooth, surfaces in (
        ("D2950", 1, "14", ""),
        ("D2740", 1, "14", ""),
        ("D2392", 2, "12", "DO"),
    ):
        add_to_option(
            desk,
            SAM,
            made,
            PlannedLineForm(
                service_id=SERVICE_ID[code], letter="A", phase=phase, tooth=tooth, surfaces=surfaces
            ),
        )
    for like, code in (("A", "D2750"), ("A", "D2392")):
        letter = add_option(desk, SAM, made, like)
        _instead(desk, made, letter, code)
    with desk.engine.connect() as connection:
        version = connection.execute(
            select(schema.proposal.c.version).where(schema.proposal.c.id == made)
        ).scalar_one()
    names = {"A": "Ceramic crown", "B": "Crown over gold", "C": "Large filling, for now"}
    name_parts(desk, SAM, made, names, [("Now", "0"), ("After the new year", "2")], version)


def _instead(desk: Desk, proposal_id: int, letter: str, code: str) -> None:
    """The option's crown becomes something else; a filling needs no build-up."""
    s = schema.planned_service
    gone = [SERVICE_ID["D2740"]] + ([SERVICE_ID["D2950"]] if code == "D2392" else [])
    with desk.engine.connect() as connection:
        rows = (
            connection.execute(
                select(s.c.id).where(
                    s.c.proposal_id == proposal_id, s.c.option_letter == letter, s.c.service_id.in_(gone)
                )
            )
            .scalars()
            .all()
        )
    for number in rows:
        drop_from_option(desk, SAM, proposal_id, number)
    add_to_option(
        desk,
        SAM,
        proposal_id,
        PlannedLineForm(
            service_id=SERVICE_ID[code],
            letter=letter,
            phase=1,
            tooth="14",
            surfaces="MO" if code == "D2392" else "",
        ),
    )
