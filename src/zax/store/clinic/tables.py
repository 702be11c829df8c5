"""The clinic as it set itself up: sites, rooms, providers and their hours, services, visit types."""

from __future__ import annotations

from sqlalchemy import JSON, Column, Date, ForeignKey, Index, Integer, SmallInteger, String, Table
from sqlalchemy.dialects.mysql import DATETIME

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
)

setting = Table(
    "setting", metadata, Column("name", String(60), primary_key=True), Column("value", JSON, nullable=False)
)
site = Table(
    "site",
    metadata,
    id_column(),
    text_column("name", 80),
    text_column("timezone", 60),
    text_column("street", 80),
    text_column("city", 60),
    text_column("state", 2),
    text_column("zip", 10),
    text_column("phone", 10),
    Column("opens_min", SmallInteger, nullable=False),
    Column("closes_min", SmallInteger, nullable=False),
    Column("grid_minutes", SmallInteger, nullable=False),
    text_column("place", 2, "11"),
)
room = Table(
    "room",
    metadata,
    id_column(),
    ref("site_id", "site"),
    text_column("name", 40),
    flag_column("dental"),
    Column("position", SmallInteger, nullable=False),
    words_list("equipment"),
    flag_column("active", "1"),
)
provider = Table(
    "provider",
    metadata,
    id_column(),
    text_column("first", 60),
    text_column("last", 60),
    text_column("name", 80),
    text_column("short", 40),
    text_column("role", 20),
    flag_column("dental"),
    text_column("npi", 10),
    text_column("taxonomy", 10),
    ref("room_id", "room"),
    Column("position", SmallInteger, nullable=False),
    number_column("at_once", "1"),
    Column("left_on", Date),
)
provider_hours = Table(
    "provider_hours",
    metadata,
    id_column(),
    ref("provider_id", "provider"),
    ref("site_id", "site"),
    Column("weekday", SmallInteger, nullable=False),
    Column("start_min", SmallInteger, nullable=False),
    Column("end_min", SmallInteger, nullable=False),
    text_column("pattern", 8, "every"),
    Column("from_day", Date),
    Column("to_day", Date),
    text_column("rest", 40),
    Column("counted_from", Date),
)
provider_exception = Table(
    "provider_exception",
    metadata,
    id_column(),
    ref("provider_id", "provider"),
    ref("site_id", "site", nullable=True),
    Column("from_day", Date, nullable=False),
    Column("to_day", Date, nullable=False),
    Column("start_min", SmallInteger, nullable=False),
    Column("end_min", SmallInteger, nullable=False),
    flag_column("extra"),
    text_column("words", 80),
    moment("ended_at", nullable=True),
)
# `starts` and `ends` are the site's wall clock.
closure = Table(
    "closure",
    metadata,
    id_column(),
    ref("site_id", "site", nullable=True),
    Column("starts", DATETIME, nullable=False),
    Column("ends", DATETIME, nullable=False),
    text_column("words", 80),
    moment("ended_at", nullable=True),
    Index("ix_closure_ends", "ends"),
)
service = Table(
    "service",
    metadata,
    id_column(),
    Column("code", String(8), nullable=False, unique=True),
    text_column("words", 120),
    flag_column("dental"),
    text_column("category", 20),
    cents_column("fee_cents"),
    flag_column("needs_tooth"),
    Column("surfaces", SmallInteger, nullable=False, server_default="0"),
    text_column("teeth", 10),
    text_column("area", 8),
    Column("retired_on", Date),
    number_column("usual_units", "1"),
    text_column("usual_modifiers", 11),
    text_column("usual_diagnosis", 8),
    text_column("ndc", 11),
    text_column("ndc_quantity", 10),
    text_column("ndc_unit", 2),
    text_column("taxonomy", 10),
    flag_column("lab"),
)
# Fees that hold from a day on; `ended_at` when they came to hold, or were dropped.
planned_fee = Table(
    "planned_fee",
    metadata,
    id_column(),
    ref("service_id", "service"),
    Column("from_day", Date, nullable=False),
    cents_column("cents"),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    moment("ended_at", nullable=True),
)
visit_type = Table(
    "visit_type",
    metadata,
    id_column(),
    text_column("name", 60),
    flag_column("dental"),
    Column("minutes", SmallInteger, nullable=False),
    text_column("role", 20),
    Column("position", SmallInteger, nullable=False),
    words_list("staff_needs"),
    words_list("lead_parts"),
    words_list("hours"),
    words_list("equipment"),
    words_list("room_ids"),
    number_column("buffer_min"),
    number_column("most_a_day"),
    number_column("goal_a_day"),
    number_column("ask_after_days", "60"),
    text_column("for_whom", 8, "all"),
    text_column("web", 8, "no"),
    text_column("web_words", 60),
    text_column("web_note", 120),
    cents_column("deposit_cents"),
    flag_column("doubles"),
    ref("set_id", "service_set", nullable=True),
    flag_column("active", "1"),
    version_column(),
)
service_set = Table(
    "service_set",
    metadata,
    id_column(),
    text_column("name", 60),
    flag_column("dental"),
    Column("position", SmallInteger, nullable=False),
    flag_column("active", "1"),
)
service_set_line = Table(
    "service_set_line",
    metadata,
    Column("set_id", Integer, ForeignKey("service_set.id"), primary_key=True),
    Column("service_id", Integer, ForeignKey("service.id"), primary_key=True),
    Column("position", SmallInteger, nullable=False),
)
visit_type_service = Table(
    "visit_type_service",
    metadata,
    Column("type_id", Integer, ForeignKey("visit_type.id"), primary_key=True),
    Column("service_id", Integer, ForeignKey("service.id"), primary_key=True),
    Column("position", SmallInteger, nullable=False),
)
