"""What a payer approved beforehand, with dates and units; and the clearinghouse's list of payers"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0011'
down_revision = '0010'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('approval',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('coverage_id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(length=13), server_default='', nullable=False),
    sa.Column('number', sa.String(length=50), server_default='', nullable=False),
    sa.Column('codes', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('units', sa.SmallInteger(), nullable=True),
    sa.Column('from_day', sa.Date(), nullable=True),
    sa.Column('to_day', sa.Date(), nullable=True),
    sa.Column('note', sa.String(length=200), server_default='', nullable=False),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('made_by', sa.Integer(), nullable=True),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['coverage_id'], ['coverage.id'], name=op.f('fk_approval_coverage_id')),
    sa.ForeignKeyConstraint(['made_by'], ['user.id'], name=op.f('fk_approval_made_by')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_approval'))
    )
    op.create_table('payer_list_run',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('state', sa.String(length=10), server_default='running', nullable=False),
    sa.Column('total', sa.Integer(), server_default='0', nullable=False),
    sa.Column('words', sa.String(length=255), server_default='', nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_payer_list_run'))
    )
    op.create_table('listed_payer',
    sa.Column('id', sa.String(length=20), nullable=False),
    sa.Column('run_id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=80), server_default='', nullable=False),
    sa.Column('also', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('takes', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('enroll', sa.JSON(), server_default='[]', nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['payer_list_run.id'], name=op.f('fk_listed_payer_run_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_listed_payer'))
    )
