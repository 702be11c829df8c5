"""What patients do online: codes that prove a phone, times asked for, registrations, and how often somebody
tried.
"""

from __future__ import annotations

from sqlalchemy import Column, Date, Index, String, Table

from zax.store.columns import (
    flag_column,
    id_column,
    metadata,
    moment,
    number_column,
    ref,
    text_column,
    version_column,
    words_map,
)

# A code that was texted. `device` is the hash of the browser's own secret, `code` that of the code; `used_at`
# when it was typed right: it counts once.
online_code = Table(
    "online_code",
    metadata,
    id_column(),
    text_column("purpose", 12),
    text_column("device", 64),
    text_column("phone", 10),
    text_column("language", 2, "en"),
    text_column("code", 64),
    moment("code_at"),
    number_column("tries"),
    moment("used_at", nullable=True),
)
# A time asked for, from the moment a code is texted until a visit is made of it; `link` is the secret of its
# page.
online_request = Table(
    "online_request",
    metadata,
    id_column(),
    ref("code_id", "online_code"),
    ref("type_id", "visit_type"),
    ref("site_id", "site"),
    ref("provider_id", "provider"),
    Column("day", Date, nullable=False),
    number_column("start_min"),
    flag_column("been_here"),
    text_column("first", 60),
    text_column("last", 60),
    Column("birth", Date, nullable=False),
    text_column("phone", 10),
    text_column("message", 500),
    text_column("language", 2, "en"),
    ref("visit_id", "visit", nullable=True),
    Column("link", String(24), unique=True),
    moment("made_at"),
    moment("done_at", nullable=True),
)
# What somebody types about themselves before they come. `link` is the secret of its pages, none once it is
# stopped; `shown` what was on file when it was opened first, `pages` what was typed by page and field,
# `photos` by name the content in the file store (SHA-256); `taken` what the desk did with it, to be undone.
registration = Table(
    "registration",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("visit_id", "visit", nullable=True),
    Column("link", String(24), unique=True),
    text_column("state", 8, "open"),
    text_column("language", 2, "en"),
    text_column("proven_phone", 10),
    number_column("wrong_tries"),
    words_map("shown"),
    words_map("pages"),
    words_map("photos"),
    words_map("taken"),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    moment("opened_at", nullable=True),
    moment("saved_at", nullable=True),
    moment("sent_at", nullable=True),
    moment("done_at", nullable=True),
    ref("done_by", "user", nullable=True),
    version_column(),
    Index("ix_registration_state_sent_at", "state", "sent_at"),
    Index("ix_registration_patient_id_state", "patient_id", "state"),
)
# Who somebody says they are, until the code is typed: by name and birth date, or a patient who is known by
# a link or a password.
online_who = Table(
    "online_who",
    metadata,
    id_column(),
    ref("code_id", "online_code"),
    text_column("first", 60),
    text_column("last", 60),
    Column("birth", Date),
    ref("patient_id", "patient", nullable=True),
    moment("made_at"),
)
# Doctors elsewhere whom patients come from or go to.
outside_doctor = Table(
    "outside_doctor",
    metadata,
    id_column(),
    text_column("first", 60),
    text_column("last", 60),
    text_column("degree", 10),
    text_column("practice", 80),
    text_column("phone", 10),
    text_column("npi", 10),
    flag_column("active", "1"),
    version_column(),
)
# One row a try; `who` is the hash of an address or a number, so nobody's is kept.
online_try = Table(
    "online_try",
    metadata,
    id_column(),
    text_column("kind", 12),
    text_column("who", 64),
    moment("at"),
    Index("ix_online_try_kind_who_at", "kind", "who", "at"),
)
