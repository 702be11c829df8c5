"""Fees from a day on; price lists for patients who pay themselves"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0029'
down_revision = '0028'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'planned_fee',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('service_id', sa.Integer(), nullable=False),
        sa.Column('from_day', sa.Date(), nullable=False),
        sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
        sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
        sa.Column('made_by', sa.Integer(), nullable=True),
        sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_planned_fee')),
        sa.ForeignKeyConstraint(['service_id'], ['service.id'], name=op.f('fk_planned_fee_service_id')),
        sa.ForeignKeyConstraint(['made_by'], ['user.id'], name=op.f('fk_planned_fee_made_by')),
    )
    op.add_column('fee_schedule', sa.Column('flag_id', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_fee_schedule_flag_id'), 'fee_schedule', 'flag', ['flag_id'], ['id'])


def downgrade() -> None:
    op.drop_constraint(op.f('fk_fee_schedule_flag_id'), 'fee_schedule', type_='foreignkey')
    op.drop_column('fee_schedule', 'flag_id')
    op.drop_table('planned_fee')
