"""The specialty a service is billed under, and whether our own lab does it"""

from alembic import op
import sqlalchemy as sa

revision = '0032'
down_revision = '0031'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('service', sa.Column('taxonomy', sa.String(10), server_default='', nullable=False))
    op.add_column('service', sa.Column('lab', sa.Boolean(), server_default='0', nullable=False))


def downgrade() -> None:
    op.drop_column('service', 'lab')
    op.drop_column('service', 'taxonomy')
