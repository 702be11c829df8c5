"""The check-in list and what was done of it, forms and what was signed, heads-ups."""

from __future__ import annotations

from sqlalchemy import Column, Computed, Date, Index, Integer, SmallInteger, String, Table

from zax.store.columns import (
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

# A form in the clinic's own words; `blocks` as zax.core.arrivals.forms reads them.
form_template = Table(
    "form_template",
    metadata,
    id_column(),
    text_column("name", 80),
    words_list("blocks"),
    number_column("again_months"),
    flag_column("active", "1"),
    version_column(),
)
# What was signed, as it was signed. Rows are only added; the PDF lies in the file store under its SHA-256.
signed_form = Table(
    "signed_form",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("visit_id", "visit", nullable=True),
    ref("template_id", "form_template", nullable=True),
    Column("template_version", Integer, nullable=False, server_default="0"),
    ref("proposal_id", "proposal", nullable=True),
    text_column("name", 80),
    words_map("answers"),
    text_column("signer", 80),
    text_column("relation", 30),
    moment("at"),
    ref("by_id", "user", nullable=True),
    text_column("digest", 64),
    Column("bytes", Integer, nullable=False),
)
# The clinic's check-in list. `for_whom` limits a step: new patients, flags, visit types, once a year.
arrival_step = Table(
    "arrival_step",
    metadata,
    id_column(),
    text_column("kind", 12),
    text_column("words", 80),
    text_column("note", 300),
    flag_column("required"),
    words_map("for_whom"),
    ref("template_id", "form_template", nullable=True),
    Column("position", SmallInteger, nullable=False),
    flag_column("active", "1"),
)
arrival_done = Table(
    "arrival_done",
    metadata,
    id_column(),
    ref("visit_id", "visit"),
    ref("patient_id", "patient"),
    ref("step_id", "arrival_step"),
    text_column("how", 8),
    text_column("note", 200),
    moment("at"),
    ref("by_id", "user", nullable=True),
    moment("undone_at", nullable=True),
    Column(
        "open_key",
        String(24),
        Computed("IF(undone_at IS NULL, CONCAT(visit_id, '-', step_id), NULL)", persisted=True),
        unique=True,
    ),
    Index("ix_arrival_done_patient_id_step_id", "patient_id", "step_id"),
)
# A message with its conditions (see zax.core.arrivals.conditions) and the places where it shows.
headsup = Table(
    "headsup",
    metadata,
    id_column(),
    text_column("words", 160),
    text_column("todo", 160),
    words_map("condition"),
    words_list("places"),
    flag_column("warns"),
    flag_column("active", "1"),
    Column("position", SmallInteger, nullable=False),
    version_column(),
)
headsup_dismissal = Table(
    "headsup_dismissal",
    metadata,
    id_column(),
    ref("headsup_id", "headsup"),
    ref("patient_id", "patient"),
    ref("visit_id", "visit", nullable=True),
    Column("day", Date, nullable=False),
    moment("at"),
    ref("by_id", "user"),
    moment("undone_at", nullable=True),
    Index("ix_headsup_dismissal_patient_id_day", "patient_id", "day"),
)
