"""The rows of tenders on a form, wherever money is taken: how they are offered and how they are read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.money.tender import Tender, TenderForm
from zax.core.reading import reference
from zax.desk.clinic.clinic import Clinic
from zax.store.money.records import CardOnFile
from zax.web.shell.request_context import PostedForm

ROWS = 3


@dataclass(frozen=True, slots=True)
class Choice:
    """One tender in the list; `number` says that it brings a number."""

    value: str
    words: str
    number: bool = False


def tender_choices(clinic: Clinic, cards: Sequence[CardOnFile], last: str = "") -> list[Choice]:
    """What may be chosen, the tender used last first; every card on file is one."""
    made = [
        Choice(
            tender,
            words,
            tender == Tender.CHECK or (tender in clinic.money.own and clinic.money.own[tender].needs_number),
        )
        for tender, words in clinic.money.offered(last)
    ]
    on_file = [
        Choice(f"file-{card.id}", f"{card.first}’s card ending {card.ending}, to {card.expires}")
        for card in cards
    ]
    return on_file + made if last == Tender.FILE else made[:1] + on_file + made[1:]


def tender_forms(form: PostedForm) -> list[TenderForm]:
    """The rows as typed; a row without an amount and without a number is left out later."""
    tenders, amounts, numbers = (form.all.get(name, []) for name in ("tender", "amount", "number"))
    rows = []
    for n, tender in enumerate(tenders):
        amount = amounts[n] if n < len(amounts) else ""
        number = numbers[n] if n < len(numbers) else ""
        card = reference(tender.removeprefix("file-")) if tender.startswith("file-") else 0
        rows.append(
            TenderForm("file" if card else tender, amount, number, card or None, form["keep_card"] == "yes")
        )
    return rows or [TenderForm("", "")]
