"""A claim has a form, a rank, a thread, and what people added to it"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0009'
down_revision = '0008'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('claim', sa.Column('form', sa.String(length=1), server_default='', nullable=False))
    op.execute("UPDATE claim SET form = IF(dental, 'D', 'P')")
    op.drop_column('claim', 'dental')
    op.add_column('claim', sa.Column('rank', sa.String(length=1), server_default='P', nullable=False))
    op.add_column('claim', sa.Column('frequency', sa.String(length=1), server_default='1', nullable=False))
    op.add_column('claim', sa.Column('follows_id', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_claim_follows_id'), 'claim', 'claim', ['follows_id'], ['id'])
    op.add_column('claim', sa.Column('carried', sa.JSON(), server_default='{}', nullable=False))
    op.add_column('claim', sa.Column('kept', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('claim', sa.Column('payer_claim', sa.String(length=50), server_default='', nullable=False))
    op.add_column('claim', sa.Column('closed_why', sa.String(length=200), server_default='', nullable=False))
    op.add_column('claim', sa.Column('status', sa.String(length=200), server_default='', nullable=False))
    op.add_column('claim', sa.Column('asked_at', mysql.DATETIME(fsp=6), nullable=True))
    op.add_column('claim', sa.Column('again_on', sa.Date(), nullable=True))
    op.add_column('claim', sa.Column('owner_id', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_claim_owner_id'), 'claim', 'user', ['owner_id'], ['id'])
    op.add_column('claim', sa.Column('answered_at', mysql.DATETIME(fsp=6), nullable=True))
    op.create_table('payer_norm',
    sa.Column('payer_id', sa.Integer(), nullable=False),
    sa.Column('learned_days', sa.SmallInteger(), nullable=True),
    sa.Column('own_days', sa.SmallInteger(), nullable=True),
    sa.ForeignKeyConstraint(['payer_id'], ['payer.id'], name=op.f('fk_payer_norm_payer_id')),
    sa.PrimaryKeyConstraint('payer_id', name=op.f('pk_payer_norm'))
    )
    op.create_table('payer_rule',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('payer_id', sa.Integer(), nullable=True),
    sa.Column('field', sa.String(length=40), server_default='', nullable=False),
    sa.Column('condition', sa.String(length=10), server_default='', nullable=False),
    sa.Column('strength', sa.String(length=4), server_default='', nullable=False),
    sa.Column('sentence', sa.String(length=200), server_default='', nullable=False),
    sa.Column('value', sa.String(length=80), server_default='', nullable=False),
    sa.Column('codes', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['payer_id'], ['payer.id'], name=op.f('fk_payer_rule_payer_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_payer_rule'))
    )
