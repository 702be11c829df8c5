"""Work that was in a mouth before us"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0008'
down_revision = '0007'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('tooth_work',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('teeth', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('work', sa.String(length=12), server_default='', nullable=False),
    sa.Column('surfaces', sa.String(length=5), server_default='', nullable=False),
    sa.Column('day', sa.Date(), nullable=True),
    sa.Column('known', sa.String(length=8), server_default='', nullable=False),
    sa.Column('here', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('replaced', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('entered_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('entered_by', sa.Integer(), nullable=True),
    sa.Column('removed_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('removed_by', sa.Integer(), nullable=True),
    sa.ForeignKeyConstraint(['entered_by'], ['user.id'], name=op.f('fk_tooth_work_entered_by')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_tooth_work_patient_id')),
    sa.ForeignKeyConstraint(['removed_by'], ['user.id'], name=op.f('fk_tooth_work_removed_by')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_tooth_work'))
    )
