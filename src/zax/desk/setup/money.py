"""Changing what the clinic sets about money: one act for each kind of row, one for the habits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, TypeAlias

from zax.core.errors import ProblemCollector, Refused
from zax.core.form import Form, Tick, a_number_or, typed
from zax.core.json import Json
from zax.core.money.adjust import NO_LIMIT
from zax.core.money.drawer import counted_amount
from zax.core.reading import needed_number, whole_number
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.money import setup

_UNLIMITED = {"", "no limit", "none", "any"}


@act("setup")
def save_tender(
    tx: Transaction, tender_id: int, version: int, words: str, needs_number: bool, active: bool
) -> None:
    kept = _words(words, 30)
    setup.keep_tender_kind(
        tx.connection, tender_id, version, words=kept, needs_number=needs_number, active=active
    )
    tx.change_setup("setup.tender", words=kept)


@act("setup")
def save_reason(tx: Transaction, reason_id: int, version: int, words: str, active: bool) -> None:
    kept = _words(words, 60)
    setup.keep_reason(tx.connection, reason_id, version, words=kept, active=active)
    tx.change_setup("setup.reason", words=kept)


@act("setup")
def save_discount(
    tx: Transaction,
    discount_id: int,
    version: int,
    words: str,
    percent: str,
    flag_id: int | None,
    active: bool,
) -> None:
    wrong = ProblemCollector()
    kept = wrong.take(_words, words, 60)
    share = wrong.take(needed_number, percent, "percent", 1, 100, "A whole percentage from 1 to 100.")
    if flag_id is not None and flag_id not in tx.clinic.flags:
        wrong.add("flag_id", "Choose a flag from the list.")
    wrong.raise_if_any()
    assert kept is not None and share is not None
    setup.keep_discount(
        tx.connection, discount_id, version, words=kept, percent=share, flag_id=flag_id, active=active
    )
    tx.change_setup("setup.discount", words=kept)


def _percent(text: str, field: str) -> int:
    """'8.25' -> 825 hundredths of a percent."""
    share = counted_amount(text, field)
    if share > 10_000:
        raise Refused("At most 100 percent.", field)
    return share


Pieces: TypeAlias = Annotated[int, a_number_or(0, 0, 99_999, "A whole number, 0 or more.")]


class ProductForm(Form):
    """A product; `tax` in hundredths of a percent (typed as 8.25). A stock is never below nothing."""

    words: Annotated[str, typed(lambda text, _: _words(text, 60))]
    code: str = ""
    price: Annotated[int, typed(counted_amount)]
    tax: Annotated[int, typed(_percent)]
    stock: Pieces
    low: Pieces
    active: Tick = False


@act("setup")
def save_product(tx: Transaction, product_id: int, version: int, form: ProductForm) -> None:
    values = {
        "words": form.words,
        "code": form.code.strip()[:20],
        "price_cents": form.price,
        "tax": form.tax,
        "stock": form.stock,
        "low": form.low,
        "active": form.active,
    }
    setup.keep_product(tx.connection, product_id, version, values)
    tx.change_setup("setup.product", words=form.words, stock=form.stock)


@act("setup")
def save_habits(tx: Transaction, typed: Mapping[str, str]) -> None:
    """Fees, interest, the float and the limit of every role; an empty limit is none."""
    wrong = ProblemCollector()
    kept: Json = {
        "returned_fee": wrong.take(counted_amount, typed.get("returned_fee", ""), "returned_fee"),
        "drawer_float": wrong.take(counted_amount, typed.get("drawer_float", ""), "drawer_float"),
        "interest": wrong.take(_percent, typed.get("interest", ""), "interest"),
        "interest_after": wrong.take(_whole, typed.get("interest_after", ""), "interest_after"),
    }
    for role in tx.clinic.role_words:
        text = typed.get(f"limit_{role}", "").strip()
        kept[f"limit_{role}"] = (
            NO_LIMIT if text.lower() in _UNLIMITED else wrong.take(counted_amount, text, f"limit_{role}")
        )
    wrong.raise_if_any()
    for name, value in kept.items():
        tx.keep_setting(name, value)
    tx.change_setup("setup.money", **kept)


def _words(text: str, most: int) -> str:
    words = " ".join(text.split())
    if not words or len(words) > most:
        raise Refused(f"Give it a name of at most {most} letters.", "words")
    return words


def _whole(text: str, field: str) -> int:
    return whole_number(text, field, 0, 99_999, "A whole number, 0 or more.")
