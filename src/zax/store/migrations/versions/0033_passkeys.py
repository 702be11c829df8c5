"""Passkeys: the public halves of keys that people sign in with"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0033'
down_revision = '0032'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        'passkey',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('user_id', sa.Integer(), nullable=False),
        sa.Column('key_hash', sa.String(length=64), nullable=False),
        sa.Column('public', sa.Text(), nullable=False),
        sa.Column('uses', sa.BigInteger(), server_default='0', nullable=False),
        sa.Column('words', sa.String(length=40), server_default='', nullable=False),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('used_at', MOMENT, nullable=True),
        sa.ForeignKeyConstraint(['user_id'], ['user.id'], name=op.f('fk_passkey_user_id')),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_passkey')),
        sa.UniqueConstraint('key_hash', name=op.f('uq_passkey_key_hash')),
    )


def downgrade() -> None:
    op.drop_table('passkey')
