"""A claim may ask about planned work, and its answer stands with the work"""

from alembic import op
import sqlalchemy as sa

revision = '0010'
down_revision = '0009'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.alter_column('claim', 'visit_id', existing_type=sa.Integer(), nullable=True)
    op.add_column('claim', sa.Column('proposal_id', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_claim_proposal_id'), 'claim', 'proposal', ['proposal_id'], ['id'])
    op.create_table('claim_planned',
    sa.Column('claim_id', sa.Integer(), nullable=False),
    sa.Column('planned_id', sa.Integer(), nullable=False),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.ForeignKeyConstraint(['claim_id'], ['claim.id'], name=op.f('fk_claim_planned_claim_id')),
    sa.ForeignKeyConstraint(['planned_id'], ['planned_service.id'], name=op.f('fk_claim_planned_planned_id')),
    sa.PrimaryKeyConstraint('claim_id', 'planned_id', name=op.f('pk_claim_planned'))
    )
    op.add_column('planned_service', sa.Column('answered_on', sa.Date(), nullable=True))
    op.add_column('planned_service', sa.Column('answered_coverage_id', sa.Integer(), nullable=True))
    op.create_foreign_key(
        op.f('fk_planned_service_answered_coverage_id'),
        'planned_service', 'coverage', ['answered_coverage_id'], ['id'],
    )
    for name in ('answered_allowed', 'answered_pays', 'answered_deductible'):
        op.add_column('planned_service', sa.Column(f'{name}_cents', sa.BigInteger(), server_default='0', nullable=False))
