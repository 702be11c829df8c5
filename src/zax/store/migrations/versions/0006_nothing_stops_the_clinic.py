"""Errands and duties that fail are counted, and set aside or said"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0006'
down_revision = '0005'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('form_done',
    sa.Column('key', sa.String(length=44), nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('key', name=op.f('pk_form_done'))
    )
    op.create_table('interest_charged',
    sa.Column('line_id', sa.Integer(), nullable=False),
    sa.Column('month', sa.Date(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.ForeignKeyConstraint(['line_id'], ['charge_line.id'], name=op.f('fk_interest_charged_line_id')),
    sa.PrimaryKeyConstraint('line_id', 'month', name=op.f('pk_interest_charged'))
    )
    op.add_column('outbox', sa.Column('failures', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('beat', sa.Column('failures', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('beat', sa.Column('failed_at', mysql.DATETIME(fsp=6), nullable=True))
    op.add_column('beat', sa.Column('why', sa.String(length=200), server_default='', nullable=False))
