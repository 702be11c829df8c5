"""Patients' own page: passwords, sessions, whom somebody may see, what was paid online; how a statement went and
whether it was opened
"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0023'
down_revision = '0022'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def _words(name: str, length: int, default: str = '') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.String(length=length), server_default=default, nullable=False)


def _id() -> sa.Column:  # type: ignore[type-arg]
    return sa.Column('id', sa.Integer(), autoincrement=True, nullable=False)


def _ref(name: str, nullable: bool = False) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.Integer(), nullable=nullable)


def _key(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=op.f(f'fk_{table}_{column}'))


def upgrade() -> None:
    op.create_table(
        'own_login',
        _id(),
        _ref('patient_id'),
        _words('password_hash', 200),
        sa.Column('wrong_tries', sa.SmallInteger(), server_default='0', nullable=False),
        sa.Column('wrong_at', MOMENT, nullable=True),
        sa.Column('made_at', MOMENT, nullable=False),
        _key('own_login', 'patient_id', 'patient'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_own_login')),
        sa.UniqueConstraint('patient_id', name=op.f('uq_own_login_patient_id')),
    )
    op.create_table(
        'own_session',
        _id(),
        sa.Column('secret', sa.String(length=64), nullable=False),
        _ref('patient_id'),
        _words('device', 64),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('used_at', MOMENT, nullable=False),
        sa.Column('ended_at', MOMENT, nullable=True),
        _key('own_session', 'patient_id', 'patient'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_own_session')),
        sa.UniqueConstraint('secret', name=op.f('uq_own_session_secret')),
    )
    op.create_table(
        'own_allowed',
        _id(),
        _ref('patient_id'),
        _ref('for_id'),
        _words('proof', 200),
        sa.Column('at', MOMENT, nullable=False),
        _ref('by_id'),
        sa.Column('ended_at', MOMENT, nullable=True),
        _ref('ended_by', True),
        sa.Column(
            'open_key',
            sa.String(length=24),
            sa.Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', for_id), NULL)", persisted=True),
            nullable=True,
        ),
        _key('own_allowed', 'patient_id', 'patient'),
        _key('own_allowed', 'for_id', 'patient'),
        _key('own_allowed', 'by_id', 'user'),
        _key('own_allowed', 'ended_by', 'user'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_own_allowed')),
        sa.UniqueConstraint('open_key', name=op.f('uq_own_allowed_open_key')),
    )
    op.create_table(
        'own_payment',
        _id(),
        sa.Column('request_key', sa.String(length=40), nullable=False),
        _ref('patient_id'),
        _ref('household_id'),
        _ref('receipt_id'),
        _ref('visit_id', True),
        _words('about', 12),
        sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
        _words('state', 10, 'begun'),
        sa.Column('lines', sa.JSON(), server_default='[]', nullable=False),
        _words('page', 200),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('done_at', MOMENT, nullable=True),
        _ref('done_by', True),
        _key('own_payment', 'patient_id', 'patient'),
        _key('own_payment', 'household_id', 'household'),
        _key('own_payment', 'receipt_id', 'receipt'),
        _key('own_payment', 'visit_id', 'visit'),
        _key('own_payment', 'done_by', 'user'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_own_payment')),
        sa.UniqueConstraint('request_key', name=op.f('uq_own_payment_request_key')),
    )
    op.create_index(op.f('ix_own_payment_state_made_at'), 'own_payment', ['state', 'made_at'])
    op.create_table(
        'tablet',
        _id(),
        _words('name', 40),
        _ref('site_id'),
        sa.Column('secret', sa.String(length=64), nullable=False),
        sa.Column('opened_at', MOMENT, nullable=True),
        sa.Column('made_at', MOMENT, nullable=False),
        _ref('made_by', True),
        sa.Column('ended_at', MOMENT, nullable=True),
        _key('tablet', 'site_id', 'site'),
        _key('tablet', 'made_by', 'user'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_tablet')),
        sa.UniqueConstraint('secret', name=op.f('uq_tablet_secret')),
    )
    op.create_table(
        'tablet_stay',
        _id(),
        _ref('tablet_id'),
        _ref('visit_id'),
        sa.Column('told', sa.JSON(), server_default='{}', nullable=False),
        sa.Column('begun_at', MOMENT, nullable=False),
        sa.Column('used_at', MOMENT, nullable=False),
        sa.Column('ended_at', MOMENT, nullable=True),
        _key('tablet_stay', 'tablet_id', 'tablet'),
        _key('tablet_stay', 'visit_id', 'visit'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_tablet_stay')),
    )
    op.create_index(op.f('ix_tablet_stay_tablet_id_ended_at'), 'tablet_stay', ['tablet_id', 'ended_at'])
    op.alter_column('hand_over', 'made_by', existing_type=sa.Integer(), nullable=True)
    op.add_column(
        'visit_type', sa.Column('deposit_cents', sa.BigInteger(), server_default='0', nullable=False)
    )
    op.add_column('statement', _words('way', 6, 'paper'))
    op.add_column('statement', sa.Column('link', sa.String(length=24), nullable=True))
    for name in ('told_at', 'opened_at', 'printed_at'):
        op.add_column('statement', sa.Column(name, MOMENT, nullable=True))
    op.create_unique_constraint(op.f('uq_statement_link'), 'statement', ['link'])


def downgrade() -> None:
    op.drop_constraint(op.f('uq_statement_link'), 'statement', type_='unique')
    for name in ('printed_at', 'opened_at', 'told_at', 'link', 'way'):
        op.drop_column('statement', name)
    op.execute('DELETE FROM hand_over WHERE made_by IS NULL')
    op.alter_column('hand_over', 'made_by', existing_type=sa.Integer(), nullable=False)
    op.drop_column('visit_type', 'deposit_cents')
    op.drop_table('tablet_stay')
    op.drop_table('tablet')
    op.drop_table('own_payment')
    op.drop_table('own_allowed')
    op.drop_table('own_session')
    op.drop_table('own_login')
