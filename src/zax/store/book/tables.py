"""Visits with their track and staff slots, the shelf, the waitlist, and the rows that two desks lock."""

from __future__ import annotations

from sqlalchemy import JSON, Column, Computed, Date, ForeignKey, Index, Integer, SmallInteger, String, Table

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
)

# `late_min`: how late the patient said they would be.
# A visit of no minutes was entered afterwards (`desk.charges.afterwards`): it stands on no Book.
visit = Table(
    "visit",
    metadata,
    id_column(),
    ref("site_id", "site"),
    ref("patient_id", "patient"),
    ref("provider_id", "provider"),
    ref("room_id", "room"),
    ref("type_id", "visit_type"),
    Column("day", Date, nullable=False),
    Column("start_min", SmallInteger, nullable=False),
    Column("minutes", SmallInteger, nullable=False),
    text_column("note", 500),
    text_column("state", 10),
    version_column(),
    Column("request_key", String(40), unique=True),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    number_column("buffer_min"),
    number_column("late_min"),
    moment("held_until", nullable=True),
    text_column("web_message", 500),
    text_column("off_why", 10),
    ref("stage_id", "stage", nullable=True),
    moment("gone_at", nullable=True),
    Index("ix_visit_day_site_id", "day", "site_id"),
    # Weeks of one site among many, as the search for openings reads them.
    Index("ix_visit_site_id_day", "site_id", "day"),
    Index("ix_visit_made_at", "made_at"),
    Index("ix_visit_state_site_id", "state", "site_id"),
    Index("ix_visit_patient_id_state_off_why", "patient_id", "state", "off_why"),
)
staff_slot = Table(
    "staff_slot",
    metadata,
    id_column(),
    ref("visit_id", "visit"),
    ref("provider_id", "provider"),
    Column("day", Date, nullable=False),
    Column("start_min", SmallInteger, nullable=False),
    Column("end_min", SmallInteger, nullable=False),
    text_column("words", 20),
    Index("ix_staff_slot_provider_id_day", "provider_id", "day"),
)
track_move = Table(
    "track_move",
    metadata,
    id_column(),
    ref("visit_id", "visit"),
    text_column("from_stop", 10),
    text_column("to_stop", 10),
    moment("at"),
    ref("by_id", "user", nullable=True),
    text_column("reason", 200),
    Index("ix_track_move_to_stop_at", "to_stop", "at"),
)
# What happens between here and checkout, in the clinic's own words; `whose` says who acts next (see
# zax.core.arrivals.stages).
stage = Table(
    "stage",
    metadata,
    id_column(),
    text_column("name", 40),
    text_column("whose", 10),
    flag_column("dental"),
    Column("position", SmallInteger, nullable=False),
    flag_column("active", "1"),
)
# A row each time somebody on the premises changes room or stage; no room is the waiting room. Time in each is
# computed from these.
whereabouts = Table(
    "whereabouts",
    metadata,
    id_column(),
    ref("visit_id", "visit"),
    ref("room_id", "room", nullable=True),
    ref("stage_id", "stage", nullable=True),
    moment("at"),
    ref("by_id", "user", nullable=True),
    text_column("words", 200),
)
# The shelf: who has a visit in hand; `shared` lets everybody place it.
shelf = Table(
    "shelf",
    metadata,
    Column("visit_id", Integer, ForeignKey("visit.id"), primary_key=True, autoincrement=False),
    ref("user_id", "user"),
    flag_column("shared"),
    text_column("was", 10),
    text_column("words", 120),
    moment("at"),
    Index("ix_shelf_user_id_at", "user_id", "at"),
)
# The waitlist: a row a reason. `open_key` makes a reason of a person open only once.
waiting = Table(
    "waiting",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    text_column("why", 8),
    ref("site_id", "site"),
    ref("visit_id", "visit", nullable=True),
    ref("type_id", "visit_type"),
    Column("minutes", SmallInteger, nullable=False),
    ref("provider_id", "provider", nullable=True),
    cents_column("value_cents"),
    text_column("note", 200),
    moment("since_at"),
    moment("asked_at"),
    text_column("last_try", 120),
    moment("ended_at", nullable=True),
    ref("ended_by", "user", nullable=True),
    text_column("ended_why", 200),
    Column(
        "open_key",
        String(40),
        Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', why, '-', type_id), NULL)", persisted=True),
        unique=True,
    ),
    Index("ix_waiting_ended_at_site_id", "ended_at", "site_id"),
)
# What a person did on the Book, with what it was like before, so that it can be undone.
book_act = Table(
    "book_act",
    metadata,
    id_column(),
    ref("by_id", "user", nullable=True),
    moment("at"),
    text_column("words", 200),
    Column("detail", JSON, nullable=False),
    moment("undone_at", nullable=True),
    Index("ix_book_act_by_id_at", "by_id", "at"),
)
provider_day = Table(
    "provider_day",
    metadata,
    Column("provider_id", Integer, primary_key=True, autoincrement=False),
    Column("day", Date, primary_key=True),
    Column("version", Integer, nullable=False, server_default="0"),
)
room_day = Table(
    "room_day",
    metadata,
    Column("room_id", Integer, primary_key=True, autoincrement=False),
    Column("day", Date, primary_key=True),
    Column("version", Integer, nullable=False, server_default="0"),
)
