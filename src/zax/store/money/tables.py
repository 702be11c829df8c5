"""The tables of money: the journal and what hangs on it, how it was paid, plans, statements, products and the
close of the day.

Journal and allocations only grow. A ledger is a patient with a visit, or without one for what belongs to no
visit: products, fees, deposits, an opening balance.
"""

from __future__ import annotations

from sqlalchemy import Column, Computed, Date, ForeignKey, Index, Integer, String, Table, UniqueConstraint

from zax.store.columns import (
    cents_column,
    flag_column,
    id_column,
    metadata,
    moment,
    number_column,
    ref,
    text_column,
    version_column,
    words_list,
    words_map,
)

# A clinic's own way to be paid besides cash, check and card; `needs_number` asks for a number, as a check
# has one.
tender_kind = Table(
    "tender_kind",
    metadata,
    id_column(),
    text_column("words", 30),
    flag_column("needs_number"),
    flag_column("active", "1"),
    number_column("position"),
    version_column(),
)
# Why something is written off.
reason = Table(
    "reason",
    metadata,
    id_column(),
    text_column("words", 60),
    flag_column("active", "1"),
    number_column("position"),
    version_column(),
)
# A percentage off the patient's part: given by hand, or by itself to everybody with the flag.
discount = Table(
    "discount",
    metadata,
    id_column(),
    text_column("words", 60),
    number_column("percent"),
    ref("flag_id", "flag", nullable=True),
    flag_column("active", "1"),
    number_column("position"),
    version_column(),
)
# `tax` is in hundredths of a percent (825 is 8.25 %) on top of the price; `stock` counts pieces; `low` is
# when to order more.
product = Table(
    "product",
    metadata,
    id_column(),
    text_column("words", 60),
    text_column("code", 20),
    cents_column("price_cents"),
    number_column("tax"),
    Column("stock", Integer, nullable=False, server_default="0"),
    number_column("low"),
    flag_column("active", "1"),
    number_column("position"),
    version_column(),
)

# A card kept with the patient's word: the terminal's token stands for it, its number never comes here.
card_on_file = Table(
    "card_on_file",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    text_column("token", 64),
    text_column("ending", 4),
    text_column("expires", 5),
    moment("made_at"),
    ref("by_id", "user", nullable=True),
    moment("removed_at", nullable=True),
)
# What was paid in one go, whatever the tenders. `how` the receipt was wished: none, print, email.
# `change_cents` were given back in cash.
receipt = Table(
    "receipt",
    metadata,
    id_column(),
    Column("request_key", String(40), nullable=False, unique=True),
    ref("patient_id", "patient"),
    ref("site_id", "site"),
    Column("day", Date, nullable=False),
    moment("at"),
    ref("by_id", "user", nullable=True),
    text_column("how", 5, "none"),
    text_column("email", 120),
    cents_column("change_cents"),
)
# One tender of a receipt. `kind` is payment, refund, void or returned; the last three are negative and name
# the payment they are `of`. `asked_cents` is what the terminal was asked for; it may approve less.
# `keep_card` asks it for a token. `words` are the terminal's, or why money was refunded.
payment = Table(
    "payment",
    metadata,
    id_column(),
    Column("request_key", String(40), nullable=False, unique=True),
    ref("receipt_id", "receipt"),
    text_column("kind", 10, "payment"),
    ref("of_id", "payment", nullable=True),
    ref("patient_id", "patient"),
    ref("visit_id", "visit", nullable=True),
    ref("site_id", "site"),
    text_column("tender", 10),
    cents_column("cents"),
    cents_column("asked_cents"),
    text_column("check_number", 20),
    text_column("state", 10),
    text_column("card_ending", 4),
    ref("card_id", "card_on_file", nullable=True),
    flag_column("keep_card"),
    text_column("terminal_ref", 40),
    text_column("words", 200),
    Column("day", Date, nullable=False),
    moment("at"),
    ref("by_id", "user", nullable=True),
    Index("ix_payment_state", "state"),
    Index("ix_payment_site_id_day", "site_id", "day"),
)
# What a payment is for: a line, a visit as a whole, or (neither) a deposit on the patient's own ledger.
payment_part = Table(
    "payment_part",
    metadata,
    id_column(),
    ref("payment_id", "payment"),
    ref("patient_id", "patient"),
    ref("visit_id", "visit", nullable=True),
    ref("line_id", "charge_line", nullable=True),
    cents_column("cents"),
)

# `answer_id`: what a payer said of a claim, which this entry carries out. `of_id`: the credit that a refund
# or transfer draws on; for money that came by a transfer, the entry it left with.
journal = Table(
    "journal",
    metadata,
    id_column(),
    text_column("kind", 10),
    Column("day", Date, nullable=False),
    moment("at"),
    ref("by_id", "user", nullable=True),
    ref("site_id", "site"),
    ref("patient_id", "patient"),
    ref("visit_id", "visit", nullable=True),
    ref("line_id", "charge_line", nullable=True),
    ref("payment_id", "payment", nullable=True),
    ref("claim_id", "claim", nullable=True),
    ref("answer_id", "remit_claim", nullable=True),
    cents_column("patient_cents"),
    cents_column("insurer_cents"),
    text_column("words", 200),
    Column("reverses_id", Integer, ForeignKey("journal.id"), unique=True),
    ref("of_id", "journal", nullable=True),
    ref("reason_id", "reason", nullable=True),
    ref("discount_id", "discount", nullable=True),
    Index("ix_journal_site_id_day", "site_id", "day"),
)
allocation = Table(
    "allocation",
    metadata,
    id_column(),
    Column("credit_id", Integer, ForeignKey("journal.id"), nullable=False),
    ref("line_id", "charge_line"),
    ref("patient_id", "patient"),
    cents_column("cents"),
    moment("at"),
    ref("by_id", "user", nullable=True),
)

# `every` is week, fortnight or month; `count` installments from `first_day` on. What is paid of it is read
# from the journal.
payment_plan = Table(
    "payment_plan",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    cents_column("cents"),
    text_column("every", 10),
    number_column("count"),
    Column("first_day", Date, nullable=False),
    ref("card_id", "card_on_file", nullable=True),
    moment("made_at"),
    ref("made_by", "user"),
    moment("ended_at", nullable=True),
    text_column("why_ended", 120),
    version_column(),
)
plan_line = Table(
    "plan_line",
    metadata,
    Column("plan_id", Integer, ForeignKey("payment_plan.id"), primary_key=True, autoincrement=False),
    Column("line_id", Integer, ForeignKey("charge_line.id"), primary_key=True, autoincrement=False),
    cents_column("cents"),
)
# An installment for which the card on file was tried, once a day; what came of it its payment says, `state`
# and `words` only when none was made.
plan_try = Table(
    "plan_try",
    metadata,
    id_column(),
    ref("plan_id", "payment_plan"),
    number_column("number"),
    Column("day", Date, nullable=False),
    text_column("state", 10),
    text_column("words", 200),
    moment("at"),
    UniqueConstraint("plan_id", "number", "day"),
)

# A run of statements by a rule; `rule` as zax.core.money.statement reads it.
statement_run = Table(
    "statement_run",
    metadata,
    id_column(),
    words_map("rule"),
    Column("day", Date, nullable=False),
    Column("total", Integer, nullable=False, server_default="0"),
    Column("done", Integer, nullable=False, server_default="0"),
    text_column("state", 10, "waiting"),
    moment("made_at"),
    ref("by_id", "user"),
    moment("ended_at", nullable=True),
)
# A statement as it was made: the PDF lies in the file store under its SHA-256. `patient_id` is whom it is
# about when it is about one person. `way` is how it goes: on paper, or by a notice (email, text) behind whose
# `link` it is; `printed_at` when it went to the printer.
# The charges that bore interest in a month (its first day): each once.
interest_charged = Table(
    "interest_charged",
    metadata,
    Column("line_id", ForeignKey("charge_line.id"), primary_key=True),
    Column("month", Date, primary_key=True),
    Column("day", Date, nullable=False),
)
statement = Table(
    "statement",
    metadata,
    id_column(),
    ref("household_id", "household"),
    ref("patient_id", "patient", nullable=True),
    ref("run_id", "statement_run", nullable=True),
    Column("day", Date, nullable=False),
    cents_column("cents"),
    text_column("state", 10, "waiting"),
    text_column("digest", 64),
    Column("bytes", Integer, nullable=False, server_default="0"),
    moment("made_at"),
    ref("by_id", "user", nullable=True),
    text_column("way", 6, "paper"),
    Column("link", String(24), unique=True),
    moment("told_at", nullable=True),
    moment("opened_at", nullable=True),
    moment("printed_at", nullable=True),
    UniqueConstraint("run_id", "household_id"),
    Index("ix_statement_run_id_state", "run_id", "state"),
)

# Up to which day a site's books are closed. Whoever writes the journal holds its row shared, whoever closes
# holds it alone.
site_books = Table(
    "site_books",
    metadata,
    Column("site_id", Integer, ForeignKey("site.id"), primary_key=True, autoincrement=False),
    Column("closed_day", Date),
)
# A closed day: what was `counted` and `expected` by tender (cents), the pieces in the drawer, the checks in
# the bag, what was unfinished.
day_close = Table(
    "day_close",
    metadata,
    id_column(),
    ref("site_id", "site"),
    Column("day", Date, nullable=False),
    moment("at"),
    ref("by_id", "user"),
    words_map("expected"),
    words_map("counted"),
    words_map("pieces"),
    words_list("checks"),
    words_list("unfinished"),
    cents_column("float_cents"),
    cents_column("bank_cents"),
    cents_column("over_cents"),
    text_column("why", 200),
    Column("entries", Integer, nullable=False, server_default="0"),
    moment("slip_at", nullable=True),
    moment("reopened_at", nullable=True),
    ref("reopened_by_id", "user", nullable=True),
    text_column("reopened_why", 200),
    # One close of a day holds; those that were opened again stay.
    Column("held_day", Date, Computed("IF(reopened_at IS NULL, day, NULL)", persisted=True)),
    UniqueConstraint("site_id", "held_day"),
    Index("ix_day_close_site_id_day", "site_id", "day"),
)
