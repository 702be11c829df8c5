"""Payers, plans with their terms, contract fees, who is covered by what, and what payers answered."""

from __future__ import annotations

from sqlalchemy import Column, Date, ForeignKey, Index, Integer, SmallInteger, String, Table
from sqlalchemy.dialects.mysql import MEDIUMTEXT

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

payer = Table(
    "payer",
    metadata,
    id_column(),
    text_column("name", 80),
    text_column("electronic_id", 20),
    text_column("filing_indicator", 2),
    Column("filing_days", SmallInteger, nullable=False),
    text_column("kind", 10, "insurer"),
    text_column("eligibility", 6, "auto"),
    words_list("required"),
    text_column("phone", 10),
    number_column("appeal_days", "180"),
    flag_column("active", "1"),
    version_column(),
)
plan = Table(
    "plan",
    metadata,
    id_column(),
    ref("payer_id", "payer"),
    text_column("name", 80),
    flag_column("dental"),
    words_map("terms"),
    text_column("note", 200),
    flag_column("active", "1"),
    version_column(),
)
# With a flag it is no contract but a price list: what patients with that flag pay who have no insurance.
fee_schedule = Table(
    "fee_schedule",
    metadata,
    id_column(),
    text_column("name", 80),
    ref("payer_id", "payer", nullable=True),
    ref("plan_id", "plan", nullable=True),
    ref("provider_id", "provider", nullable=True),
    ref("flag_id", "flag", nullable=True),
    text_column("network", 3, "in"),
    Column("from_day", Date),
    Column("to_day", Date),
    moment("ended_at", nullable=True),
)
fee = Table(
    "fee",
    metadata,
    Column("schedule_id", Integer, ForeignKey("fee_schedule.id"), primary_key=True),
    Column("service_id", Integer, ForeignKey("service.id"), primary_key=True),
    cents_column("cents"),
)
out_of_network = Table(
    "out_of_network",
    metadata,
    Column("payer_id", Integer, ForeignKey("payer.id"), primary_key=True),
    Column("provider_id", Integer, ForeignKey("provider.id"), primary_key=True),
)
# `subscriber_id` is empty for a person outside, who then stands in `holder`. `elsewhere_*` is what other
# clinics used up in `elsewhere_year`.
coverage = Table(
    "coverage",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("plan_id", "plan"),
    ref("subscriber_id", "patient", nullable=True),
    text_column("relationship", 2, "18"),
    text_column("member_id", 30),
    text_column("member_key", 30),
    text_column("group_number", 30),
    Column("from_day", Date),
    Column("to_day", Date),
    number_column("rank", "1"),
    words_map("holder"),
    cents_column("elsewhere_deductible_cents"),
    cents_column("elsewhere_paid_cents"),
    number_column("elsewhere_year"),
    moment("checked_at", nullable=True),
    text_column("check_state", 10),
    version_column(),
    Index("ix_coverage_member_key", "member_key"),
    Index("ix_coverage_checked_at", "checked_at"),
)
# What a payer approved beforehand; `codes` are the services it is for (exact or D27*), none for all,
# `units` how many of them, none without a limit.
approval = Table(
    "approval",
    metadata,
    id_column(),
    ref("coverage_id", "coverage"),
    text_column("kind", 13),
    text_column("number", 50),
    words_list("codes"),
    Column("units", SmallInteger, nullable=True),
    Column("from_day", Date),
    Column("to_day", Date),
    text_column("note", 200),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    moment("ended_at", nullable=True),
)
# The clearinghouse's list of payers as it was last fetched; a run that is under way writes its rows as they
# come, and takes away those it did not find once it has ended.
payer_list_run = Table(
    "payer_list_run",
    metadata,
    id_column(),
    text_column("state", 10, "running"),
    Column("total", Integer, nullable=False, server_default="0"),
    text_column("words", 255),
    moment("at"),
    moment("ended_at", nullable=True),
)
listed_payer = Table(
    "listed_payer",
    metadata,
    Column("id", String(20), primary_key=True),
    ref("run_id", "payer_list_run"),
    text_column("name", 80),
    words_list("also"),
    words_list("takes"),
    words_list("enroll"),
)
eligibility_batch = Table(
    "eligibility_batch",
    metadata,
    id_column(),
    moment("at"),
    ref("by_id", "user", nullable=True),
    Column("first_day", Date, nullable=False),
    Column("last_day", Date, nullable=False),
    Column("total", Integer, nullable=False, server_default="0"),
    Column("run_key", String(40), nullable=False, unique=True),
)
# One question to a payer and its answer as they went over the wire; `state` is asking, fine, problem or
# failed.
eligibility_check = Table(
    "eligibility_check",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("coverage_id", "coverage"),
    ref("visit_id", "visit", nullable=True),
    ref("batch_id", "eligibility_batch", nullable=True),
    Column("trace", String(30), nullable=False, unique=True),
    Column("day", Date, nullable=False),
    text_column("state", 10, "asking"),
    text_column("words", 255),
    moment("at"),
    ref("by_id", "user", nullable=True),
    moment("answered_at", nullable=True),
    Column("question", MEDIUMTEXT, nullable=False),
    Column("answer", MEDIUMTEXT),
    moment("handled_at", nullable=True),
    ref("handled_by", "user", nullable=True),
    Index("ix_eligibility_check_state_handled_at", "state", "handled_at"),
)
