"""What was done and what is planned: charge lines, diagnoses, treatment options."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Column,
    Date,
    ForeignKey,
    Index,
    Integer,
    SmallInteger,
    String,
    Table,
    UniqueConstraint,
)

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

diagnosis_code = Table(
    "diagnosis_code",
    metadata,
    Column("code", String(8), primary_key=True),
    text_column("words", 255),
    flag_column("billable"),
    Index("ft_diagnosis_code_words", "words", mysql_prefix="FULLTEXT"),
)
# Work planned for a patient; `visit_id` is the visit that is to do it, if one is booked. `answered_*` is what
# a plan said beforehand that it would pay.
planned_service = Table(
    "planned_service",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("service_id", "service"),
    text_column("tooth", 2),
    text_column("surfaces", 5),
    ref("visit_id", "visit", nullable=True),
    moment("made_at"),
    moment("done_at", nullable=True),
    moment("removed_at", nullable=True),
    ref("proposal_id", "proposal", nullable=True),
    text_column("option_letter", 1),
    number_column("phase", "1"),
    text_column("area", 2),
    Column("answered_on", Date, nullable=True),
    ref("answered_coverage_id", "coverage", nullable=True),
    cents_column("answered_allowed_cents"),
    cents_column("answered_pays_cents"),
    cents_column("answered_deductible_cents"),
    Index("ix_planned_service_proposal_id", "proposal_id"),
)
# Planned work offered as options; `phases` is a list of {words, months} in order, months from the day it was
# made.
proposal = Table(
    "proposal",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    text_column("name", 80),
    words_list("phases"),
    words_map("options"),
    ref("provider_id", "provider"),
    moment("made_at"),
    ref("made_by", "user"),
    text_column("signed_option", 1),
    moment("signed_at", nullable=True),
    moment("ended_at", nullable=True),
    version_column(),
)
# Something that is owed for. A service of a visit; or, without a visit, a product, a fee, interest, an
# opening balance, or what was moved here from somebody else (`kind`, `patient_id`, `words`).
charge_line = Table(
    "charge_line",
    metadata,
    id_column(),
    ref("visit_id", "visit", nullable=True),
    ref("service_id", "service", nullable=True),
    ref("provider_id", "provider", nullable=True),
    Column("units", SmallInteger, nullable=False, server_default="1"),
    cents_column("fee_cents"),
    text_column("tooth", 2),
    text_column("surfaces", 5),
    flag_column("billed", "1"),
    cents_column("deductible_cents"),
    cents_column("first_cents"),
    cents_column("second_cents"),
    ref("first_coverage_id", "coverage", nullable=True),
    ref("second_coverage_id", "coverage", nullable=True),
    cents_column("own_cents"),
    cents_column("second_deductible_cents"),
    cents_column("second_own_cents"),
    flag_column("authorized"),
    Column("contract_cents", BigInteger, nullable=True),
    moment("entered_at"),
    ref("entered_by", "user", nullable=True),
    moment("removed_at", nullable=True),
    ref("planned_id", "planned_service", nullable=True),
    text_column("area", 2),
    text_column("modifiers", 11),
    words_list("points_to"),
    ref("supervising_id", "provider", nullable=True),
    text_column("place", 2),
    text_column("fee_why", 120),
    ref("fee_by", "user", nullable=True),
    text_column("kind", 10, "service"),
    ref("patient_id", "patient", nullable=True),
    ref("product_id", "product", nullable=True),
    cents_column("tax_cents"),
    text_column("words", 120),
)
visit_diagnosis = Table(
    "visit_diagnosis",
    metadata,
    Column("visit_id", Integer, ForeignKey("visit.id"), primary_key=True),
    Column("position", SmallInteger, primary_key=True, autoincrement=False),
    Column("code", String(8), nullable=False),
    UniqueConstraint("visit_id", "code"),
    Index("ix_visit_diagnosis_code", "code"),
)
# Diagnoses that somebody keeps at hand.
favorite_diagnosis = Table(
    "favorite_diagnosis",
    metadata,
    Column("user_id", Integer, ForeignKey("user.id"), primary_key=True),
    Column("code", String(8), ForeignKey("diagnosis_code.code"), primary_key=True),
)
