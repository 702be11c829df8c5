"""Returns: a clinician's "come back for this by then", what was done about each, and tries to reach somebody"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0013'
down_revision = '0012'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table('return_reason',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('words', sa.String(length=80), server_default='', nullable=False),
    sa.Column('by_when', sa.String(length=20), server_default='', nullable=False),
    sa.Column('for_whom', sa.String(length=10), server_default='', nullable=False),
    sa.Column('urgent', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('type_id', sa.Integer(), nullable=True),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.Column('active', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['type_id'], ['visit_type.id'], name=op.f('fk_return_reason_type_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_return_reason'))
    )
    op.create_table('patient_return',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('reason_id', sa.Integer(), nullable=True),
    sa.Column('words', sa.String(length=80), server_default='', nullable=False),
    sa.Column('note', sa.String(length=300), server_default='', nullable=False),
    sa.Column('due_day', sa.Date(), nullable=False),
    sa.Column('for_whom', sa.String(length=10), server_default='', nullable=False),
    sa.Column('urgent', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('type_id', sa.Integer(), nullable=True),
    sa.Column('provider_id', sa.Integer(), nullable=True),
    sa.Column('visit_id', sa.Integer(), nullable=True),
    sa.Column('booked_visit_id', sa.Integer(), nullable=True),
    sa.Column('paused_until', sa.Date(), nullable=True),
    sa.Column('made_at', MOMENT, nullable=False),
    sa.Column('made_by', sa.Integer(), nullable=False),
    sa.Column('risen', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('holder_id', sa.Integer(), nullable=True),
    sa.Column('ended_at', MOMENT, nullable=True),
    sa.Column('ended_by', sa.Integer(), nullable=True),
    sa.Column('ended_how', sa.String(length=200), server_default='', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    *(
        sa.ForeignKeyConstraint([name], [f'{target}.id'], name=op.f(f'fk_patient_return_{name}'))
        for name, target in (
            ('patient_id', 'patient'), ('reason_id', 'return_reason'), ('type_id', 'visit_type'),
            ('provider_id', 'provider'), ('visit_id', 'visit'), ('booked_visit_id', 'visit'),
            ('made_by', 'user'), ('holder_id', 'user'), ('ended_by', 'user'),
        )
    ),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_patient_return'))
    )
    op.create_index('ix_patient_return_ended_at_due_day', 'patient_return', ['ended_at', 'due_day'])
    op.create_table('return_event',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('return_id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(length=10), server_default='', nullable=False),
    sa.Column('words', sa.String(length=300), server_default='', nullable=False),
    sa.Column('at', MOMENT, nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.ForeignKeyConstraint(['return_id'], ['patient_return.id'], name=op.f('fk_return_event_return_id')),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_return_event_by_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_return_event'))
    )
    op.create_table('contact_try',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('how', sa.String(length=10), server_default='', nullable=False),
    sa.Column('outcome', sa.String(length=10), server_default='', nullable=False),
    sa.Column('note', sa.String(length=300), server_default='', nullable=False),
    sa.Column('about', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('at', MOMENT, nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=False),
    sa.Column('undone_at', MOMENT, nullable=True),
    sa.Column('undone_by', sa.Integer(), nullable=True),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_contact_try_patient_id')),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_contact_try_by_id')),
    sa.ForeignKeyConstraint(['undone_by'], ['user.id'], name=op.f('fk_contact_try_undone_by')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_contact_try'))
    )
