"""What made-up visits cost and who paid, as rows whose sums agree: the plan's part comes from the same
estimate as in the product; what the payer paid, what the patient paid and what is still open add up to the
charges. Nothing is dated later than now.
"""

from __future__ import annotations

import random
from collections import defaultdict
from datetime import date, datetime, timedelta

from zax.clock import to_utc
from zax.core.coverage.benefits import benefits_from
from zax.core.coverage.estimate import Cover, LineEstimate, PricedLine, estimate
from zax.core.coverage.limits import Done, Insured
from zax.core.coverage.used import Used
from zax.demo.people import is_child
from zax.demo.rows import PastVisit, Rows, moment
from zax.demo.world import ASSISTANCE_ALLOWS, PLANS, PROVIDERS, SERVICE_ID, SERVICES, TYPE_ID, TYPES, ZONE

# Households' deductibles are left out here: one person's history does not know the others'.
BENEFITS = {
    n: benefits_from(row[1], {**row[3], "household_deductible_cents": 0}) for n, row in enumerate(PLANS, 1)
}
FEES = {row[0]: row[4] for row in SERVICES}
ASSISTANCE = {code: cents * ASSISTANCE_ALLOWS // 100 for code, cents in FEES.items()}
REMEMBERED = 6  # services done, as many as a frequency limit can ask for
DIAGNOSES = ("J02.9", "R05.1", "I10", "E11.9", "J06.9", "M54.50", "R51.9", "Z00.00", "J01.90", "N39.0")


class PastMoney:
    """Charges, claims and payments of visits into the rows. `now` is the site's wall clock; `regulars` are
    people whose visits are all settled, each with the teeth that are left alone.
    """

    def __init__(
        self, rows: Rows, now: datetime, rng: random.Random, full: bool, regulars: dict[int, set[str]]
    ) -> None:
        self.rows, self.now, self.rng, self.full, self.regulars = rows, now, rng, full, regulars
        self.used: dict[tuple[int, int, bool], tuple[int, int]] = defaultdict(lambda: (0, 0))
        self.done: dict[tuple[int, bool], tuple[Done, ...]] = defaultdict(tuple)

    def charge(self, visit: PastVisit, made: datetime, by: int) -> list[tuple[int, PricedLine]]:
        """Charge lines of the type's services with teeth where they need one: (service id, priced)."""
        result: list[tuple[int, PricedLine]] = []
        kept = self.regulars.get(visit.person.id, set())
        teeth = [tooth for tooth in (3, 4, 13, 14, 18, 19, 20, 29, 30, 31) if str(tooth) not in kept]
        molar_or_premolar = self.rng.choice(teeth)
        for code in TYPES[TYPE_ID[visit.type_name] - 1][3]:
            if code == "D1110" and is_child(visit.person, visit.day):
                code = "D1120"
            number = SERVICE_ID[code]
            _, _, _, category, fee, needs_tooth, surfaces = SERVICES[number - 1]
            premolar = {3: 4, 14: 13, 18: 20, 19: 20, 30: 29, 31: 29}.get(
                molar_or_premolar, molar_or_premolar
            )
            tooth = str(premolar if code == "D3320" else molar_or_premolar)
            line_id = self.rows.next_id("charge_line")
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
                    None,
                )
            )
            if needs_tooth and visit.person.id in self.regulars:
                self.regulars[visit.person.id].add(tooth)
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

    def settle(self, visit: PastVisit, lines: list[tuple[int, PricedLine]], by: int) -> str:
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
                answer.contract,
            )
        at = min(moment(visit.day, min(visit.start + visit.minutes + 5, 1439)), to_utc(self.now, ZONE))
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

    def _cover(self, visit: PastVisit, plan: int, key: tuple[int, int, bool]) -> Cover:
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
        self, visit: PastVisit, dental: bool, coverage: int, answers: list[LineEstimate], at: datetime
    ) -> tuple[int, dict[int, int]]:
        """(cents still open with the insurer, cents moved to the patient by line)."""
        expected = sum(a.insurer for a in answers)
        if not coverage or not answers:
            return 0, {}
        age = (self.now.date() - visit.day).days
        waits = age < 8 or self.rng.random() < (0.5 if age < 14 else 0.04 if age < 40 else 0.0006)
        waits = waits and visit.person.id not in self.regulars
        claim = self.rows.next_id("claim")
        answered = at + timedelta(days=self.rng.randrange(6, max(7, min(16, age))))
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
                "D" if dental else "P",
                "accepted" if waits else "closed",
                fee,
                paid,
                "[]",
                at,
                at,
                None if waits else answered,
            )
        )
        if self.full:
            self.rows["claim_line"].extend((claim, a.line_id, n, a.fee) for n, a in enumerate(answers, 1))
            self.rows["claim_event"].append((claim, at, "Sent, taken by the clearinghouse"))
            if not waits:
                self.rows["claim_event"].append((claim, answered, "Answered and posted"))
        return (sum(a.insurer + a.write_off for a in answers) if waits else 0), moved

    def _patient(
        self, visit: PastVisit, answers: list[LineEstimate], moved: dict[int, int], at: datetime, by: int
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

    def _payment(self, visit: PastVisit, due: dict[int, int], day: date, at: datetime, by: int) -> None:
        tender = self.rng.choice(("card", "card", "card", "cash", "check"))
        number = self.rows.next_id("payment")
        check = str(self.rng.randrange(1000, 9999)) if tender == "check" else ""
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
                check,
                "taken",
                ending,
                day,
                at,
                by,
            )
        )
        self.rows["payment_part"].append((number, visit.person.id, visit.id, total))
        words = f"Patient paid, {tender}{' ' + check if check else ''}{' ending ' + ending if ending else ''}"
        credit = self._entry(visit, "payment", day, at, by, -total, 0, words, payment=number)
        self.rows["allocation"].extend(
            (credit, line, visit.person.id, cents, at, by) for line, cents in due.items()
        )

    def _entry(
        self,
        visit: PastVisit,
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
        number = self.rows.next_id("journal")
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
