"""Insurer payments: entered by hand, what stays short, a payer's own account, rules of adjustments"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0012'
down_revision = '0011'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.alter_column('remit', 'file_id', existing_type=sa.Integer(), nullable=True)
    for column in (
        sa.Column('kind', sa.String(length=10), server_default='835', nullable=False),
        sa.Column('payer_id', sa.Integer(), nullable=True),
        sa.Column('provider_id', sa.Integer(), nullable=True),
        sa.Column('site_id', sa.Integer(), nullable=True),
        sa.Column('state', sa.String(length=10), server_default='finished', nullable=False),
        sa.Column('why', sa.String(length=200), server_default='', nullable=False),
        sa.Column('scan', sa.String(length=64), server_default='', nullable=False),
        sa.Column('scan_type', sa.String(length=40), server_default='', nullable=False),
        sa.Column('request_key', sa.String(length=40), nullable=True),
        sa.Column('made_at', MOMENT, nullable=True),
        sa.Column('by_id', sa.Integer(), nullable=True),
        sa.Column('worked_by_id', sa.Integer(), nullable=True),
        sa.Column('worked_at', MOMENT, nullable=True),
        sa.Column('finished_at', MOMENT, nullable=True),
        sa.Column('finished_by_id', sa.Integer(), nullable=True),
        sa.Column('books_day', sa.Date(), nullable=True),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    ):
        op.add_column('remit', column)
    for name, target in (
        ('payer_id', 'payer'), ('provider_id', 'provider'), ('site_id', 'site'), ('by_id', 'user'),
        ('worked_by_id', 'user'), ('finished_by_id', 'user'),
    ):
        op.create_foreign_key(op.f(f'fk_remit_{name}'), 'remit', target, [name], ['id'])
    op.create_unique_constraint(op.f('uq_remit_request_key'), 'remit', ['request_key'])
    op.create_index('ix_remit_state', 'remit', ['state'])
    op.create_index('ix_remit_site_id_books_day', 'remit', ['site_id', 'books_day'])
    for another in (
        sa.Column('answer', sa.JSON(), nullable=True),
        sa.Column('expected', sa.JSON(), nullable=True),
        sa.Column('at', MOMENT, nullable=True),
        sa.Column('by_id', sa.Integer(), nullable=True),
    ):
        op.add_column('remit_claim', another)
    op.create_foreign_key(op.f('fk_remit_claim_by_id'), 'remit_claim', 'user', ['by_id'], ['id'])
    op.add_column('journal', sa.Column('answer_id', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_journal_answer_id'), 'journal', 'remit_claim', ['answer_id'], ['id'])
    op.add_column('charge_line', sa.Column('contract_cents', sa.BigInteger(), nullable=True))
    op.add_column(
        'payer', sa.Column('appeal_days', sa.SmallInteger(), server_default='180', nullable=False)
    )
    op.create_table('shortfall',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('answer_id', sa.Integer(), nullable=False),
    sa.Column('claim_id', sa.Integer(), nullable=False),
    sa.Column('line_id', sa.Integer(), nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('work', sa.String(length=10), server_default='', nullable=False),
    sa.Column('reasons', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('remarks', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('words', sa.String(length=500), server_default='', nullable=False),
    sa.Column('state', sa.String(length=10), server_default='open', nullable=False),
    sa.Column('act_by', sa.Date(), nullable=True),
    sa.Column('answer_by', sa.Date(), nullable=True),
    sa.Column('letter', sa.String(length=64), server_default='', nullable=False),
    sa.Column('ended_how', sa.String(length=200), server_default='', nullable=False),
    sa.Column('made_at', MOMENT, nullable=False),
    sa.Column('appealed_at', MOMENT, nullable=True),
    sa.Column('ended_at', MOMENT, nullable=True),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.ForeignKeyConstraint(['answer_id'], ['remit_claim.id'], name=op.f('fk_shortfall_answer_id')),
    sa.ForeignKeyConstraint(['claim_id'], ['claim.id'], name=op.f('fk_shortfall_claim_id')),
    sa.ForeignKeyConstraint(['line_id'], ['charge_line.id'], name=op.f('fk_shortfall_line_id')),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_shortfall_by_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_shortfall'))
    )
    op.create_index('ix_shortfall_state', 'shortfall', ['state'])
    op.create_table('payer_entry',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('remit_id', sa.Integer(), nullable=True),
    sa.Column('payer', sa.String(length=80), server_default='', nullable=False),
    sa.Column('payer_id', sa.Integer(), nullable=True),
    sa.Column('claim_id', sa.Integer(), nullable=True),
    sa.Column('site_id', sa.Integer(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('reason', sa.String(length=8), server_default='', nullable=False),
    sa.Column('reference', sa.String(length=50), server_default='', nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('words', sa.String(length=200), server_default='', nullable=False),
    sa.Column('at', MOMENT, nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.Column('reverses_id', sa.Integer(), nullable=True),
    sa.ForeignKeyConstraint(['remit_id'], ['remit.id'], name=op.f('fk_payer_entry_remit_id')),
    sa.ForeignKeyConstraint(['payer_id'], ['payer.id'], name=op.f('fk_payer_entry_payer_id')),
    sa.ForeignKeyConstraint(['claim_id'], ['claim.id'], name=op.f('fk_payer_entry_claim_id')),
    sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_payer_entry_site_id')),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_payer_entry_by_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_payer_entry')),
    sa.UniqueConstraint('reverses_id', name=op.f('uq_payer_entry_reverses_id'))
    )
    op.create_index('ix_payer_entry_payer', 'payer_entry', ['payer'])
    op.create_table('adjustment_rule',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('group_code', sa.String(length=2), server_default='', nullable=False),
    sa.Column('reason', sa.String(length=5), server_default='', nullable=False),
    sa.Column('remark', sa.String(length=6), server_default='', nullable=False),
    sa.Column('payer_id', sa.Integer(), nullable=True),
    sa.Column('modifier', sa.String(length=2), server_default='', nullable=False),
    sa.Column('later', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('does', sa.String(length=10), server_default='', nullable=False),
    sa.Column('asks', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('made_at', MOMENT, nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['payer_id'], ['payer.id'], name=op.f('fk_adjustment_rule_payer_id')),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_adjustment_rule_by_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_adjustment_rule'))
    )
