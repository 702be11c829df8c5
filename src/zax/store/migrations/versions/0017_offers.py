"""Offers: one opening offered to several people, and the texts that come back"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0017'
down_revision = '0016'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def _id() -> sa.Column:  # type: ignore[type-arg]
    return sa.Column('id', sa.Integer(), autoincrement=True, nullable=False)


def _words(name: str, length: int, default: str = '') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.String(length=length), server_default=default, nullable=False)


def _small(name: str, default: str | None = None) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.SmallInteger(), server_default=default, nullable=False)


def _refs(table: str, refs: dict[str, tuple[str, bool]]) -> list[sa.schema.SchemaItem]:
    columns = [sa.Column(name, sa.Integer(), nullable=nullable) for name, (_, nullable) in refs.items()]
    keys = [
        sa.ForeignKeyConstraint([name], [f'{target}.id'], name=op.f(f'fk_{table}_{name}'))
        for name, (target, _) in refs.items()
    ]
    return [*columns, *keys, sa.PrimaryKeyConstraint('id', name=op.f(f'pk_{table}'))]


def upgrade() -> None:
    op.create_table(
        'offer',
        _id(),
        sa.Column('day', sa.Date(), nullable=False),
        _small('start_min'),
        _small('minutes'),
        _words('stand', 8, 'open'),
        _small('wave', '3'),
        _small('wave_minutes', '15'),
        sa.Column('next_at', MOMENT, nullable=True),
        sa.Column('until_at', MOMENT, nullable=False),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('closed_at', MOMENT, nullable=True),
        sa.Column('freed', sa.JSON(), server_default='{}', nullable=False),
        *_refs('offer', {
            'site_id': ('site', False), 'provider_id': ('provider', False), 'made_by': ('user', True),
            'from_visit_id': ('visit', True), 'closed_by': ('user', True), 'booked_visit_id': ('visit', True),
        }),
        sa.Column('open_key', sa.String(length=40), sa.Computed(
            "IF(stand = 'open', CONCAT(provider_id, '-', day, '-', start_min), NULL)", persisted=True
        ), nullable=True),
        sa.UniqueConstraint('from_visit_id', name=op.f('uq_offer_from_visit_id')),
        sa.UniqueConstraint('open_key', name=op.f('uq_offer_open_key')),
    )
    op.create_index('ix_offer_stand_day', 'offer', ['stand', 'day'])
    op.create_table(
        'offer_person',
        _id(),
        _small('rank_no'),
        _words('place', 8, 'waiting'),
        _words('by_way', 5, 'text'),
        _words('phone', 10),
        _words('language', 30),
        _small('number', '1'),
        _small('minutes'),
        sa.Column('worth_cents', sa.BigInteger(), server_default='0', nullable=False),
        sa.Column('leaves_day', sa.Date(), nullable=True),
        sa.Column('planned', sa.JSON(), server_default='[]', nullable=False),
        _words('why', 120),
        _words('why_more', 120),
        _words('kept', 40),
        _words('kept_more', 40),
        _words('points', 200),
        sa.Column('wished', sa.Boolean(), server_default='1', nullable=False),
        sa.Column('sent_at', MOMENT, nullable=True),
        sa.Column('answered_at', MOMENT, nullable=True),
        _words('answer', 320),
        _words('likely', 320),
        sa.Column('told_at', MOMENT, nullable=True),
        _words('skipped_why', 160),
        sa.Column('may_join', sa.Boolean(), server_default='0', nullable=False),
        *_refs('offer_person', {
            'offer_id': ('offer', False), 'patient_id': ('patient', False), 'type_id': ('visit_type', False),
            'wait_id': ('waiting', True), 'recall_id': ('recall', True), 'visit_id': ('visit', True),
        }),
    )
    op.create_index('ix_offer_person_offer_id_rank_no', 'offer_person', ['offer_id', 'rank_no'])
    op.create_index('ix_offer_person_phone_sent_at', 'offer_person', ['phone', 'sent_at'])
    op.create_table(
        'text_reply',
        _id(),
        sa.Column('gateway_no', sa.Integer(), nullable=False),
        sa.Column('phone', sa.String(length=20), nullable=False),
        _words('words', 1000),
        sa.Column('at', MOMENT, nullable=False),
        _words('meaning', 20),
        _words('done_words', 200),
        sa.Column('done_at', MOMENT, nullable=True),
        *_refs('text_reply', {
            'patient_id': ('patient', True), 'offer_person_id': ('offer_person', True), 'done_by': ('user', True),
        }),
        sa.UniqueConstraint('gateway_no', name=op.f('uq_text_reply_gateway_no')),
    )
    op.create_index('ix_text_reply_done_at', 'text_reply', ['done_at'])
    # A yes by text is booked by nobody of the clinic.
    op.alter_column('visit', 'made_by', existing_type=sa.Integer(), nullable=True)
