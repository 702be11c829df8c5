"""Past and coming visits with their track, charges, journal, payments and claims, as rows whose sums agree.

The plan's part comes from the same estimate as in the product; what the payer paid, what the patient paid and
what is still open add up to the charges. Ids are given here, so everything can be loaded without asking the
database.
"""

from __future__ import annotations

import random
from collections import defaultdict
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from zax.clock import to_utc
from zax.core.book.hours import Span
from zax.core.book.minutes import free_spans
from zax.core.coverage.benefits import benefits_from
from zax.core.coverage.estimate import Cover, LineEstimate, PricedLine, estimate
from zax.core.coverage.limits import Done, Insured
from zax.core.coverage.used import Used
from zax.demo.bulk import Bulk
from zax.demo.people import Person, is_child
from zax.demo.world import (
    ASSISTANCE_ALLOWS,
    HOURS,
    PLANS,
    PROVIDERS,
    ROOMS,
    SERVICE_ID,
    SERVICES,
    SITES,
    TYPE_ID,
    TYPES,
    ZONE,
    closures,
)
from zax.store import schema

COLUMNS = {
    "visit": (
        "id, site_id, patient_id, provider_id, room_id, type_id, day, start_min, minutes, state, off_why,"
        " made_at, made_by"
    ),
    "staff_slot": "visit_id, provider_id, day, start_min, end_min, words",
    "track_move": "visit_id, from_stop, to_stop, at, by_id",
    "charge_line": (
        "id, visit_id, service_id, provider_id, fee_cents, tooth, surfaces, deductible_cents, entered_at,"
        " entered_by, first_cents, first_coverage_id, own_cents"
    ),
    "visit_diagnosis": "visit_id, position, code",
    "receipt": "id, request_key, patient_id, site_id, day, at, by_id",
    "payment": (
        "id, request_key, receipt_id, patient_id, visit_id, site_id, tender, cents, asked_cents,"
        " cheque_number, state, card_ending, day, at, by_id"
    ),
    "payment_part": "payment_id, patient_id, visit_id, cents",
    "journal": (
        "id, kind, day, at, by_id, site_id, patient_id, visit_id, line_id, payment_id, claim_id,"
        " patient_cents, insurer_cents, words"
    ),
    "allocation": "credit_id, line_id, patient_id, cents, at, by_id",
    "claim": (
        "id, number, visit_id, patient_id, coverage_id, dental, state, cents, paid_cents, findings, made_at,"
        " sent_at"
    ),
    "claim_line": "claim_id, line_id, position, cents",
    "claim_event": "claim_id, at, words",
}
# Households' deductibles are left out here: one person's history does not know the others'.
BENEFITS = {
    n: benefits_from(row[1], {**row[3], "household_deductible_cents": 0}) for n, row in enumerate(PLANS, 1)
}
FEES = {row[0]: row[4] for row in SERVICES}
ASSISTANCE = {code: cents * ASSISTANCE_ALLOWS // 100 for code, cents in FEES.items()}
REMEMBERED = 6  # services done, as many as a frequency limit can ask for
ROLE_TYPES = {
    "dentist": (
        "Filling",
        "Filling",
        "Filling",
        "Crown prep",
        "Crown seat",
        "Root canal",
        "Extraction",
        "Toothache",
    ),
    "hygienist": ("Hygiene", "Hygiene", "Hygiene", "Hygiene", "Gum care"),
    "medical": ("Sick visit", "Sick visit", "Follow-up", "Follow-up", "Physical", "Vaccines"),
}
DIAGNOSES = ("J02.9", "R05.1", "I10", "E11.9", "J06.9", "M54.50", "R51.9", "Z00.00", "J01.90", "N39.0")


@dataclass(slots=True, kw_only=True)
class _Visit:
    id: int
    site_id: int
    person: Person
    provider: int
    type_name: str
    day: date
    start: int
    minutes: int
    state: str
    helper: tuple[int, int] | None


class History:
    """Makes visits day by day into the bulk loader. `now` is the site's wall clock."""

    def __init__(self, bulk: Bulk, people: list[Person], now: datetime, seed: int, full: bool = True) -> None:
        self.bulk, self.people, self.now, self.full = bulk, people, now, full
        self.rng = random.Random(seed)
        self.rows: dict[str, list[tuple[object, ...]]] = defaultdict(list)
        self.used: dict[tuple[int, int, bool], tuple[int, int]] = defaultdict(lambda: (0, 0))
        self.done: dict[tuple[int, bool], tuple[Done, ...]] = defaultdict(tuple)
        self.ids: dict[str, int] = defaultdict(int)
        self.visits = 0

    def next_id(self, table: str) -> int:
        self.ids[table] += 1
        return self.ids[table]

    def make_day(self, day: date, copy: int, fill: float) -> None:
        """One day of one copy of the clinic, about `fill` (0 to 1) of its time taken."""
        if day.weekday() > 4 or closures(day, day):
            return
        seen: set[int] = set()
        free_dentists: dict[int, list[Span]] = {}
        order = sorted(range(1, len(PROVIDERS) + 1), key=lambda p: PROVIDERS[p - 1][4] != "dentist")
        for provider in order:
            taken = self._provider_day(day, copy, provider, fill, seen, free_dentists)
            if PROVIDERS[provider - 1][4] == "dentist":
                free_dentists[provider] = free_spans([Span(a, b) for a, b in HOURS[provider]], taken, 10)

    def flush(self) -> None:
        for name, rows in self.rows.items():
            self.bulk.add(schema.metadata.tables[name], COLUMNS[name], rows)
        self.rows.clear()

    def _provider_day(
        self,
        day: date,
        copy: int,
        provider: int,
        fill: float,
        seen: set[int],
        dentists: dict[int, list[Span]],
    ) -> list[Span]:
        role = PROVIDERS[provider - 1][4]
        taken: list[Span] = []
        for opens, closes in HOURS[provider]:
            at = opens
            while True:
                kind = self.rng.choice(ROLE_TYPES[role])
                minutes = TYPES[TYPE_ID[kind] - 1][1]
                if at + minutes > closes:
                    break
                helper = self._helper(kind, at, dentists) if TYPES[TYPE_ID[kind] - 1][4][0] else None
                if self.rng.random() > fill or (TYPES[TYPE_ID[kind] - 1][4][0] and helper is None):
                    at += 30
                    continue
                person = self._someone(seen, kind, day)
                self._visit(
                    _Visit(
                        id=self.next_id("visit"),
                        site_id=copy * len(SITES) + 1,
                        person=person,
                        provider=copy * len(PROVIDERS) + provider,
                        type_name=kind,
                        day=day,
                        start=at,
                        minutes=minutes,
                        state="",
                        helper=helper and (copy * len(PROVIDERS) + helper[0], helper[1]),
                    ),
                    PROVIDERS[provider - 1][8] + copy * len(ROOMS),
                )
                taken.append(Span(at, at + minutes))
                at += minutes + (10 if role == "dentist" else 0)
        return taken

    def _helper(self, kind: str, start: int, dentists: dict[int, list[Span]]) -> tuple[int, int] | None:
        for offset in map(int, TYPES[TYPE_ID[kind] - 1][4][2].split()):
            wanted = Span(start + offset, start + offset + 10)
            for dentist, spans in dentists.items():
                for number, span in enumerate(spans):
                    if wanted.within(span):
                        spans[number : number + 1] = [
                            Span(span.start, wanted.start),
                            Span(wanted.end, span.end),
                        ]
                        return dentist, wanted.start
        return None

    def _someone(self, seen: set[int], kind: str, day: date) -> Person:
        while True:
            person = self.people[int(self.rng.random() * len(self.people))]
            if person.id in seen or (
                is_child(person, day) and kind not in {"Hygiene", "Filling", "Sick visit", "Vaccines"}
            ):
                continue
            seen.add(person.id)
            return person

    def _visit(self, visit: _Visit, room: int) -> None:
        self.visits += 1
        visit.state = self._state(visit)
        made = self._utc(visit.day, 600) - timedelta(days=self.rng.randrange(3, 60))
        by = self.rng.choice((1, 2))
        self.rows["visit"].append(
            (
                visit.id,
                visit.site_id,
                visit.person.id,
                visit.provider,
                room,
                TYPE_ID[visit.type_name],
                visit.day,
                visit.start,
                visit.minutes,
                visit.state,
                self._off_why(visit.state),
                made,
                by,
            )
        )
        self.rows["staff_slot"].append(
            (
                visit.id,
                visit.provider,
                visit.day,
                visit.start,
                visit.start + visit.minutes,
                "",
            )
        )
        if visit.helper:
            who, at = visit.helper
            self.rows["staff_slot"].append((visit.id, who, visit.day, at, at + 10, "exam"))
        lines = self._lines(visit, made, by)
        if visit.state in {"checkout", "left", "settled"}:
            visit.state = self._money(visit, lines, by)
            self.rows["visit"][-1] = (*self.rows["visit"][-1][:9], visit.state, "", made, by)
        self._track(visit, made, by)

    def _state(self, visit: _Visit) -> str:
        roll = self.rng.random()
        minute = self.now.hour * 60 + self.now.minute
        if visit.day > self.now.date() or (visit.day == self.now.date() and visit.start > minute + 15):
            near = (visit.day - self.now.date()).days <= 3
            return "confirmed" if near and roll < 0.6 else "booked"
        if visit.day == self.now.date() and visit.start + visit.minutes > minute - 15:
            return (
                "here"
                if visit.start > minute
                else "room"
                if visit.start + visit.minutes > minute
                else "checkout"
            )
        return "missed" if roll < 0.04 else "cancelled" if roll < 0.07 else "left"

    def _off_why(self, state: str) -> str:
        return (
            "missed"
            if state == "missed"
            else self.rng.choice(("wants", "declined", "clinic"))
            if state == "cancelled"
            else ""
        )

    def _utc(self, day: date, minute: int) -> datetime:
        return to_utc(datetime(day.year, day.month, day.day, minute // 60, minute % 60), ZONE)

    def _lines(self, visit: _Visit, made: datetime, by: int) -> list[tuple[int, PricedLine]]:
        """Charge lines of the type's services with teeth where they need one: (service id, priced)."""
        result: list[tuple[int, PricedLine]] = []
        molar_or_premolar = self.rng.choice((3, 4, 13, 14, 18, 19, 20, 29, 30, 31))
        for code in TYPES[TYPE_ID[visit.type_name] - 1][3]:
            if code == "D1110" and is_child(visit.person, visit.day):
                code = "D1120"
            number = SERVICE_ID[code]
            _, _, _, category, fee, needs_tooth, surfaces = SERVICES[number - 1]
            premolar = {3: 4, 14: 13, 18: 20, 19: 20, 30: 29, 31: 29}.get(
                molar_or_premolar, molar_or_premolar
            )
            tooth = str(premolar if code == "D3320" else molar_or_premolar)
            line_id = self.next_id("charge_line")
            who = visit.helper[0] if visit.helper and category == "diagnostic" else visit.provider
            done = visit.state not in {"booked", "confirmed", "here"}
            self.rows["charge_line"].append(
                (
                    line_id,
                    visit.id,
                    number,
                    who,
                    fee,
                    tooth if needs_tooth and done else "",
                    "MO"[:surfaces] if done else "",
                    0,
                    made,
                    by,
                    0,
                    None,
                    0,
                )
            )
            result.append(
                (
                    number,
                    PricedLine(
                        line_id=line_id,
                        cents=fee,
                        category=category,
                        code=code,
                        tooth=tooth if needs_tooth else "",
                    ),
                )
            )
        if PROVIDERS[(visit.provider - 1) % len(PROVIDERS)][4] == "medical":
            self.rows["visit_diagnosis"].append((visit.id, 1, self.rng.choice(DIAGNOSES)))
        return result

    def _money(self, visit: _Visit, lines: list[tuple[int, PricedLine]], by: int) -> str:
        """Charges, the insurer's answer and the patient's payment; the state they leave the visit in."""
        dental = PROVIDERS[(visit.provider - 1) % len(PROVIDERS)][5]
        plan, coverage = (
            (visit.person.plans[0], visit.person.coverages[0])
            if dental
            else (visit.person.plans[1], visit.person.coverages[1])
        )
        key = (visit.person.id, visit.day.year, dental)
        answers = estimate(
            [line for _, line in lines], [self._cover(visit, plan, key)] if plan else [], visit.day
        )
        deductible, paid = self.used[key]
        self.used[key] = (
            deductible + sum(a.deductible for a in answers),
            paid + sum(a.first for a in answers),
        )
        more = [Done(line.code, visit.day, line.tooth) for _, line in lines]
        self.done[key[0], dental] = (*self.done[key[0], dental], *more)[-REMEMBERED:]
        offset = len(self.rows["charge_line"]) - len(lines)
        for number, answer in enumerate(answers):
            row = self.rows["charge_line"][offset + number]
            self.rows["charge_line"][offset + number] = (
                *row[:7],
                answer.deductible,
                *row[8:10],
                answer.first,
                coverage if plan else None,
                answer.uses[0].own if answer.uses else 0,
            )
        at = self._utc(visit.day, min(visit.start + visit.minutes + 5, 1439))
        for answer in answers:
            self._entry(
                visit,
                "charge",
                visit.day,
                at,
                by,
                answer.patient,
                answer.insurer + answer.write_off,
                answer.why,
                line=answer.line_id,
            )
        if visit.state == "checkout":
            return visit.state
        open_insurer, moved = self._insurer(visit, dental, coverage, answers, at)
        open_patient = self._patient(visit, answers, moved, at, by)
        return "left" if open_insurer or open_patient else "settled"

    def _cover(self, visit: _Visit, plan: int, key: tuple[int, int, bool]) -> Cover:
        deductible, paid = self.used[key]
        used = Used(deductible=deductible, paid=paid, done=self.done[key[0], key[2]])
        allowed = ASSISTANCE if PLANS[plan - 1][0] == 5 else {}
        return Cover(
            benefits=BENEFITS[plan],
            used=used,
            allowed=allowed,
            fees=FEES,
            insured=Insured(visit.person.birth),
        )

    def _insurer(
        self, visit: _Visit, dental: bool, coverage: int, answers: list[LineEstimate], at: datetime
    ) -> tuple[int, dict[int, int]]:
        """(cents still open with the insurer, cents moved to the patient by line)."""
        expected = sum(a.insurer for a in answers)
        if not coverage or not answers:
            return 0, {}
        age = (self.now.date() - visit.day).days
        waits = age < 8 or (age < 25 and self.rng.random() < 0.5) or self.rng.random() < 0.004
        claim = self.next_id("claim")
        answered = at + timedelta(days=self.rng.randrange(6, 16))
        short = expected and not waits and self.rng.random() < 0.03
        moved: dict[int, int] = {}
        if not waits:
            for answer in answers:
                less = answer.insurer // 5 if short else 0
                if answer.insurer:
                    self._entry(
                        visit,
                        "insurer",
                        answered.date(),
                        answered,
                        None,
                        0,
                        less - answer.insurer,
                        "Plan paid",
                        line=answer.line_id,
                        claim=claim,
                    )
                if answer.write_off:
                    self._entry(
                        visit,
                        "writeoff",
                        answered.date(),
                        answered,
                        None,
                        0,
                        -answer.write_off,
                        "Written off by contract",
                        line=answer.line_id,
                        claim=claim,
                    )
                if less:
                    words = "Moved to patient, plan paid a lower percentage"
                    self._entry(
                        visit,
                        "transfer",
                        answered.date(),
                        answered,
                        None,
                        less,
                        -less,
                        words,
                        line=answer.line_id,
                        claim=claim,
                    )
                    moved[answer.line_id] = less
        fee = sum(a.fee for a in answers)
        paid = 0 if waits else expected - sum(moved.values())
        self.rows["claim"].append(
            (
                claim,
                f"C{claim:06d}",
                visit.id,
                visit.person.id,
                coverage,
                dental,
                "accepted" if waits else "closed",
                fee,
                paid,
                "[]",
                at,
                at,
            )
        )
        if self.full:
            self.rows["claim_line"] += [(claim, a.line_id, n, a.fee) for n, a in enumerate(answers, 1)]
            self.rows["claim_event"].append((claim, at, "Sent, taken by the clearinghouse"))
            if not waits:
                self.rows["claim_event"].append((claim, answered, "Answered and posted"))
        return (sum(a.insurer + a.write_off for a in answers) if waits else 0), moved

    def _patient(
        self, visit: _Visit, answers: list[LineEstimate], moved: dict[int, int], at: datetime, by: int
    ) -> int:
        """Pays at checkout, later, or not yet; the cents still open."""
        due = {a.line_id: a.patient for a in answers if a.patient}
        roll, age = self.rng.random(), (self.now.date() - visit.day).days
        if due and (roll < 0.9 or age > 150):
            self._payment(visit, due, visit.day, at, by)
            due = {}
        elif due and roll < 0.97 and age > 40:
            later = at + timedelta(days=self.rng.randrange(10, 38))
            self._payment(visit, due, later.date(), later, by)
            due = {}
        if moved and age > 60:
            later = at + timedelta(days=self.rng.randrange(30, 58))
            self._payment(visit, moved, later.date(), later, by)
            moved = {}
        return sum(due.values()) + sum(moved.values())

    def _payment(self, visit: _Visit, due: dict[int, int], day: date, at: datetime, by: int) -> None:
        tender = self.rng.choice(("card", "card", "card", "cash", "cheque"))
        number = self.next_id("payment")
        cheque = str(self.rng.randrange(1000, 9999)) if tender == "cheque" else ""
        ending = f"{self.rng.randrange(10_000):04d}" if tender == "card" else ""
        total = sum(due.values())
        self.rows["receipt"].append((number, f"past-{number}", visit.person.id, visit.site_id, day, at, by))
        self.rows["payment"].append(
            (
                number,
                f"past-{number}-1",
                number,
                visit.person.id,
                visit.id,
                visit.site_id,
                tender,
                total,
                total,
                cheque,
                "taken",
                ending,
                day,
                at,
                by,
            )
        )
        self.rows["payment_part"].append((number, visit.person.id, visit.id, total))
        words = (
            f"Patient paid, {tender}{' ' + cheque if cheque else ''}{' ending ' + ending if ending else ''}"
        )
        credit = self._entry(visit, "payment", day, at, by, -total, 0, words, payment=number)
        self.rows["allocation"] += [
            (credit, line, visit.person.id, cents, at, by) for line, cents in due.items()
        ]

    def _entry(
        self,
        visit: _Visit,
        kind: str,
        day: date,
        at: datetime,
        by: int | None,
        patient: int,
        insurer: int,
        words: str,
        line: int | None = None,
        payment: int | None = None,
        claim: int | None = None,
    ) -> int:
        number = self.next_id("journal")
        self.rows["journal"].append(
            (
                number,
                kind,
                day,
                at,
                by,
                visit.site_id,
                visit.person.id,
                visit.id,
                line,
                payment,
                claim,
                patient,
                insurer,
                words,
            )
        )
        return number

    def _track(self, visit: _Visit, made: datetime, by: int) -> None:
        start = self._utc(visit.day, visit.start)
        end = start + timedelta(minutes=visit.minutes)
        wait = timedelta(minutes=self.rng.randrange(2, 14))
        full = [
            ("booked", made),
            ("confirmed", max(made, start - timedelta(days=2))),
            ("here", start - wait),
            ("room", start),
            ("checkout", end),
            ("left", end + timedelta(minutes=6)),
            ("settled", end + timedelta(minutes=7)),
        ]
        if visit.state in {"missed", "cancelled"}:
            steps = [full[0], (visit.state, start)]
        else:
            steps = full[: [name for name, _ in full].index(visit.state) + 1]
            if not self.full and len(steps) > 4:
                steps = [full[0], *full[2:5], steps[-1]]
        before = ""
        for name, at in steps:
            self.rows["track_move"].append((visit.id, before, name, at, by))
            before = name
