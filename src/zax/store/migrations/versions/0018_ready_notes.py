"""Ready-made notes: words that are written again and again"""

from alembic import op
import sqlalchemy as sa

revision = '0018'
down_revision = '0017'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'ready_note',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('letters', sa.String(length=12), server_default='', nullable=False),
        sa.Column('words', sa.String(length=300), server_default='', nullable=False),
        sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_ready_note')),
    )
