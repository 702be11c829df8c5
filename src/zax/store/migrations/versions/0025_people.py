"""People: roles as data, invitations and resets, second factors, PINs, what a session is; who left; sealed
records
"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0025'
down_revision = '0024'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)
RECEPTIONIST = 'see book patients arrivals charges payments accounts close'
BILLER = 'see patients charges payments accounts close statements claims plans merge export fees'
CLINICIAN = 'see arrivals charges returns'
MANAGER = (
    'see book patients arrivals overrule charges returns payments accounts fees close reopen statements claims plans'
    ' merge export setup people audit'
)
ROLES = (
    ('receptionist', 'Front desk', RECEPTIONIST),
    ('biller', 'Billing', BILLER),
    ('clinician', 'Clinician', CLINICIAN),
    ('manager', 'Manager', MANAGER),
)


def _words(name: str, length: int, default: str = '') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.String(length=length), server_default=default, nullable=False)


def _id() -> sa.Column:  # type: ignore[type-arg]
    return sa.Column('id', sa.Integer(), autoincrement=True, nullable=False)


def _flag(name: str, default: str = '0') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.Boolean(), server_default=default, nullable=False)


def _ref(name: str, nullable: bool = False) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.Integer(), nullable=nullable)


def _moment(name: str, nullable: bool = False) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, MOMENT, nullable=nullable)


def _key(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=op.f(f'fk_{table}_{column}'))


def upgrade() -> None:
    role = op.create_table(
        'role',
        _id(),
        _words('key', 20),
        _words('words', 30),
        sa.Column('rights', sa.JSON(), server_default='[]', nullable=False),
        sa.Column('position', sa.SmallInteger(), nullable=False),
        _flag('active', '1'),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_role')),
        sa.UniqueConstraint('key', name=op.f('uq_role_key')),
    )
    op.bulk_insert(
        role,
        [
            {'key': key, 'words': words, 'rights': rights.split(), 'position': n}
            for n, (key, words, rights) in enumerate(ROLES, 1)
        ],
    )
    for column in (
        _words('email', 120),
        _words('pin_hash', 200),
        _words('second_sealed', 300),
        _moment('second_at', nullable=True),
        sa.Column('second_step', sa.BigInteger(), server_default='0', nullable=False),
        _flag('must_second'),
        sa.Column('site_ids', sa.JSON(), server_default='[]', nullable=False),
        _moment('left_at', nullable=True),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    ):
        op.add_column('user', column)
    op.create_table(
        'user_link',
        _id(),
        _ref('user_id'),
        _words('token_hash', 64),
        _words('purpose', 8),
        _moment('made_at'),
        _moment('until'),
        _moment('ended_at', nullable=True),
        _ref('by_id', nullable=True),
        _key('user_link', 'user_id', 'user'),
        _key('user_link', 'by_id', 'user'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_user_link')),
        sa.UniqueConstraint('token_hash', name=op.f('uq_user_link_token_hash')),
    )
    op.create_table(
        'recovery_code',
        _id(),
        _ref('user_id'),
        _words('code_hash', 64),
        _moment('used_at', nullable=True),
        _key('recovery_code', 'user_id', 'user'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_recovery_code')),
    )
    for column in (_words('address', 45), _words('device', 16), _moment('locked_at', nullable=True), _flag('by_pin')):
        op.add_column('session', column)
    op.add_column('provider', sa.Column('left_on', sa.Date(), nullable=True))
    op.add_column('patient', _flag('sealed'))
    op.create_table(
        'seal_broken',
        _id(),
        _moment('at'),
        _moment('until'),
        _ref('user_id'),
        _ref('patient_id'),
        _words('reason', 200),
        _moment('seen_at', nullable=True),
        _ref('seen_by', nullable=True),
        _key('seal_broken', 'user_id', 'user'),
        _key('seal_broken', 'patient_id', 'patient'),
        _key('seal_broken', 'seen_by', 'user'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_seal_broken')),
        sa.Index('ix_seal_broken_user_id_patient_id', 'user_id', 'patient_id'),
    )


def downgrade() -> None:
    op.drop_table('seal_broken')
    op.drop_column('patient', 'sealed')
    op.drop_column('provider', 'left_on')
    for name in ('address', 'device', 'locked_at', 'by_pin'):
        op.drop_column('session', name)
    op.drop_table('recovery_code')
    op.drop_table('user_link')
    for name in ('email', 'pin_hash', 'second_sealed', 'second_at', 'second_step', 'must_second', 'site_ids', 'left_at', 'version'):
        op.drop_column('user', name)
    op.drop_table('role')
