"""The clinic's own fields of the record"""

from alembic import op
import sqlalchemy as sa

revision = '0030'
down_revision = '0029'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'record_field',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('kept_as', sa.String(40), nullable=False),
        sa.Column('words', sa.String(40), server_default='', nullable=False),
        sa.Column('kind', sa.String(10), server_default='', nullable=False),
        sa.Column('choices', sa.JSON(), server_default='[]', nullable=False),
        sa.Column('section', sa.String(10), server_default='', nullable=False),
        sa.Column('needed', sa.String(10), server_default='', nullable=False),
        sa.Column('at_visits', sa.Boolean(), server_default='0', nullable=False),
        sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
        sa.Column('position', sa.SmallInteger(), nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_record_field')),
        sa.UniqueConstraint('kept_as', name=op.f('uq_record_field_kept_as')),
    )
    op.add_column('patient', sa.Column('own', sa.JSON(), server_default='{}', nullable=False))


def downgrade() -> None:
    op.drop_column('patient', 'own')
    op.drop_table('record_field')
