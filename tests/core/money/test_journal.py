"""The journal: properties that hold whatever is charged, paid, reversed and allocated, in any order."""

from datetime import date

from hypothesis import given
from hypothesis import strategies as st
from hypothesis.stateful import Bundle, RuleBasedStateMachine, invariant, multiple, rule

from zax.core.money.journal import (
    Allocation,
    Entry,
    Kind,
    Parts,
    balance,
    credit_left,
    faults,
    free,
    give,
    held_by,
    line_charges,
    line_parts,
    reversal_of,
    take_back,
    unreversed,
)
from zax.core.remits.line import ExpectedLine
from zax.core.remits.placing import place
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine

DAY = date(2026, 11, 24)
cents = st.integers(1, 500_000)


def charge(number: int, line: int, patient: int, insurer: int = 0) -> Entry:
    return Entry(
        id=number, kind=Kind.CHARGE, day=DAY, patient_cents=patient, insurer_cents=insurer, line_id=line
    )


def test_what_is_charged_by_now_counts_charges_and_their_reversals_alone() -> None:
    first, other = charge(1, 7, 2_500, 12_500), charge(2, 8, 4_000)
    moved = Entry(id=3, kind=Kind.WRITE_OFF, day=DAY, patient_cents=0, insurer_cents=-4_000, line_id=7)
    undone = [reversal_of(first, 4, DAY), reversal_of(moved, 5, DAY)]
    again = charge(6, 7, 3_000, 15_000)
    assert line_charges([first, other, moved]) == {7: 15_000, 8: 4_000}
    assert line_charges([first, other, moved, *undone, again]) == {7: 18_000, 8: 4_000}


def paid(number: int, amount: int) -> Entry:
    return Entry(id=number, kind=Kind.PAYMENT, day=DAY, patient_cents=-amount, insurer_cents=0)


def test_a_visit_from_charge_to_settled() -> None:
    entries = [
        charge(1, 10, 1280, 5120),
        charge(2, 11, 0, 11800),
        paid(3, 1280),
        Entry(id=4, kind=Kind.INSURER_PAYMENT, day=DAY, patient_cents=0, insurer_cents=-5120, line_id=10),
        Entry(id=5, kind=Kind.INSURER_PAYMENT, day=DAY, patient_cents=0, insurer_cents=-11800, line_id=11),
    ]
    given_out = give(credit_left(entries, []), [(10, 1280), (11, 0)])
    assert given_out == [Allocation(3, 10, 1280)]
    assert balance(entries) == Parts(0, 0)
    assert all(parts.settled for parts in line_parts(entries, given_out).values())
    assert faults(entries, given_out) == []


def test_money_before_charges_waits_as_credit() -> None:
    entries = [paid(1, 2000)]
    assert credit_left(entries, []) == {1: 2000}
    entries.append(charge(2, 10, 1500))
    given_out = give(credit_left(entries, []), [(10, 1500)])
    assert credit_left(entries, given_out) == {1: 500}


def test_what_was_undone_no_longer_stands_nor_does_what_undid_it() -> None:
    off = Entry(id=2, kind=Kind.DISCOUNT, day=DAY, patient_cents=-100, insurer_cents=0, line_id=10)
    entries = [charge(1, 10, 1280), off, paid(3, 1180), reversal_of(off, 4, DAY)]
    assert [entry.id for entry in unreversed(entries)] == [1, 3]


def test_taking_back_frees_the_newest_credit_first() -> None:
    given_out = [Allocation(1, 10, 300), Allocation(2, 10, 200)]
    assert take_back(10, 250, given_out) == [Allocation(2, 10, -200), Allocation(1, 10, -50)]


def test_faults_are_named() -> None:
    entries = [charge(1, 10, 100), paid(2, 50)]
    assert "gives 50 more than it holds" in " ".join(faults(entries, [Allocation(2, 10, 100)]))
    assert "more than is owed" in " ".join(faults(entries, [Allocation(2, 10, 50), Allocation(2, 10, 70)]))
    assert "less than nothing" in " ".join(faults(entries, [Allocation(2, 10, -1)]))
    twice = [charge(1, 10, 100), reversal_of(entries[0], 3, DAY), reversal_of(entries[0], 4, DAY)]
    assert "reversed twice" in " ".join(faults(twice, []))
    assert "does not exist" in " ".join(faults([reversal_of(charge(9, 1, 5), 10, DAY)], []))
    assert "used twice" in " ".join(faults([paid(1, 5), paid(1, 6)], []))


@given(st.lists(cents, min_size=1, max_size=8), st.lists(cents, min_size=1, max_size=8))
def test_giving_never_exceeds_either_side_and_leaves_nothing_needlessly(
    credits: list[int], owed: list[int]
) -> None:
    entries = [paid(n, amount) for n, amount in enumerate(credits, 1)] + [
        charge(100 + n, n, amount) for n, amount in enumerate(owed, 1)
    ]
    given_out = give(credit_left(entries, []), list(enumerate(owed, 1)))
    assert faults(entries, given_out) == []
    assert sum(each.cents for each in given_out) == min(sum(credits), sum(owed))


@given(st.lists(st.tuples(cents, cents), min_size=1, max_size=10))
def test_a_reversal_undoes_to_the_cent(parts: list[tuple[int, int]]) -> None:
    entries = [charge(n, n, patient, insurer) for n, (patient, insurer) in enumerate(parts, 1)]
    undone = [*entries, *(reversal_of(entry, 1000 + entry.id, DAY) for entry in entries)]
    assert balance(undone) == Parts()
    assert faults(undone, []) == []


@given(st.permutations(range(6)))
def test_the_balance_does_not_depend_on_the_order_of_reading(order: list[int]) -> None:
    entries = [
        charge(1, 1, 500, 700),
        charge(2, 2, 20),
        paid(3, 300),
        paid(4, 5),
        charge(5, 3, 1),
        Entry(id=6, kind=Kind.TRANSFER, day=DAY, patient_cents=100, insurer_cents=-100, line_id=1),
    ]
    assert balance([entries[n] for n in order]) == balance(entries)


class Account(RuleBasedStateMachine):
    """Any sequence of charges, payments, transfers and reversals, settled after each as the desk does it."""

    lines = Bundle("lines")

    def __init__(self) -> None:
        super().__init__()
        self.entries: list[Entry] = []
        self.given: list[Allocation] = []

    def add(
        self,
        kind: Kind,
        patient: int,
        insurer: int,
        line: int | None,
        reverses: int | None = None,
        of: int | None = None,
    ) -> None:
        self.entries.append(
            Entry(
                id=len(self.entries) + 1,
                kind=kind,
                day=DAY,
                patient_cents=patient,
                insurer_cents=insurer,
                line_id=line,
                visit_id=None,
                reverses=reverses,
                of=of,
            )
        )
        self.settle()

    def take_from_credit(self, credit: int, amount: int) -> int:
        """Free up to `amount` of a credit, as a refund does; what it can give."""
        left = credit_left(self.entries, self.given)[credit]
        self.given += free(credit, amount - left, self.given)
        return min(amount, credit_left(self.entries, self.given)[credit])

    def settle(self) -> None:
        for line, parts in line_parts(self.entries, self.given).items():
            if parts.patient < 0:
                self.given += take_back(line, -parts.patient, self.given)
        still_open = [(line, parts.patient) for line, parts in line_parts(self.entries, self.given).items()]
        self.given += give(credit_left(self.entries, self.given), still_open)

    @rule(target=lines, patient=cents, insurer=st.integers(0, 500_000))
    def charge(self, patient: int, insurer: int) -> int:
        line = len(self.entries) + 1
        self.add(Kind.CHARGE, patient, insurer, line)
        return line

    @rule(amount=cents)
    def pay(self, amount: int) -> None:
        self.add(Kind.PAYMENT, -amount, 0, None)

    @rule(amount=cents, kind=st.sampled_from([Kind.REFUND, Kind.TRANSFER]), newest=st.booleans())
    def give_back_or_move_away(self, amount: int, kind: Kind, newest: bool) -> None:
        credits = [
            e.id
            for e in self.entries
            if e.kind == Kind.PAYMENT and all(r.reverses != e.id for r in self.entries)
        ]
        if credits and (part := self.take_from_credit(credits[-1 if newest else 0], amount)) > 0:
            self.add(kind, part, 0, None, of=credits[-1 if newest else 0])

    @rule()
    def void_the_last_payment(self) -> None:
        paid = [
            e
            for e in self.entries
            if e.kind == Kind.PAYMENT and all(e.id not in {r.reverses, r.of} for r in self.entries)
        ]
        if paid and self.take_from_credit(paid[-1].id, -paid[-1].patient_cents) == -paid[-1].patient_cents:
            self.add(Kind.REVERSAL, -paid[-1].patient_cents, 0, None, paid[-1].id)

    @rule(line=lines, amount=cents, kind=st.sampled_from([Kind.WRITE_OFF, Kind.DISCOUNT]))
    def take_off(self, line: int, amount: int, kind: Kind) -> None:
        part = min(amount, max(0, line_parts(self.entries, self.given).get(line, Parts()).patient))
        if part:
            self.add(kind, -part, 0, line)

    @rule(line=lines, amount=st.integers(-20_000, 20_000).filter(bool))
    def transfer(self, line: int, amount: int) -> None:
        here = line_parts(self.entries, self.given)[line]
        part = min(amount, here.insurer) if amount > 0 else max(amount, -max(0, here.patient))
        if part:
            self.add(Kind.TRANSFER, part, -part, line)

    @rule(line=lines, paid=cents)
    def the_insurer_answers(self, line: int, paid: int) -> None:
        """Whatever it pays, after whatever was written off or moved before. Kills: a line below nothing."""
        mine = [e for e in self.entries if e.line_id == line]
        charged = next(e for e in mine if e.kind == Kind.CHARGE)
        fee = charged.patient_cents + charged.insurer_cents
        if charged not in unreversed(self.entries) or any(e.kind == Kind.INSURER_PAYMENT for e in mine):
            return
        paid = min(paid, fee)
        ours = ExpectedLine(
            line,
            f"L{line}",
            "99213",
            fee,
            line_parts(self.entries, self.given)[line],
            line_parts(self.entries, ())[line].patient,
        )
        told = RemitLine(
            code="99213",
            qualifier="HC",
            modifiers=(),
            charge_cents=fee,
            paid_cents=paid,
            number=f"L{line}",
            adjustments=[Adjustment("PR", "2", fee - paid)] if fee > paid else [],
        )
        claim = RemitClaim(
            number="C",
            status="1",
            charge_cents=fee,
            paid_cents=paid,
            patient_cents=0,
            payer_claim="",
            lines=[told],
        )
        for each in place(claim, [ours]).postings:
            self.add(each.kind, each.patient_cents, each.insurer_cents, line)
            if each.credit:
                self.add(Kind.TRANSFER, -each.insurer_cents, 0, None)

    @rule(target=lines, line=lines)
    def reverse_charge(self, line: int) -> object:
        """With all that stands on it, as the desk does it."""
        for entry in reversed([e for e in unreversed(self.entries) if e.line_id == line]):
            self.entries.append(reversal_of(entry, len(self.entries) + 1, DAY))
        self.settle()
        return multiple()

    @invariant()
    def nothing_is_wrong(self) -> None:
        assert faults(self.entries, self.given) == []

    @invariant()
    def parts_add_up_to_the_balance(self) -> None:
        on_lines = sum((parts.patient for parts in line_parts(self.entries, self.given).values()), 0)
        credit = sum(credit_left(self.entries, self.given).values())
        assert on_lines - credit == balance(self.entries).patient

    @invariant()
    def replaying_the_journal_gives_the_same_balances(self) -> None:
        backwards = list(reversed(self.entries))
        assert balance(backwards) == balance(self.entries)
        parts = line_parts(self.entries, self.given)
        assert {line: parts[line] for line in parts} == line_parts(backwards, list(reversed(self.given)))


TestAccount = Account.TestCase


def test_what_a_credit_pays_is_freed_from_the_line_it_was_given_to_last() -> None:
    given_out = [
        Allocation(1, 10, 300),
        Allocation(1, 11, 200),
        Allocation(2, 10, 50),
        Allocation(1, 10, -100),
    ]
    assert held_by(1, given_out) == {10: 200, 11: 200}
    assert free(1, 250, given_out) == [Allocation(1, 11, -200), Allocation(1, 10, -50)]
    assert free(1, 0, given_out) == [] and free(9, 5, given_out) == []


def test_a_reversed_transfer_gives_its_credit_back_to_where_it_came_from() -> None:
    entries = [
        paid(1, 500),
        Entry(id=2, kind=Kind.TRANSFER, day=DAY, patient_cents=300, insurer_cents=0, of=1),
    ]
    assert credit_left(entries, []) == {1: 200}
    assert credit_left([*entries, reversal_of(entries[1], 3, DAY)], []) == {1: 500}
    refund = Entry(id=4, kind=Kind.REFUND, day=DAY, patient_cents=200, insurer_cents=0, of=1)
    assert credit_left([*entries, refund], []) == {1: 0} and faults([*entries, refund], []) == []
