"""Times asked for online: what a type is called there, requests with their code, and how often somebody tried"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0021'
down_revision = '0020'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def _words(name: str, length: int, default: str = '') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.String(length=length), server_default=default, nullable=False)


def upgrade() -> None:
    op.add_column('visit_type', _words('web_words', 60))
    op.add_column('visit_type', _words('web_note', 120))
    op.create_table(
        'online_request',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        _words('device', 64),
        sa.Column('type_id', sa.Integer(), nullable=False),
        sa.Column('site_id', sa.Integer(), nullable=False),
        sa.Column('provider_id', sa.Integer(), nullable=False),
        sa.Column('day', sa.Date(), nullable=False),
        sa.Column('start_min', sa.SmallInteger(), server_default='0', nullable=False),
        sa.Column('been_here', sa.Boolean(), server_default='0', nullable=False),
        _words('first', 60),
        _words('last', 60),
        sa.Column('birth', sa.Date(), nullable=False),
        _words('phone', 10),
        _words('message', 500),
        _words('language', 2, 'en'),
        _words('code', 64),
        sa.Column('code_at', MOMENT, nullable=False),
        sa.Column('code_tries', sa.SmallInteger(), server_default='0', nullable=False),
        sa.Column('visit_id', sa.Integer(), nullable=True),
        sa.Column('link', sa.String(length=24), nullable=True),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('done_at', MOMENT, nullable=True),
        sa.ForeignKeyConstraint(['type_id'], ['visit_type.id'], name=op.f('fk_online_request_type_id')),
        sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_online_request_site_id')),
        sa.ForeignKeyConstraint(['provider_id'], ['provider.id'], name=op.f('fk_online_request_provider_id')),
        sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_online_request_visit_id')),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_online_request')),
        sa.UniqueConstraint('link', name=op.f('uq_online_request_link')),
    )
    op.create_table(
        'online_try',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        _words('kind', 12),
        _words('who', 64),
        sa.Column('at', MOMENT, nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_online_try')),
    )
    op.create_index(op.f('ix_online_try_kind_who_at'), 'online_try', ['kind', 'who', 'at'])


def downgrade() -> None:
    op.drop_table('online_try')
    op.drop_table('online_request')
    op.drop_column('visit_type', 'web_note')
    op.drop_column('visit_type', 'web_words')
