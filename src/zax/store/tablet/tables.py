"""Check-in tablets, each locked to a site, and who stands at one."""

from __future__ import annotations

from sqlalchemy import Column, Index, String, Table

from zax.store.columns import id_column, metadata, moment, ref, text_column, words_map

# `secret` is the hash of what the tablet holds; `opened_at` when it was set up with it.
tablet = Table(
    "tablet",
    metadata,
    id_column(),
    text_column("name", 40),
    ref("site_id", "site"),
    Column("secret", String(64), nullable=False, unique=True),
    moment("opened_at", nullable=True),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    moment("ended_at", nullable=True),
)
# Somebody at a tablet, from finding themselves until they are done or walk away. `told` says by step what
# became of it.
tablet_stay = Table(
    "tablet_stay",
    metadata,
    id_column(),
    ref("tablet_id", "tablet"),
    ref("visit_id", "visit"),
    words_map("told"),
    moment("begun_at"),
    moment("used_at"),
    moment("ended_at", nullable=True),
    Index("ix_tablet_stay_tablet_id_ended_at", "tablet_id", "ended_at"),
)
