"""The call sheet: on which day somebody asked to be called again, and who has whom on the phone"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0015'
down_revision = '0014'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.add_column('contact_try', sa.Column('again_on', sa.Date(), nullable=True))
    op.add_column('contact_try', sa.Column('again_words', sa.String(length=40), server_default='', nullable=False))
    op.create_index('ix_contact_try_at', 'contact_try', ['at'])
    op.create_table('call_lock',
    sa.Column('patient_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('user_id', sa.Integer(), nullable=False),
    sa.Column('at', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_call_lock_patient_id')),
    sa.ForeignKeyConstraint(['user_id'], ['user.id'], name=op.f('fk_call_lock_user_id')),
    sa.PrimaryKeyConstraint('patient_id', name=op.f('pk_call_lock'))
    )
