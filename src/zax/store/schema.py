"""Every table of Zax. Money is integer cents; `*_at` is UTC; `day` and `*_min` (minutes from midnight) are the site's wall clock.

Nothing that people entered is deleted: rows end, are reversed or removed with a time. Journal, track and audit only grow.
"""

from __future__ import annotations

from sqlalchemy import (
    JSON,
    Column,
    Computed,
    Date,
    ForeignKey,
    Index,
    Integer,
    SmallInteger,
    String,
    Table,
    Text,
    UniqueConstraint,
)
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMTEXT

from zax.store.columns import cents_column as _cents
from zax.store.columns import flag_column as _flag
from zax.store.columns import id_column as _id
from zax.store.columns import metadata
from zax.store.columns import moment as _moment
from zax.store.columns import number_column as _number
from zax.store.columns import ref as _ref
from zax.store.columns import text_column as _text
from zax.store.columns import words_list as _words_list
from zax.store.columns import words_map as _words_map
from zax.store.money_tables import (
    allocation,
    card_on_file,
    day_close,
    discount,
    journal,
    payment,
    payment_part,
    payment_plan,
    plan_line,
    plan_try,
    product,
    reason,
    receipt,
    site_books,
    statement,
    statement_run,
    tender_kind,
)

__all__ = [
    "allocation", "card_on_file", "day_close", "discount", "journal", "metadata", "payment", "payment_part", "payment_plan", "plan_line", "plan_try",
    "product", "reason", "receipt", "site_books", "statement", "statement_run", "tender_kind",
]  # fmt: skip

# --- setup ---------------------------------------------------------------------------------------------------------
setting = Table(
    "setting", metadata, Column("name", String(60), primary_key=True), Column("value", JSON, nullable=False)
)
site = Table(
    "site", metadata, _id(), _text("name", 80), _text("timezone", 60), _text("street", 80), _text("city", 60),
    _text("state", 2), _text("zip", 10), _text("phone", 10), Column("opens_min", SmallInteger, nullable=False),
    Column("closes_min", SmallInteger, nullable=False), Column("grid_minutes", SmallInteger, nullable=False), _text("place", 2, "11"),
)  # fmt: skip
room = Table(
    "room",
    metadata,
    _id(),
    _ref("site_id", "site"),
    _text("name", 40),
    _flag("dental"),
    Column("position", SmallInteger, nullable=False),
    _words_list("equipment"),
    _flag("active", "1"),
)
provider = Table(
    "provider", metadata, _id(), _text("first", 60), _text("last", 60), _text("name", 80), _text("short", 40), _text("role", 20),
    _flag("dental"), _text("npi", 10), _text("taxonomy", 10), _ref("room_id", "room"), Column("position", SmallInteger, nullable=False),
    _number("at_once", "1"),
)  # fmt: skip
provider_hours = Table(
    "provider_hours", metadata, _id(), _ref("provider_id", "provider"), _ref("site_id", "site"),
    Column("weekday", SmallInteger, nullable=False), Column("start_min", SmallInteger, nullable=False),
    Column("end_min", SmallInteger, nullable=False), _text("pattern", 8, "every"), Column("from_day", Date), Column("to_day", Date),
    _text("rest", 40),
)  # fmt: skip
provider_exception = Table(
    "provider_exception", metadata, _id(), _ref("provider_id", "provider"), _ref("site_id", "site", nullable=True), Column("from_day", Date, nullable=False),
    Column("to_day", Date, nullable=False), Column("start_min", SmallInteger, nullable=False), Column("end_min", SmallInteger, nullable=False),
    _flag("extra"), _text("words", 80), _moment("ended_at", nullable=True),
)  # fmt: skip
# `starts` and `ends` are the site's wall clock.
closure = Table(
    "closure", metadata, _id(), _ref("site_id", "site", nullable=True), Column("starts", DATETIME, nullable=False), Column("ends", DATETIME, nullable=False),
    _text("words", 80), _moment("ended_at", nullable=True), Index("ix_closure_ends", "ends"),
)  # fmt: skip
service = Table(
    "service", metadata, _id(), Column("code", String(8), nullable=False, unique=True), _text("words", 120), _flag("dental"),
    _text("category", 20), _cents("fee_cents"), _flag("needs_tooth"), Column("surfaces", SmallInteger, nullable=False, server_default="0"),
    _text("teeth", 10), _text("area", 8), Column("retired_on", Date),
)  # fmt: skip
visit_type = Table(
    "visit_type", metadata, _id(), _text("name", 60), _flag("dental"), Column("minutes", SmallInteger, nullable=False),
    _text("role", 20), Column("position", SmallInteger, nullable=False), _words_list("staff_needs"), _words_list("lead_parts"), _words_list("hours"),
    _words_list("equipment"), _words_list("room_ids"), _number("buffer_min"), _number("most_a_day"), _number("goal_a_day"), _number("ask_after_days", "60"),
    _text("for_whom", 8, "all"), _text("web", 8, "no"), _flag("doubles"), _ref("set_id", "service_set", nullable=True), _flag("active", "1"), _number("recall_months"),
    Column("version", Integer, nullable=False, server_default="1"),
)  # fmt: skip
service_set = Table(
    "service_set", metadata, _id(), _text("name", 60), _flag("dental"), Column("position", SmallInteger, nullable=False), _flag("active", "1"),
)  # fmt: skip
service_set_line = Table(
    "service_set_line", metadata, Column("set_id", Integer, ForeignKey("service_set.id"), primary_key=True),
    Column("service_id", Integer, ForeignKey("service.id"), primary_key=True), Column("position", SmallInteger, nullable=False),
)  # fmt: skip
visit_type_service = Table(
    "visit_type_service", metadata, Column("type_id", Integer, ForeignKey("visit_type.id"), primary_key=True),
    Column("service_id", Integer, ForeignKey("service.id"), primary_key=True), Column("position", SmallInteger, nullable=False),
)  # fmt: skip
diagnosis_code = Table(
    "diagnosis_code", metadata, Column("code", String(8), primary_key=True), _text("words", 255), _flag("billable"),
    Index("ft_diagnosis_code_words", "words", mysql_prefix="FULLTEXT"),
)  # fmt: skip

# --- people and access ---------------------------------------------------------------------------------------------
user = Table(
    "user", metadata, _id(), Column("sign_in", String(40), nullable=False, unique=True), _text("name", 80), _text("role", 20),
    _text("password_hash", 200), _ref("provider_id", "provider", nullable=True), _flag("active", "1"),
)  # fmt: skip
sign_in_try = Table(
    "sign_in_try", metadata, _id(), _text("sign_in", 40), _text("address", 45), _moment("at"),
    Index("ix_sign_in_try_at", "at"),
)  # fmt: skip
# The last word of a name of several, so that 'cruz' finds 'de la Cruz'; empty for most people.
_TAIL = "IF({0} REGEXP '[ -]', SUBSTRING_INDEX(REPLACE({0}, '-', ' '), ' ', -1), NULL)"
household = Table("household", metadata, _id(), _text("name", 80))
patient = Table(
    "patient", metadata, _id(), _ref("household_id", "household"), _flag("guarantor"), _text("first", 60), _text("last", 60),
    _text("first_key", 60), _text("last_key", 60), Column("birth", Date), _text("sex", 1), _text("phone", 10),
    Column("phone_end", String(7), Computed("RIGHT(phone, 7)", persisted=True)),
    Column("phone_tail", String(4), Computed("RIGHT(phone, 4)", persisted=True)), _text("email", 120),
    _text("street", 80), _text("city", 60), _text("state", 2), _text("zip", 10), _text("alert", 80), _text("status", 10, "active"),
    _number("likes"), _number("never"), _moment("made_at"), Column("version", Integer, nullable=False, server_default="1"),
    Column("chart", String(12), unique=True), _text("used_name", 60), _text("pronouns", 20), _text("home_phone", 10), _text("work_phone", 10),
    _text("texts_to", 5, "phone"), _text("language", 30), _text("employer", 80), _text("emergency_name", 80), _text("emergency_phone", 10),
    _text("emergency_relation", 30), _text("mail_street", 80), _text("mail_city", 60), _text("mail_state", 2), _text("mail_zip", 10),
    _text("ssn_cipher", 200), _words_map("reach"), _text("photo", 64), Column("died_on", Date), Column("merged_into_id", Integer, ForeignKey("patient.id")),
    _text("first_sound", 12), _text("last_sound", 12),
    Column("last_tail", String(60), Computed(_TAIL.format("last_key"), persisted=True)), Column("first_tail", String(60), Computed(_TAIL.format("first_key"), persisted=True)),
    Column("home_end", String(7), Computed("RIGHT(home_phone, 7)", persisted=True)), Column("work_end", String(7), Computed("RIGHT(work_phone, 7)", persisted=True)),
    Index("ix_patient_last_key_first_key", "last_key", "first_key"), Index("ix_patient_first_key_last_sound", "first_key", "last_sound"),
    Index("ix_patient_phone", "phone"), Index("ix_patient_phone_end", "phone_end"), Index("ix_patient_phone_tail", "phone_tail"),
    Index("ix_patient_birth_last_sound", "birth", "last_sound"), Index("ix_patient_last_sound_first_sound", "last_sound", "first_sound"),
    Index("ix_patient_home_phone", "home_phone"), Index("ix_patient_work_phone", "work_phone"), Index("ix_patient_home_end", "home_end"), Index("ix_patient_work_end", "work_end"),
    Index("ix_patient_used_name", "used_name"), Index("ix_patient_last_tail_first_key", "last_tail", "first_key"), Index("ix_patient_first_tail_last_key", "first_tail", "last_key"),
)  # fmt: skip
# Numbers that a merge left behind; they still find the person.
patient_alias = Table(
    "patient_alias", metadata, Column("number", String(12), primary_key=True), _ref("patient_id", "patient")
)
flag = Table(
    "flag",
    metadata,
    _id(),
    _text("words", 40),
    _flag("warns"),
    _flag("active", "1"),
    Column("position", SmallInteger, nullable=False),
)
patient_flag = Table(
    "patient_flag", metadata, _id(), _ref("patient_id", "patient"), _ref("flag_id", "flag"), _moment("at"), _ref("by_id", "user", nullable=True),
    _moment("ended_at", nullable=True),
    Column("open_key", String(24), Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', flag_id), NULL)", persisted=True), unique=True),
)  # fmt: skip
patient_note = Table(
    "patient_note", metadata, _id(), _ref("patient_id", "patient"), _text("words", 500), _flag("pinned"), Column("until_day", Date), _moment("at"),
    _ref("by_id", "user", nullable=True), _moment("ended_at", nullable=True), _ref("ended_by", "user", nullable=True),
)  # fmt: skip
# What is kept of a patient on paper; `digest` names the content in the file store (SHA-256).
patient_file = Table(
    "patient_file", metadata, _id(), _ref("patient_id", "patient"), _ref("coverage_id", "coverage", nullable=True), _text("kind", 12), _text("name", 120),
    _text("digest", 64), _text("media", 20), Column("bytes", Integer, nullable=False), _moment("at"), _ref("by_id", "user", nullable=True),
    _moment("ended_at", nullable=True), _ref("ended_by", "user", nullable=True),
)  # fmt: skip
# Two people somebody looked at and found to be two: lower id first.
not_same = Table(
    "not_same", metadata, Column("low_id", Integer, ForeignKey("patient.id"), primary_key=True, autoincrement=False),
    Column("high_id", Integer, ForeignKey("patient.id"), primary_key=True, autoincrement=False), _moment("at"), _ref("by_id", "user"),
)  # fmt: skip
import_job = Table(
    "import_job", metadata, _id(), _text("name", 120), _text("digest", 64), _words_map("columns"), _text("state", 10, "new"), _flag("dry", "1"),
    Column("total", Integer, nullable=False, server_default="0"), Column("done", Integer, nullable=False, server_default="0"),
    Column("made", Integer, nullable=False, server_default="0"), Column("known", Integer, nullable=False, server_default="0"),
    Column("refused", Integer, nullable=False, server_default="0"), _text("words", 255), _moment("at"), _ref("by_id", "user", nullable=True),
    _moment("finished_at", nullable=True),
)  # fmt: skip
import_row = Table(
    "import_row", metadata, Column("job_id", Integer, ForeignKey("import_job.id"), primary_key=True, autoincrement=False),
    Column("line", Integer, primary_key=True, autoincrement=False), _text("outcome", 8), _text("why", 255), Column("patient_id", Integer),
)  # fmt: skip

# --- coverage ------------------------------------------------------------------------------------------------------
payer = Table(
    "payer", metadata, _id(), _text("name", 80), _text("electronic_id", 20), _text("filing_indicator", 2),
    Column("filing_days", SmallInteger, nullable=False), _text("kind", 10, "insurer"), _text("eligibility", 6, "auto"), _words_list("required"),
    _text("phone", 10), _flag("active", "1"), Column("version", Integer, nullable=False, server_default="1"),
)  # fmt: skip
plan = Table(
    "plan", metadata, _id(), _ref("payer_id", "payer"), _text("name", 80), _flag("dental"), _words_map("terms"), _text("note", 200), _flag("active", "1"),
    Column("version", Integer, nullable=False, server_default="1"),
)  # fmt: skip
fee_schedule = Table(
    "fee_schedule", metadata, _id(), _text("name", 80), _ref("payer_id", "payer", nullable=True), _ref("plan_id", "plan", nullable=True),
    _ref("provider_id", "provider", nullable=True), _text("network", 3, "in"), Column("from_day", Date), Column("to_day", Date), _moment("ended_at", nullable=True),
)  # fmt: skip
fee = Table(
    "fee", metadata, Column("schedule_id", Integer, ForeignKey("fee_schedule.id"), primary_key=True),
    Column("service_id", Integer, ForeignKey("service.id"), primary_key=True), _cents("cents"),
)  # fmt: skip
out_of_network = Table(
    "out_of_network", metadata, Column("payer_id", Integer, ForeignKey("payer.id"), primary_key=True),
    Column("provider_id", Integer, ForeignKey("provider.id"), primary_key=True),
)  # fmt: skip
# `subscriber_id` is empty for a person outside, who then stands in `holder`. `elsewhere_*` is what other clinics used up in `elsewhere_year`.
coverage = Table(
    "coverage", metadata, _id(), _ref("patient_id", "patient"), _ref("plan_id", "plan"), _ref("subscriber_id", "patient", nullable=True),
    _text("relationship", 2, "18"), _text("member_id", 30), _text("member_key", 30), _text("group_number", 30), Column("from_day", Date), Column("to_day", Date),
    _number("rank", "1"), _words_map("holder"), _cents("elsewhere_deductible_cents"), _cents("elsewhere_paid_cents"), _number("elsewhere_year"),
    _moment("checked_at", nullable=True), _text("check_state", 10), Column("version", Integer, nullable=False, server_default="1"),
    Index("ix_coverage_member_key", "member_key"), Index("ix_coverage_checked_at", "checked_at"),
)  # fmt: skip
eligibility_batch = Table(
    "eligibility_batch", metadata, _id(), _moment("at"), _ref("by_id", "user", nullable=True), Column("first_day", Date, nullable=False),
    Column("last_day", Date, nullable=False), Column("total", Integer, nullable=False, server_default="0"), Column("run_key", String(40), nullable=False, unique=True),
)  # fmt: skip
# One question to a payer and its answer as they went over the wire; `state` is asking, fine, problem or failed.
eligibility_check = Table(
    "eligibility_check", metadata, _id(), _ref("patient_id", "patient"), _ref("coverage_id", "coverage"), _ref("visit_id", "visit", nullable=True),
    _ref("batch_id", "eligibility_batch", nullable=True), Column("trace", String(30), nullable=False, unique=True), Column("day", Date, nullable=False),
    _text("state", 10, "asking"), _text("words", 255), _moment("at"), _ref("by_id", "user", nullable=True), _moment("answered_at", nullable=True),
    Column("question", MEDIUMTEXT, nullable=False), Column("answer", MEDIUMTEXT), _moment("handled_at", nullable=True), _ref("handled_by", "user", nullable=True),
    Index("ix_eligibility_check_state_handled_at", "state", "handled_at"),
)  # fmt: skip

# --- book ----------------------------------------------------------------------------------------------------------
visit = Table(
    "visit", metadata, _id(), _ref("site_id", "site"), _ref("patient_id", "patient"), _ref("provider_id", "provider"),
    _ref("room_id", "room"), _ref("type_id", "visit_type"), Column("day", Date, nullable=False),
    Column("start_min", SmallInteger, nullable=False), Column("minutes", SmallInteger, nullable=False), _text("note", 500),
    _text("state", 10), Column("version", Integer, nullable=False, server_default="1"), Column("request_key", String(40), unique=True),
    _moment("made_at"), _ref("made_by", "user"), _number("buffer_min"), _moment("held_until", nullable=True), _text("web_message", 500), _text("off_why", 10),
    _ref("stage_id", "stage", nullable=True), _moment("gone_at", nullable=True),
    Index("ix_visit_day_site_id", "day", "site_id"), Index("ix_visit_state_site_id", "state", "site_id"),
    Index("ix_visit_patient_id_state_off_why", "patient_id", "state", "off_why"),
)  # fmt: skip
staff_slot = Table(
    "staff_slot", metadata, _id(), _ref("visit_id", "visit"), _ref("provider_id", "provider"), Column("day", Date, nullable=False),
    Column("start_min", SmallInteger, nullable=False), Column("end_min", SmallInteger, nullable=False), _text("words", 20),
    Index("ix_staff_slot_provider_id_day", "provider_id", "day"),
)  # fmt: skip
track_move = Table(
    "track_move", metadata, _id(), _ref("visit_id", "visit"), _text("from_stop", 10), _text("to_stop", 10), _moment("at"),
    _ref("by_id", "user", nullable=True), _text("reason", 200),
)  # fmt: skip
# What happens between here and checkout, in the clinic's own words; `whose` says who acts next (see zax.core.arrivals.stages).
stage = Table(
    "stage", metadata, _id(), _text("name", 40), _text("whose", 10), _flag("dental"), Column("position", SmallInteger, nullable=False), _flag("active", "1"),
)  # fmt: skip
# A row each time somebody on the premises changes room or stage; no room is the waiting room. Time in each is computed from these.
whereabouts = Table(
    "whereabouts", metadata, _id(), _ref("visit_id", "visit"), _ref("room_id", "room", nullable=True), _ref("stage_id", "stage", nullable=True), _moment("at"),
    _ref("by_id", "user", nullable=True), _text("words", 200),
)  # fmt: skip
# The shelf: who has a visit in hand; `shared` lets everybody place it.
shelf = Table(
    "shelf", metadata, Column("visit_id", Integer, ForeignKey("visit.id"), primary_key=True, autoincrement=False), _ref("user_id", "user"), _flag("shared"),
    _text("was", 10), _text("words", 120), _moment("at"), Index("ix_shelf_user_id_at", "user_id", "at"),
)  # fmt: skip
# The waitlist: a row a reason. `open_key` makes a reason of a person open only once.
waiting = Table(
    "waiting", metadata, _id(), _ref("patient_id", "patient"), _text("why", 8), _ref("site_id", "site"), _ref("visit_id", "visit", nullable=True),
    _ref("type_id", "visit_type"), Column("minutes", SmallInteger, nullable=False), _ref("provider_id", "provider", nullable=True), _cents("value_cents"),
    _text("note", 200), _moment("since_at"), _moment("asked_at"), _text("last_try", 120), _moment("ended_at", nullable=True), _ref("ended_by", "user", nullable=True),
    _text("ended_why", 200),
    Column("open_key", String(40), Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', why, '-', type_id), NULL)", persisted=True), unique=True),
    Index("ix_waiting_ended_at_site_id", "ended_at", "site_id"),
)  # fmt: skip
# What a person did on the Book, with what it was like before, so that it can be undone.
book_act = Table(
    "book_act", metadata, _id(), _ref("by_id", "user", nullable=True), _moment("at"), _text("words", 200), Column("detail", JSON, nullable=False),
    _moment("undone_at", nullable=True), Index("ix_book_act_by_id_at", "by_id", "at"),
)  # fmt: skip
provider_day = Table(
    "provider_day", metadata, Column("provider_id", Integer, primary_key=True, autoincrement=False), Column("day", Date, primary_key=True),
    Column("version", Integer, nullable=False, server_default="0"),
)  # fmt: skip
room_day = Table(
    "room_day", metadata, Column("room_id", Integer, primary_key=True, autoincrement=False), Column("day", Date, primary_key=True),
    Column("version", Integer, nullable=False, server_default="0"),
)  # fmt: skip

# --- charges and money ---------------------------------------------------------------------------------------------
# Work planned for a patient; `visit_id` is the visit that is to do it, if one is booked.
planned_service = Table(
    "planned_service", metadata, _id(), _ref("patient_id", "patient"), _ref("service_id", "service"), _text("tooth", 2), _text("surfaces", 5),
    _ref("visit_id", "visit", nullable=True), _moment("made_at"), _moment("done_at", nullable=True), _moment("removed_at", nullable=True),
    _ref("proposal_id", "proposal", nullable=True), _text("option_letter", 1), _number("phase", "1"), _text("area", 2),
    Index("ix_planned_service_proposal_id", "proposal_id"),
)  # fmt: skip
# Planned work offered as options; `phases` is a list of {words, months} in order, months from the day it was made.
proposal = Table(
    "proposal", metadata, _id(), _ref("patient_id", "patient"), _text("name", 80), _words_list("phases"), _words_map("options"), _ref("provider_id", "provider"),
    _moment("made_at"), _ref("made_by", "user"), _text("signed_option", 1), _moment("signed_at", nullable=True), _moment("ended_at", nullable=True),
    Column("version", Integer, nullable=False, server_default="1"),
)  # fmt: skip
# Something that is owed for. A service of a visit; or, without a visit, a product, a fee, interest, an opening balance, or what was moved here
# from somebody else (`kind`, `patient_id`, `words`).
charge_line = Table(
    "charge_line", metadata, _id(), _ref("visit_id", "visit", nullable=True), _ref("service_id", "service", nullable=True), _ref("provider_id", "provider", nullable=True),
    Column("units", SmallInteger, nullable=False, server_default="1"), _cents("fee_cents"), _text("tooth", 2), _text("surfaces", 5),
    _flag("billed", "1"), _cents("deductible_cents"), _cents("first_cents"), _cents("second_cents"), _flag("authorized"), _moment("entered_at"), _ref("entered_by", "user", nullable=True), _moment("removed_at", nullable=True), _ref("planned_id", "planned_service", nullable=True),
    _text("area", 2), _text("modifiers", 11), _words_list("points_to"), _ref("supervising_id", "provider", nullable=True), _text("place", 2),
    _text("fee_why", 120), _ref("fee_by", "user", nullable=True), _text("kind", 10, "service"), _ref("patient_id", "patient", nullable=True),
    _ref("product_id", "product", nullable=True), _cents("tax_cents"), _text("words", 120),
)  # fmt: skip
visit_diagnosis = Table(
    "visit_diagnosis", metadata, Column("visit_id", Integer, ForeignKey("visit.id"), primary_key=True),
    Column("position", SmallInteger, primary_key=True, autoincrement=False), Column("code", String(8), nullable=False),
    UniqueConstraint("visit_id", "code"),
)  # fmt: skip
# --- claims and remittances ----------------------------------------------------------------------------------------
claim = Table(
    "claim", metadata, _id(), Column("number", String(20), nullable=False, unique=True), _ref("visit_id", "visit"),
    _ref("patient_id", "patient"), _ref("coverage_id", "coverage"), _flag("dental"), _text("state", 10), _cents("cents"),
    _cents("paid_cents"), Column("findings", JSON, nullable=False), _moment("made_at"), _moment("sent_at", nullable=True),
    Index("ix_claim_state_made_at", "state", "made_at"),
)  # fmt: skip
claim_line = Table(
    "claim_line", metadata, Column("claim_id", Integer, ForeignKey("claim.id"), primary_key=True),
    Column("line_id", Integer, ForeignKey("charge_line.id"), primary_key=True), Column("position", SmallInteger, nullable=False), _cents("cents"),
)  # fmt: skip
x12_file = Table(
    "x12_file", metadata, _id(), _text("direction", 3), _text("kind", 8), _text("name", 80), _text("control", 20),
    Column("digest", String(64), nullable=False, unique=True), Column("text", MEDIUMTEXT, nullable=False), _moment("at"), _text("outcome", 255),
    Index("ix_x12_file_direction_control", "direction", "control"),
)  # fmt: skip
claim_event = Table(
    "claim_event", metadata, _id(), _ref("claim_id", "claim"), _moment("at"), _text("words", 500), _ref("file_id", "x12_file", nullable=True),
    _ref("by_id", "user", nullable=True),
)  # fmt: skip
remit = Table(
    "remit", metadata, _id(), _ref("file_id", "x12_file"), _text("trace", 50), _text("payer", 80), Column("day", Date), _cents("paid_cents"),
    UniqueConstraint("payer", "trace"),
)  # fmt: skip
remit_claim = Table(
    "remit_claim", metadata, _id(), _ref("remit_id", "remit"), _ref("claim_id", "claim", nullable=True), _text("number", 40), _cents("paid_cents"),
    _text("outcome", 10), _text("why", 500), Index("ix_remit_claim_outcome", "outcome"),
)  # fmt: skip

# --- arrivals ------------------------------------------------------------------------------------------------------
# A form in the clinic's own words; `blocks` as zax.core.arrivals.forms reads them.
form_template = Table(
    "form_template", metadata, _id(), _text("name", 80), _words_list("blocks"), _number("again_months"), _flag("active", "1"),
    Column("version", Integer, nullable=False, server_default="1"),
)  # fmt: skip
# What was signed, as it was signed. Rows are only added; the PDF lies in the file store under its SHA-256.
signed_form = Table(
    "signed_form", metadata, _id(), _ref("patient_id", "patient"), _ref("visit_id", "visit", nullable=True), _ref("template_id", "form_template", nullable=True),
    Column("template_version", Integer, nullable=False, server_default="0"), _ref("proposal_id", "proposal", nullable=True), _text("name", 80), _words_map("answers"),
    _text("signer", 80), _text("relation", 30), _moment("at"), _ref("by_id", "user"), _text("digest", 64), Column("bytes", Integer, nullable=False),
)  # fmt: skip
# The clinic's check-in list. `for_whom` limits a step: new patients, flags, visit types, once a year.
arrival_step = Table(
    "arrival_step", metadata, _id(), _text("kind", 12), _text("words", 80), _text("note", 300), _flag("required"), _words_map("for_whom"),
    _ref("template_id", "form_template", nullable=True), Column("position", SmallInteger, nullable=False), _flag("active", "1"),
)  # fmt: skip
arrival_done = Table(
    "arrival_done", metadata, _id(), _ref("visit_id", "visit"), _ref("patient_id", "patient"), _ref("step_id", "arrival_step"), _text("how", 8), _text("note", 200), _moment("at"),
    _ref("by_id", "user", nullable=True), _moment("undone_at", nullable=True),
    Column("open_key", String(24), Computed("IF(undone_at IS NULL, CONCAT(visit_id, '-', step_id), NULL)", persisted=True), unique=True),
    Index("ix_arrival_done_patient_id_step_id", "patient_id", "step_id"),
)  # fmt: skip
# A message with its conditions (see zax.core.arrivals.conditions) and the places where it shows.
headsup = Table(
    "headsup", metadata, _id(), _text("words", 160), _text("todo", 160), _words_map("condition"), _words_list("places"), _flag("warns"), _flag("active", "1"),
    Column("position", SmallInteger, nullable=False), Column("version", Integer, nullable=False, server_default="1"),
)  # fmt: skip
headsup_dismissal = Table(
    "headsup_dismissal", metadata, _id(), _ref("headsup_id", "headsup"), _ref("patient_id", "patient"), _ref("visit_id", "visit", nullable=True), Column("day", Date, nullable=False),
    _moment("at"), _ref("by_id", "user"), _moment("undone_at", nullable=True), Index("ix_headsup_dismissal_patient_id_day", "patient_id", "day"),
)  # fmt: skip
# When a patient should come again for what; one open row a patient and type.
recall = Table(
    "recall", metadata, _id(), _ref("patient_id", "patient"), _ref("type_id", "visit_type"), _number("months"), Column("due_day", Date, nullable=False), _moment("made_at"),
    _ref("made_by", "user", nullable=True), _ref("visit_id", "visit", nullable=True), _moment("ended_at", nullable=True),
    Column("open_key", String(24), Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', type_id), NULL)", persisted=True), unique=True),
    Index("ix_recall_ended_at_due_day", "ended_at", "due_day"),
)  # fmt: skip

# --- what runs through everything ----------------------------------------------------------------------------------
outbox = Table(
    "outbox", metadata, _id(), Column("request_key", String(60), nullable=False, unique=True), _text("kind", 20), Column("payload", JSON, nullable=False),
    _text("state", 10, "waiting"), _moment("due_at"), _moment("leased_until", nullable=True), Column("attempts", SmallInteger, nullable=False, server_default="0"),
    Column("last_error", Text), _moment("made_at"), _moment("done_at", nullable=True), Index("ix_outbox_state_due_at", "state", "due_at"),
)  # fmt: skip
feed = Table(
    "feed", metadata, _id(), _moment("at"), Column("site_id", Integer), Column("day", Date), Column("visit_id", Integer),
    Column("patient_id", Integer), _text("what", 20), Index("ix_feed_at", "at"),
)  # fmt: skip
audit = Table(
    "audit", metadata, _id(), _moment("at"), _ref("by_id", "user", nullable=True), _text("act", 40), Column("patient_id", Integer),
    Column("visit_id", Integer), Column("detail", JSON, nullable=False), Index("ix_audit_visit_id", "visit_id"), Index("ix_audit_patient_id", "patient_id"),
)  # fmt: skip
look = Table(
    "look", metadata, _id(), _moment("at"), Column("user_id", Integer, nullable=False), Column("patient_id", Integer, nullable=False), _text("screen", 20),
    Index("ix_look_patient_id_at", "patient_id", "at"), Index("ix_look_user_id_at", "user_id", "at"),
)  # fmt: skip
beat = Table("beat", metadata, Column("name", String(40), primary_key=True), _moment("at"), _moment("clock_at"))
