"""Papers that go with a message, mail that people answer with, and calendars read by their address

A message may carry a paper, attached or behind its link. A reply may be a mail. Receipts by mail become messages.
"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0020'
down_revision = '0019'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def _words(name: str, length: int, default: str = '') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.String(length=length), server_default=default, nullable=False)


def upgrade() -> None:
    op.add_column('message', _words('paper', 64))
    op.add_column('message', _words('paper_name', 80))
    op.add_column('message', sa.Column('attached', sa.Boolean(), server_default='0', nullable=False))
    op.add_column('message', sa.Column('wrong_tries', sa.SmallInteger(), server_default='0', nullable=False))
    op.create_index(op.f('ix_message_channel_sent_at'), 'message', ['channel', 'sent_at'])

    op.add_column('text_reply', _words('channel', 6, 'text'))
    op.add_column('text_reply', sa.Column('mail_id', sa.String(length=200), nullable=True))
    op.create_unique_constraint(op.f('uq_text_reply_mail_id'), 'text_reply', ['mail_id'])
    op.alter_column('text_reply', 'gateway_no', existing_type=sa.Integer(), nullable=True)
    op.alter_column(
        'text_reply', 'phone', existing_type=sa.String(length=20), type_=sa.String(length=120), nullable=False
    )

    op.add_column('ready_note', sa.Column('answers', sa.Boolean(), server_default='0', nullable=False))

    op.create_table(
        'calendar_feed',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('secret', sa.String(length=43), nullable=False),
        sa.Column('provider_id', sa.Integer(), nullable=True),
        sa.Column('patient_id', sa.Integer(), nullable=True),
        sa.Column('names', sa.Boolean(), server_default='0', nullable=False),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('made_by', sa.Integer(), nullable=True),
        sa.Column('read_at', MOMENT, nullable=True),
        sa.Column('ended_at', MOMENT, nullable=True),
        sa.ForeignKeyConstraint(
            ['provider_id'], ['provider.id'], name=op.f('fk_calendar_feed_provider_id')
        ),
        sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_calendar_feed_patient_id')),
        sa.ForeignKeyConstraint(['made_by'], ['user.id'], name=op.f('fk_calendar_feed_made_by')),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_calendar_feed')),
        sa.UniqueConstraint('secret', name=op.f('uq_calendar_feed_secret')),
    )
    op.create_index(op.f('ix_calendar_feed_patient_id'), 'calendar_feed', ['patient_id'])


def downgrade() -> None:
    op.drop_table('calendar_feed')
    op.drop_column('ready_note', 'answers')
    op.execute("DELETE FROM text_reply WHERE channel <> 'text'")
    op.alter_column(
        'text_reply', 'phone', existing_type=sa.String(length=120), type_=sa.String(length=20), nullable=False
    )
    op.alter_column('text_reply', 'gateway_no', existing_type=sa.Integer(), nullable=False)
    op.drop_constraint(op.f('uq_text_reply_mail_id'), 'text_reply', type_='unique')
    op.drop_column('text_reply', 'mail_id')
    op.drop_column('text_reply', 'channel')
    op.drop_index(op.f('ix_message_channel_sent_at'), 'message')
    for name in ('wrong_tries', 'attached', 'paper_name', 'paper'):
        op.drop_column('message', name)
