"""When a patient should come again for what: recalls that repeat, a clinician's returns with all that was
done about them, each try to reach somebody; and what colleagues hand each other.
"""

from __future__ import annotations

from sqlalchemy import Column, Computed, Date, ForeignKey, Index, Integer, SmallInteger, String, Table

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

# What patients come again for: the clinic's own (`core.followup.recall`). `tries` is [days, channel] pairs,
# `starts` and `ends` are service codes.
recall_type = Table(
    "recall_type",
    metadata,
    id_column(),
    text_column("name", 60),
    number_column("count"),
    text_column("unit", 5),
    ref("type_id", "visit_type"),
    number_column("before_days"),
    number_column("after_days"),
    number_column("youngest"),
    number_column("oldest"),
    flag_column("same_person", "1"),
    words_list("starts"),
    words_list("ends"),
    flag_column("repeats", "1"),
    words_list("tries"),
    text_column("words", 400),
    text_column("letter", 3000),
    flag_column("active", "1"),
    Column("position", SmallInteger, nullable=False),
    version_column(),
)
# When a patient should come again for what; one open row a patient and recall type. `own_count` 0: the
# type's interval. `visit_id` is the visit that set it, `done_visit_id` the one that did it.
recall = Table(
    "recall",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("recall_type_id", "recall_type"),
    number_column("own_count"),
    text_column("own_unit", 5),
    Column("due_day", Date, nullable=False),
    text_column("note", 200),
    Column("paused_until", Date),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    ref("visit_id", "visit", nullable=True),
    ref("done_visit_id", "visit", nullable=True),
    moment("ended_at", nullable=True),
    ref("ended_by", "user", nullable=True),
    text_column("ended_how", 200),
    version_column(),
    Column(
        "open_key",
        String(24),
        Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', recall_type_id), NULL)", persisted=True),
        unique=True,
    ),
    Index("ix_recall_ended_at_due_day", "ended_at", "due_day"),
    Index("ix_recall_ended_at_recall_type_id_due_day", "ended_at", "recall_type_id", "due_day"),
)
# The clinic's own list of what a clinician asks somebody back for.
return_reason = Table(
    "return_reason",
    metadata,
    id_column(),
    text_column("words", 80),
    text_column("by_when", 20),
    text_column("for_whom", 10),
    flag_column("urgent"),
    ref("type_id", "visit_type", nullable=True),
    Column("position", SmallInteger, nullable=False),
    flag_column("active"),
    version_column(),
)
# A clinician's one-off "come back for this by then". Where it stands is worked out (`core.followup.due`) from
# its days and the visit it hangs on; only its end is written down. `risen` is how many steps of the clinic's
# rule it has gone up, `holder_id` who has it now.
patient_return = Table(
    "patient_return",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("reason_id", "return_reason", nullable=True),
    text_column("words", 80),
    text_column("note", 300),
    Column("due_day", Date, nullable=False),
    text_column("for_whom", 10),
    flag_column("urgent"),
    ref("type_id", "visit_type", nullable=True),
    ref("provider_id", "provider", nullable=True),
    ref("visit_id", "visit", nullable=True),
    ref("booked_visit_id", "visit", nullable=True),
    Column("paused_until", Date),
    moment("made_at"),
    ref("made_by", "user"),
    number_column("risen"),
    ref("holder_id", "user", nullable=True),
    moment("ended_at", nullable=True),
    ref("ended_by", "user", nullable=True),
    text_column("ended_how", 200),
    version_column(),
    Index("ix_patient_return_ended_at_due_day", "ended_at", "due_day"),
)
# All that was done about a return, as evidence; only grows. `kind`: asked, changed, booked, freed, paused,
# rose, ended, opened.
return_event = Table(
    "return_event",
    metadata,
    id_column(),
    ref("return_id", "patient_return"),
    text_column("kind", 10),
    text_column("words", 300),
    moment("at"),
    ref("by_id", "user", nullable=True),
)
# A try to reach a patient, with all it was about ("return-12", "recall-7"), and the day they asked to be
# called again. A mistaken one is undone, not deleted.
contact_try = Table(
    "contact_try",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    text_column("how", 10),
    text_column("outcome", 10),
    text_column("note", 300),
    words_list("about"),
    moment("at"),
    ref("by_id", "user"),
    moment("undone_at", nullable=True),
    ref("undone_by", "user", nullable=True),
    Column("again_on", Date),
    text_column("again_words", 40),
    Index("ix_contact_try_at", "at"),
)
# Who has whom on the phone; freed after some minutes (`desk.followup.calls`).
call_lock = Table(
    "call_lock",
    metadata,
    Column("patient_id", Integer, ForeignKey("patient.id"), primary_key=True, autoincrement=False),
    ref("user_id", "user"),
    moment("at"),
)
# A row of any list given to a person or a role with a word and a day. `about` with its id says which row,
# `title` how it was called then; the giver sees it done until `seen_at`.
hand_over = Table(
    "hand_over",
    metadata,
    id_column(),
    text_column("about", 10),
    Column("about_id", Integer, nullable=False),
    ref("patient_id", "patient", nullable=True),
    text_column("title", 120),
    text_column("words", 200),
    cents_column("cents"),
    ref("to_user_id", "user", nullable=True),
    text_column("to_role", 20),
    Column("due_day", Date),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    moment("done_at", nullable=True),
    ref("done_by", "user", nullable=True),
    text_column("done_words", 200),
    moment("seen_at", nullable=True),
    Index("ix_hand_over_done_at_to_user_id", "done_at", "to_user_id"),
)
# One opening offered to several people. `open_key` lets one time of a provider be offered once; `freed` is
# where the visit stood that whoever took it has left. `wave` people are texted at `next_at`, until
# `until_at`.
offer = Table(
    "offer",
    metadata,
    id_column(),
    ref("site_id", "site"),
    ref("provider_id", "provider"),
    Column("day", Date, nullable=False),
    Column("start_min", SmallInteger, nullable=False),
    Column("minutes", SmallInteger, nullable=False),
    text_column("stand", 8, "open"),
    number_column("wave", "3"),
    number_column("wave_minutes", "15"),
    moment("next_at", nullable=True),
    moment("until_at"),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    Column("from_visit_id", Integer, ForeignKey("visit.id"), unique=True),
    moment("closed_at", nullable=True),
    ref("closed_by", "user", nullable=True),
    ref("booked_visit_id", "visit", nullable=True),
    words_map("freed"),
    Column(
        "open_key",
        String(40),
        Computed("IF(stand = 'open', CONCAT(provider_id, '-', day, '-', start_min), NULL)", persisted=True),
        unique=True,
    ),
    Index("ix_offer_stand_day", "stand", "day"),
)
# Who is offered it, in order (`rank_no`), how they hear of it and what they said; who is skipped, and why.
offer_person = Table(
    "offer_person",
    metadata,
    id_column(),
    ref("offer_id", "offer"),
    ref("patient_id", "patient"),
    Column("rank_no", SmallInteger, nullable=False),
    text_column("place", 8, "waiting"),
    text_column("by_way", 5, "text"),
    text_column("phone", 10),
    text_column("language", 30),
    number_column("number", "1"),
    ref("type_id", "visit_type"),
    Column("minutes", SmallInteger, nullable=False),
    cents_column("worth_cents"),
    ref("wait_id", "waiting", nullable=True),
    ref("recall_id", "recall", nullable=True),
    ref("visit_id", "visit", nullable=True),
    Column("leaves_day", Date),
    words_list("planned"),
    text_column("why", 120),
    text_column("why_more", 120),
    text_column("kept", 40),
    text_column("kept_more", 40),
    text_column("points", 200),
    flag_column("wished", "1"),
    moment("sent_at", nullable=True),
    moment("answered_at", nullable=True),
    text_column("answer", 320),
    text_column("likely", 320),
    moment("told_at", nullable=True),
    text_column("skipped_why", 160),
    flag_column("may_join"),
    Index("ix_offer_person_offer_id_rank_no", "offer_id", "rank_no"),
    Index("ix_offer_person_phone_sent_at", "phone", "sent_at"),
)
# Words that are written again and again (`core.followup.ready_notes`).
ready_note = Table(
    "ready_note",
    metadata,
    id_column(),
    text_column("letters", 12),
    text_column("words", 300),
    flag_column("active", "1"),
    flag_column("answers"),
    version_column(),
)
