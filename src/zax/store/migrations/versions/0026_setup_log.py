"""The log of the setup's changes, row by row"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0026'
down_revision = '0025'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        'setup_change',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('at', MOMENT, nullable=False),
        sa.Column('by_id', sa.Integer(), nullable=True),
        sa.Column('act', sa.String(length=40), server_default='', nullable=False),
        sa.Column('words', sa.String(length=200), server_default='', nullable=False),
        sa.Column('changes', sa.JSON(), nullable=False),
        sa.Column('undone_at', MOMENT, nullable=True),
        sa.Column('undone_by', sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_setup_change_by_id')),
        sa.ForeignKeyConstraint(['undone_by'], ['user.id'], name=op.f('fk_setup_change_undone_by')),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_setup_change')),
        sa.Index('ix_setup_change_act', 'act'),
    )


def downgrade() -> None:
    op.drop_table('setup_change')
