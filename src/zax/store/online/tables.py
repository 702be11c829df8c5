"""What patients ask for online, and how often somebody tried."""

from __future__ import annotations

from sqlalchemy import Column, Date, Index, String, Table

from zax.store.columns import flag_column, id_column, metadata, moment, number_column, ref, text_column

# A time asked for, from the moment a code is texted until a visit is made of it. `device` is the hash of the
# browser's own secret, `code` that of the code; `link` the secret of its page.
online_request = Table(
    "online_request",
    metadata,
    id_column(),
    text_column("device", 64),
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
    text_column("code", 64),
    moment("code_at"),
    number_column("code_tries"),
    ref("visit_id", "visit", nullable=True),
    Column("link", String(24), unique=True),
    moment("made_at"),
    moment("done_at", nullable=True),
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
