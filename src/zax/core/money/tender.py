"""How a patient pays: the tenders, what each must bring, and how what was handed over covers what it is for.

Cash, check, card and the card on file are built in; a clinic adds tenders of its own ("own-3"). A card that a
patient types on the card door's own page is a tender that no desk takes. A check
without its number cannot be found again. More than is due is never simply taken: it is change, or it is kept
as credit, and somebody says which.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from zax.core.errors import ProblemCollector, Refused
from zax.core.money.cents import parse_amount
from zax.core.wording import dollars


class Tender(StrEnum):
    CASH = "cash"
    CHECK = "check"
    CARD = "card"
    FILE = "file"
    ONLINE = "online"


class PaymentState(StrEnum):
    """ASKING: the terminal has been asked. UNKNOWN: it did not answer, not confirmed yet by its key."""

    ASKING = "asking"
    UNKNOWN = "unknown"
    DECLINED = "declined"
    TAKEN = "taken"


TENDER_WORDS = {
    Tender.CASH: "Cash",
    Tender.CHECK: "Check",
    Tender.CARD: "Card",
    Tender.FILE: "Card on file",
    Tender.ONLINE: "Card online",
}
BY_TERMINAL = frozenset({Tender.CARD, Tender.FILE})
BY_CARD = BY_TERMINAL | {Tender.ONLINE}
OPEN_STATES = (PaymentState.ASKING, PaymentState.UNKNOWN)


@dataclass(frozen=True, slots=True)
class OwnTender:
    """A tender of the clinic's own; `needs_number` asks for one as a check does."""

    words: str
    needs_number: bool = False


@dataclass(frozen=True, slots=True)
class TenderForm:
    """One tender as typed; `card_id` is the card on file that was chosen."""

    tender: str
    amount: str
    number: str = ""
    card_id: int | None = None
    keep_card: bool = False


@dataclass(frozen=True, slots=True)
class Tendered:
    """A tender as checked: `cents` is positive; `number` is empty unless it is a check or the clinic wants
    one.
    """

    tender: str
    cents: int
    number: str = ""
    card_id: int | None = None
    keep_card: bool = False

    @property
    def by_terminal(self) -> bool:
        return self.tender in BY_TERMINAL


def check_tenders(forms: Sequence[TenderForm], own: Mapping[str, OwnTender]) -> list[Tendered]:
    """What was typed, as tenders; rows left empty are passed over. Raises Problems naming each wrong field:
    amount-1, number-2 ...
    """
    wrong = ProblemCollector()
    checked = [
        _check(form, row, own, wrong)
        for row, form in enumerate(forms, 1)
        if row == 1 or form.amount.strip() or form.number.strip()
    ]
    wrong.raise_if_any()
    return [each for each in checked if each is not None]


def _check(
    form: TenderForm, row: int, own: Mapping[str, OwnTender], wrong: ProblemCollector
) -> Tendered | None:
    number = re.sub(r"\s", "", form.number)
    cents = wrong.take(parse_amount, form.amount, f"amount-{row}")
    if form.tender not in set(Tender) - {Tender.ONLINE} and form.tender not in own:
        wrong.add(f"tender-{row}", "Choose how the patient pays: cash, check or card.")
    if form.tender == Tender.FILE and form.card_id is None:
        wrong.add(f"tender-{row}", "There’s no card on file. Choose another payment type.")
    needed = form.tender == Tender.CHECK or (form.tender in own and own[form.tender].needs_number)
    what = "the check" if form.tender == Tender.CHECK else "it"
    if needed and not number:
        wrong.add(f"number-{row}", f"Enter the number printed on {what}.")
    elif needed and not re.fullmatch(r"[0-9A-Za-z-]{1,20}", number):
        wrong.add(f"number-{row}", "A number here has at most 20 digits or letters.")
    if cents is None:
        return None
    return Tendered(
        form.tender,
        cents,
        number if needed else "",
        form.card_id if form.tender == Tender.FILE else None,
        form.keep_card and form.tender == Tender.CARD,
    )


@dataclass(frozen=True, slots=True)
class Handed:
    """Tenders as they are kept: change already taken off the cash. `over` is what goes beyond the dues and
    stays as credit.
    """

    tenders: Sequence[Tendered]
    change: int = 0
    over: int = 0


def settle_over(tenders: Sequence[Tendered], due: int, over: str) -> Handed:
    """What is handed over beyond `due`: given back (`over` is "change", only from cash), kept ("credit"), or
    asked about.

    Raises Refused beside "over" when nobody has said what the rest is for, or change is wanted that no cash
    covers.
    """
    rest = sum(each.cents for each in tenders) - due
    if rest <= 0:
        return Handed(tenders)
    if over == "credit":
        return Handed(tenders, over=rest)
    cash = sum(each.cents for each in tenders if each.tender == Tender.CASH)
    if over == "change":
        if rest > cash:
            raise Refused(
                f"Change comes out of cash, and only {dollars(cash)} of it is cash. "
                f"Take {dollars(rest)} less, or keep it as credit.",
                "over",
            )
        return Handed(_without(tenders, rest), change=rest)
    raise Refused(
        f"That is {dollars(rest)} more than the {dollars(max(0, due))} due. "
        "Give change, keep it as credit, or take less.",
        "over",
    )


def _without(tenders: Sequence[Tendered], change: int) -> list[Tendered]:
    """The tenders less the change, taken from the last cash first; a tender refunded whole drops out."""
    kept: list[Tendered] = []
    for each in reversed(tenders):
        part = min(change, each.cents) if each.tender == Tender.CASH else 0
        change -= part
        if each.cents > part:
            kept.insert(
                0, Tendered(each.tender, each.cents - part, each.number, each.card_id, each.keep_card)
            )
    return kept


def split_over(cents: int, owed: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """A payment over what it is for, each in order up to what is owed there: [(index, cents)] without empty
    parts; the parts make the whole.

    Raises ValueError when there is more money than is owed.
    """
    made = []
    for number, due in owed:
        part = min(cents, max(0, due))
        if part:
            made.append((number, part))
        cents -= part
    if cents:
        raise ValueError("more is paid than is due")
    return made


def cover(tenders: Sequence[int], dues: Sequence[int]) -> list[list[tuple[int, int]]]:
    """For each tender (cents) what it pays: [(index of the due, cents)]. Tenders and dues are used up in
    their order.

    Raises ValueError when the tenders are more than the dues.
    """
    left = list(dues)
    made = []
    for cents in tenders:
        parts = split_over(cents, list(enumerate(left)))
        for index, part in parts:
            left[index] -= part
        made.append(parts)
    return made
