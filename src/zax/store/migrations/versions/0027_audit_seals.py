"""Seals over who did what and who looked; looking back by act and by person"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0027'
down_revision = '0026'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'audit_seal',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('name', sa.String(length=10), server_default='', nullable=False),
        sa.Column('last_id', sa.Integer(), nullable=False),
        sa.Column('rows', sa.Integer(), nullable=False),
        sa.Column('digest', sa.String(length=64), server_default='', nullable=False),
        sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_audit_seal')),
        sa.Index('ix_audit_seal_name', 'name'),
    )
    op.create_index('ix_audit_at', 'audit', ['at'])
    op.create_index('ix_audit_by_id_at', 'audit', ['by_id', 'at'])
    op.create_index('ix_look_at', 'look', ['at'])


def downgrade() -> None:
    op.drop_index('ix_look_at', table_name='look')
    op.drop_index('ix_audit_by_id_at', table_name='audit')
    op.drop_index('ix_audit_at', table_name='audit')
    op.drop_table('audit_seal')
