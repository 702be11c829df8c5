"""Weeks of one site among many: the search for openings reads along the site first"""

from alembic import op

revision = '0024'
down_revision = '0023'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index('ix_visit_site_id_day', 'visit', ['site_id', 'day'])


def downgrade() -> None:
    op.drop_index('ix_visit_site_id_day', table_name='visit')
