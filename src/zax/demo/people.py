"""Made-up patients: names from Faker, phones of the fictional 555-01xx block, households of one to four,
coverage for most.
"""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from faker import Faker

from zax.core.coverage.member import member_key
from zax.core.patients.person import age_on, search_key
from zax.core.patients.sounds import sound_of
from zax.demo.bulk import Bulk
from zax.demo.world import MEMBER_PREFIX
from zax.store import schema

_STREETS = (
    "Pier Road",
    "Lantern Lane",
    "Tide Street",
    "Juniper Way",
    "Cooper Row",
    "Ferry Hill",
    "Salt Court",
    "Mill Terrace",
    "Gull Close",
)
_AREAS = (206, 253, 360, 425, 503, 509, 541, 564, 971, 208, 406, 907)


@dataclass(slots=True, kw_only=True)
class Person:
    """A patient while history is made. `plans` are plan ids: dental, medical (0: none); coverage ids beside
    them.
    """

    id: int
    household_id: int
    first: str
    last: str
    birth: date
    plans: tuple[int, int]
    coverages: tuple[int, int]
    member: str


def make_people(bulk: Bulk, count: int, today: date, seed: int) -> list[Person]:
    """`count` people in households, loaded with their coverage; the same for the same seed."""
    rng, fake = random.Random(seed), Faker("en_US")
    fake.seed_instance(seed)
    lasts = sorted({fake.last_name() for _ in range(4000)})
    firsts = {
        "F": sorted({fake.first_name_female() for _ in range(1500)}),
        "M": sorted({fake.first_name_male() for _ in range(1500)}),
    }
    made_at = datetime(today.year - 2, 1, 5, 17, 0)
    people: list[Person] = []
    household, coverage = 0, 0
    patients, households, coverages = [], [], []
    while len(people) < count:
        household += 1
        last = rng.choice(lasts)
        households.append((household, last))
        size = min(rng.choice((1, 1, 1, 2, 2, 3, 4)), count - len(people))
        plans = (rng.choice((1, 1, 1, 2, 2, 5, 0)), rng.choice((3, 3, 4, 4, 6, 0)))
        member = f"{rng.randrange(10_000, 99_999)}"
        phone = f"{rng.choice(_AREAS)}55501{rng.randrange(100):02d}"
        street = f"{rng.randrange(1, 240)} {rng.choice(_STREETS)}"
        for place in range(size):
            number = len(people) + 1
            sex = rng.choice("FM")
            first = rng.choice(firsts[sex])
            years = rng.randrange(22, 86) if place < 2 else rng.randrange(3, 19)
            birth = today - timedelta(days=years * 365 + rng.randrange(365))
            complete = rng.random() > 0.04
            email = f"{first}.{last}@example.org".lower() if rng.random() < 0.7 else ""
            first_key, last_key = search_key(first), search_key(last)
            patients.append(
                (
                    number,
                    household,
                    place == 0,
                    first,
                    last,
                    first_key,
                    last_key,
                    sound_of(first_key),
                    sound_of(last_key),
                    birth,
                    sex,
                    phone,
                    email,
                    street if complete else "",
                    "Marrow Harbor" if complete else "",
                    "WA" if complete else "",
                    "98201" if complete else "",
                    made_at,
                )
            )
            ids = []
            for plan in plans:
                coverage += 1 if plan else 0
                ids.append(coverage if plan else 0)
                if plan:
                    card = f"{MEMBER_PREFIX[plan]}-{member}-{place + 1}"
                    began = date(today.year - 3, 1, 1)
                    coverages.append(
                        (coverage, number, plan, number, "18", card, member_key(card), f"G{plan}04", began)
                    )
            people.append(
                Person(
                    id=number,
                    household_id=household,
                    first=first,
                    last=last,
                    birth=birth,
                    plans=plans,
                    coverages=(ids[0], ids[1]),
                    member=f"{member}-{place + 1}",
                )
            )
        if len(patients) > 20_000:
            _flush(bulk, patients, households, coverages)
    _flush(bulk, patients, households, coverages)
    return people


def _flush(bulk: Bulk, patients: list, households: list, coverages: list) -> None:  # type: ignore[type-arg]
    bulk.add(schema.household, "id, name", households)
    bulk.add(
        schema.patient,
        "id, household_id, guarantor, first, last, first_key, last_key, first_sound, last_sound, birth, sex,"
        " phone, email, street, city, state, zip, made_at",
        patients,
    )
    bulk.add(
        schema.coverage,
        "id, patient_id, plan_id, subscriber_id, relationship, member_id, member_key, group_number, from_day",
        coverages,
    )
    for kept in (patients, households, coverages):
        kept.clear()


def is_child(person: Person, day: date) -> bool:
    return age_on(person.birth, day) < 14
