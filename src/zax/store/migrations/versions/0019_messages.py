"""Messages: a log of what goes to patients, the rules and words by which it goes, and what is known of addresses

Texts and mails that still wait become rows of the log; the hours without texts become the clinic's own instead of
those of its offers.
"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0019'
down_revision = '0018'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def _id() -> sa.Column:  # type: ignore[type-arg]
    return sa.Column('id', sa.Integer(), autoincrement=True, nullable=False)


def _words(name: str, length: int, default: str = '') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.String(length=length), server_default=default, nullable=False)


def _small(name: str) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.SmallInteger(), server_default='0', nullable=False)


def _whole(name: str) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.Integer(), server_default='0', nullable=False)


def _refs(table: str, refs: dict[str, tuple[str, bool]]) -> list[sa.schema.SchemaItem]:
    columns = [sa.Column(name, sa.Integer(), nullable=nullable) for name, (_, nullable) in refs.items()]
    keys = [
        sa.ForeignKeyConstraint([name], [f'{target}.id'], name=op.f(f'fk_{table}_{name}'))
        for name, (target, _) in refs.items()
    ]
    return [*columns, *keys, sa.PrimaryKeyConstraint('id', name=op.f(f'pk_{table}'))]


def upgrade() -> None:
    op.create_table(
        'message',
        _id(),
        sa.Column('request_key', sa.String(length=60), nullable=False),
        _words('event', 16),
        _words('channel', 6),
        _words('language', 2, 'en'),
        _words('address', 120),
        _words('subject', 200),
        sa.Column('words', sa.Text(), server_default='', nullable=False),
        _words('why', 200),
        _words('state', 10, 'waiting'),
        _words('state_words', 200),
        _small('try_no'),
        _small('parts'),
        _words('pressed', 1),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('due_at', MOMENT, nullable=False),
        sa.Column('sent_at', MOMENT, nullable=True),
        sa.Column('state_at', MOMENT, nullable=True),
        sa.Column('opened_at', MOMENT, nullable=True),
        _words('asks', 10),
        sa.Column('seen_at', MOMENT, nullable=True),
        sa.Column('link', sa.String(length=24), nullable=True),
        *_refs('message', {
            'patient_id': ('patient', True), 'visit_id': ('visit', True), 'by_id': ('user', True),
            'seen_by': ('user', True),
        }),
        sa.UniqueConstraint('request_key', name=op.f('uq_message_request_key')),
        sa.UniqueConstraint('link', name=op.f('uq_message_link')),
    )
    op.create_index('ix_message_patient_id_made_at', 'message', ['patient_id', 'made_at'])
    op.create_index('ix_message_address_made_at', 'message', ['address', 'made_at'])
    op.create_index('ix_message_event_due_at', 'message', ['event', 'due_at'])
    op.create_index('ix_message_state_channel', 'message', ['state', 'channel'])
    op.create_index('ix_message_asks_seen_at', 'message', ['asks', 'seen_at'])
    op.create_table(
        'address',
        sa.Column('address', sa.String(length=120), nullable=False),
        _words('kind', 10),
        _words('trouble', 120),
        sa.Column('at', MOMENT, nullable=False),
        sa.PrimaryKeyConstraint('address', name=op.f('pk_address')),
    )
    op.create_table(
        'notice_rule',
        _id(),
        _words('event', 16),
        _words('channel', 6),
        _whole('type_id'),
        _whole('site_id'),
        sa.Column('runs', sa.Boolean(), server_default='0', nullable=False),
        _words('lead', 40),
        _words('again', 40),
        sa.Column('since_at', MOMENT, nullable=False),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_notice_rule')),
        sa.UniqueConstraint(
            'event', 'channel', 'type_id', 'site_id', name=op.f('uq_notice_rule_event_channel_type_id_site_id')
        ),
    )
    op.create_table(
        'notice_words',
        _id(),
        _words('event', 16),
        _words('channel', 6),
        _words('language', 2),
        _words('variant', 8),
        _whole('type_id'),
        _words('subject', 200),
        sa.Column('body', sa.Text(), server_default='', nullable=False),
        sa.Column('shipped', sa.Boolean(), server_default='0', nullable=False),
        sa.Column('at', MOMENT, nullable=False),
        *_refs('notice_words', {'by_id': ('user', True)}),
    )
    op.create_index('ix_notice_words_event', 'notice_words', ['event'])
    op.create_table(
        'notice_told',
        _id(),
        _words('event', 16),
        _words('channel', 6),
        _small('try_no'),
        sa.Column('subject_id', sa.Integer(), nullable=False),
        sa.Column('mark', sa.String(length=30), nullable=False),
        _words('about', 30),
        _words('why_not', 60),
        sa.Column('at', MOMENT, nullable=False),
        *_refs('notice_told', {'patient_id': ('patient', False), 'message_id': ('message', True)}),
        sa.UniqueConstraint(
            'event', 'channel', 'subject_id', 'try_no', 'mark',
            name=op.f('uq_notice_told_event_channel_subject_id_try_no_mark'),
        ),
    )
    op.create_index('ix_notice_told_message_id', 'notice_told', ['message_id'])
    op.create_index('ix_notice_told_patient_id', 'notice_told', ['patient_id'])
    op.create_table(
        'inbox_lock',
        sa.Column('row_key', sa.String(length=24), nullable=False),
        sa.Column('at', MOMENT, nullable=False),
        sa.Column('user_id', sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(['user_id'], ['user.id'], name=op.f('fk_inbox_lock_user_id')),
        sa.PrimaryKeyConstraint('row_key', name=op.f('pk_inbox_lock')),
    )
    op.add_column('text_reply', sa.Column('message_id', sa.Integer(), nullable=True))
    op.add_column('text_reply', sa.Column('did', sa.JSON(), server_default='{}', nullable=False))
    op.add_column('text_reply', sa.Column('back_at', MOMENT, nullable=True))
    op.add_column('text_reply', sa.Column('back_by', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_text_reply_message_id'), 'text_reply', 'message', ['message_id'], ['id'])
    op.create_foreign_key(op.f('fk_text_reply_back_by'), 'text_reply', 'user', ['back_by'], ['id'])
    # How late they said they would be, in minutes.
    op.add_column('visit', sa.Column('late_min', sa.SmallInteger(), server_default='0', nullable=False))
    # What a patient was told of a visit hangs on when it was moved or canceled, so both are found by their time.
    op.create_index('ix_audit_act_at', 'audit', ['act', 'at'])
    op.create_index('ix_text_reply_phone', 'text_reply', ['phone'])
    op.create_index('ix_track_move_to_stop_at', 'track_move', ['to_stop', 'at'])
    op.create_index('ix_visit_made_at', 'visit', ['made_at'])
    op.execute(
        "INSERT INTO message (request_key, patient_id, event, channel, address, subject, words, made_at, due_at,"
        " state) SELECT request_key, JSON_VALUE(payload, '$.patient_id'), 'by_hand',"
        " IF(kind = 'patient_text', 'text', 'email'), JSON_VALUE(payload, '$.to'),"
        " COALESCE(JSON_VALUE(payload, '$.subject'), ''), JSON_VALUE(payload, '$.text'), made_at, due_at, 'waiting'"
        " FROM outbox WHERE kind IN ('patient_text', 'patient_mail') AND state = 'waiting'"
    )
    op.execute("UPDATE outbox SET kind = 'message' WHERE kind IN ('patient_text', 'patient_mail')")
    op.execute(
        "INSERT IGNORE INTO setting (name, value) SELECT 'quiet_hours', JSON_OBJECT("
        " 'weekdays', JSON_ARRAY(CAST(JSON_VALUE(value, '$.quiet_to') AS INT), CAST(JSON_VALUE(value,"
        " '$.quiet_from') AS INT)), 'saturday', JSON_ARRAY(CAST(JSON_VALUE(value, '$.quiet_to') AS INT),"
        " CAST(JSON_VALUE(value, '$.quiet_from') AS INT)), 'sunday', JSON_ARRAY(CAST(JSON_VALUE(value,"
        " '$.quiet_to') AS INT), CAST(JSON_VALUE(value, '$.quiet_from') AS INT)))"
        " FROM setting WHERE name = 'offers' AND CAST(JSON_VALUE(value, '$.quiet_to') AS INT)"
        " < CAST(JSON_VALUE(value, '$.quiet_from') AS INT)"
    )
    op.execute(
        "UPDATE setting SET value = JSON_REMOVE(value, '$.quiet_from', '$.quiet_to') WHERE name = 'offers'"
    )


def downgrade() -> None:
    op.drop_index('ix_visit_made_at', 'visit')
    op.drop_column('visit', 'late_min')
    op.drop_constraint('fk_text_reply_message_id', 'text_reply', type_='foreignkey')
    op.drop_constraint('fk_text_reply_back_by', 'text_reply', type_='foreignkey')
    for name in ('message_id', 'did', 'back_at', 'back_by'):
        op.drop_column('text_reply', name)
    op.drop_index('ix_track_move_to_stop_at', 'track_move')
    op.drop_index('ix_text_reply_phone', 'text_reply')
    op.drop_index('ix_audit_act_at', 'audit')
    op.execute("UPDATE outbox SET kind = 'patient_text', state = 'withdrawn' WHERE kind = 'message'")
    for name in ('inbox_lock', 'notice_told', 'notice_words', 'notice_rule', 'address', 'message'):
        op.drop_table(name)
