"""Imports of other lists than patients, rows that changed what was there; archives of everything"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0028'
down_revision = '0027'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        'import_job', sa.Column('kind', sa.String(length=12), server_default='patients', nullable=False)
    )
    op.add_column('import_job', sa.Column('changed', sa.Integer(), server_default='0', nullable=False))
    op.create_table(
        'archive',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('state', sa.String(length=10), server_default='waiting', nullable=False),
        sa.Column('done', sa.Integer(), server_default='0', nullable=False),
        sa.Column('about', sa.Integer(), server_default='0', nullable=False),
        sa.Column('bytes', sa.BigInteger(), server_default='0', nullable=False),
        sa.Column('words', sa.String(length=255), server_default='', nullable=False),
        sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
        sa.Column('by_id', sa.Integer(), nullable=True),
        sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_archive')),
        sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_archive_by_id')),
    )


def downgrade() -> None:
    op.drop_table('archive')
    op.drop_column('import_job', 'changed')
    op.drop_column('import_job', 'kind')
