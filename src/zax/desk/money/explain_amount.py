"""How an amount came about, in rows that add up to it and a sentence that can be said on the phone. Told from
the account, nothing is read anew.

An amount is named by a letter and a number: e (an entry), v (a visit's part of the patient), i (a visit's
part of the insurer), o (a person's own ledger), t (the household's whole).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zax.core.errors import NotFound
from zax.core.money.journal import RAISES, Kind, held_by
from zax.core.money.story import Step, story_of
from zax.core.reading import reference
from zax.core.wording import day_words, dollars
from zax.desk.money.account import Account, LedgerView, Line
from zax.store.money.records import NamedEntry

KIND_WORDS = {
    Kind.CHARGE: "Charge",
    Kind.PAYMENT: "Payment",
    Kind.INSURER_PAYMENT: "Insurance payment",
    Kind.WRITE_OFF: "Write-off",
    Kind.DISCOUNT: "Discount",
    Kind.TRANSFER: "Moved",
    Kind.REFUND: "Refund",
    Kind.REVERSAL: "Reversal",
    Kind.FEE: "Fee",
    Kind.INTEREST: "Interest",
    Kind.OPENING: "Starting balance",
}


@dataclass(frozen=True, slots=True)
class Row:
    """One step of the sum; `plum` is the insurer's. `key` names the amount it is about."""

    words: str
    cents: int
    plum: bool = False
    key: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Why:
    """`rows` add up to `cents`; `notes` say who and when; `say` is for the phone. `entry` and `line` are what
    can be corrected; `pays` the lines a credit pays.
    """

    key: str
    cents: int
    rows: Sequence[Row]
    notes: Sequence[str] = ()
    say: str = ""
    entry: NamedEntry | None = None
    line: Line | None = None
    pays: Sequence[tuple[Line, int]] = ()
    left: int = 0


def explain(account: Account, key: str) -> Why:
    """Raises NotFound for a name that is not on this account."""
    kind, number = key[:1], reference(key[1:])
    if kind == "t":
        return _whole(account)
    if not number:
        raise NotFound("That amount isn’t on this account.")
    if kind == "e":
        for visit in account.visits:
            for entry in visit.entries:
                if entry.id == number:
                    return _entry(account, visit, entry)
    for visit in account.visits:
        if kind in {"v", "i"} and visit.id == number:
            return _part(account, visit, insurer=kind == "i")
        if kind == "o" and visit.id is None and visit.patient_id == number:
            return _part(account, visit, insurer=False)
    raise NotFound("That amount isn’t on this account.")


def _whole(account: Account) -> Why:
    """What the household is to pay: visit by visit, less what waits as credit."""
    rows = [
        Row(
            f"{each.first}, {title(each).lower()} {day_words(each.day, year=True)}",
            each.open.patient,
            key=_key(each),
        )
        for each in account.visits
        if each.open.patient
    ]
    total = account.open.patient
    reasons = [sentence(account, each) for each in account.visits if each.open.patient > 0][:3]
    say = (
        " ".join(reasons) if reasons else "Nothing due." if not total else f"{dollars(-total)} is in credit."
    )
    return Why(key="t", cents=total, rows=rows, notes=(), say=say)


def _key(visit: LedgerView) -> str:
    return f"v{visit.id}" if visit.id is not None else f"o{visit.patient_id}"


def title(visit: LedgerView) -> str:
    return visit.title or "On the account"


def _part(account: Account, visit: LedgerView, insurer: bool) -> Why:
    """A ledger's open part: the entries that made it, line by line."""
    rows = []
    for entry in visit.entries:
        cents = entry.insurer_cents if insurer else entry.patient_cents
        if cents:
            rows.append(
                Row(
                    f"{day_words(entry.day, year=True)} {entry_words(account, entry)}",
                    cents,
                    insurer,
                    f"e{entry.id}",
                )
            )
    total = visit.open.insurer if insurer else visit.open.patient
    return Why(
        key=f"i{visit.id}" if insurer else _key(visit),
        cents=total,
        rows=rows,
        notes=(),
        say=sentence(account, visit),
    )


def entry_words(account: Account, entry: NamedEntry) -> str:
    """'Exam: you pay 20 percent', 'Patient paid, card ending 4417'."""
    line = account.lines.get(entry.line_id or 0)
    return (
        f"{line.words}: {entry.words}"
        if line is not None and entry.words
        else entry.words or (line.words if line else "")
    )


# What each step is called on the phone: when it raises what the patient owes, and when it lowers it.
SAID: Mapping[Step, tuple[str, str]] = {
    Step.CAME_TO: ("It came to {}.", "Charges of {} were reversed."),
    Step.FEES: ("Fees of {} were added.", "Fees of {} were reversed."),
    Step.INTEREST: ("Interest of {} was added.", "Interest of {} was reversed."),
    Step.BROUGHT_OVER: ("{} came over from an earlier balance.", "A credit of {} came over from before."),
    Step.INSURER_PAID: ("{payer} took back {}.", "{payer} has paid {}."),
    Step.WITH_INSURER: ("{payer} paid {} too much.", "{payer} should pay {}."),
    Step.TAKEN_OFF: ("An adjustment of {} was reversed.", "We took {} off."),
    Step.MOVED: ("{} was moved here.", "{} was moved to someone else or another visit."),
    Step.PAID: ("Payments of {} came back.", "You’ve paid {}."),
    Step.GIVEN_BACK: ("We refunded {}.", "{} of a refund was reversed."),
}
STILL_WITH_INSURER = "{payer} should still pay {}."


def sentence(account: Account, visit: LedgerView) -> str:
    """Why a ledger is open, as one says it to the patient: steps that add up to it to the cent, then the
    services that are open.
    """
    for_what = (
        f"{visit.first}’s {visit.title.lower()} on {day_words(visit.day, year=True)}"
        if visit.id
        else f"{visit.first}’s account"
    )
    steps, open_now = steps_said(visit), visit.open.patient
    if steps and steps[0].startswith("It "):
        told = [for_what + steps[0].removeprefix("It"), *steps[1:]]
    else:
        told = [f"This is about {for_what}.", *steps]
    if open_now < 0:
        told.append(f"That leaves a credit of {dollars(-open_now)}.")
    elif len(steps) > 1:
        told.append(f"The remaining {dollars(open_now)} is your share.")
    else:
        told.append(f"{'All of it' if steps else dollars(open_now)} is your share.")
    owed = {
        entry.line_id: entry.words
        for entry in visit.entries
        if entry.patient_cents > 0 and entry.line_id is not None
    }
    reasons = [
        f"{line.words} {dollars(line.open.patient)}{f' ({words})' if words else ''}"
        for line_id, words in owed.items()
        if (line := account.lines.get(line_id)) is not None and line.open.patient > 0
    ]
    if reasons and open_now > 0:
        told.append(f"It’s for {'; '.join(reasons[:4])}{' and more' if len(reasons) > 4 else ''}.")
    return " ".join(told)


def steps_said(visit: LedgerView) -> list[str]:
    """How the patient's open part of a ledger came about, a sentence a step."""
    payer = visit.claims[0].payer_name if visit.claims else "your plan"
    story = story_of([entry.entry for entry in visit.entries])
    said = []
    for step, cents in story.items():
        words = SAID[step][0 if cents > 0 else 1]
        if step == Step.WITH_INSURER and cents < 0 and Step.INSURER_PAID in story:
            words = STILL_WITH_INSURER
        said.append(words.format(dollars(abs(cents)), payer=_capital(payer)))
    return said


def _capital(words: str) -> str:
    return words[:1].upper() + words[1:]


def _entry(account: Account, visit: LedgerView, entry: NamedEntry) -> Why:
    """One entry: its parts, who made it and when, and what it pays or what pays it."""
    line = account.lines.get(entry.line_id or 0)
    rows = [Row("Patient", entry.patient_cents), Row("Insurance", entry.insurer_cents, True)]
    notes = [entry_words(account, entry)]
    held = [
        (account.lines[n], cents)
        for n, cents in held_by(entry.id, account.given).items()
        if n in account.lines
    ]
    if line is not None and entry.kind in RAISES:
        notes += _what_pays(account, line)
        notes.append(
            f"Due on it: {dollars(line.open.patient)} from the patient,"
            f" {dollars(line.open.insurer)} from insurance."
        )
    left = next((each.cents for each in account.credits if each.entry_id == entry.id), 0)
    if left:
        notes.append(f"{dollars(left)} of it isn’t applied yet.")
    notes.append(
        f"{KIND_WORDS[Kind(entry.kind)]} {entry.id}, {day_words(entry.day, year=True)},"
        f" by {entry.by_name or 'Zax'}."
    )
    rows = [row for row in rows if row.cents] or rows[:1]
    return Why(
        key=f"e{entry.id}",
        cents=entry.patient_cents + entry.insurer_cents,
        rows=rows,
        notes=notes,
        say="",
        entry=entry,
        line=line,
        pays=held,
        left=left,
    )


def _what_pays(account: Account, line: Line) -> list[str]:
    paid: dict[int, int] = {}
    for each in account.given:
        if each.line_id == line.id:
            paid[each.credit_id] = paid.get(each.credit_id, 0) + each.cents
    by_id = {entry.id: entry for visit in account.visits for entry in visit.entries}
    return [
        f"{dollars(cents)} of it: {by_id[n].words} {day_words(by_id[n].day, year=True)}."
        for n, cents in paid.items()
        if cents and n in by_id
    ]
