"""Errands and duties that fail are counted, and set aside or said"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0006'
down_revision = '0005'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('outbox', sa.Column('failures', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('beat', sa.Column('failures', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('beat', sa.Column('failed_at', mysql.DATETIME(fsp=6), nullable=True))
    op.add_column('beat', sa.Column('why', sa.String(length=200), server_default='', nullable=False))
