"""Errands and duties that fail are counted, and set aside or said"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from zax.core.patients.person import LONGEST_NAME, search_key
from zax.core.patients.sounds import sound_of

revision = '0006'
down_revision = '0005'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('session',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('user_id', sa.Integer(), nullable=False),
    sa.Column('token_hash', sa.String(length=64), nullable=False),
    sa.Column('password_mark', sa.String(length=16), server_default='', nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('until', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['user_id'], ['user.id'], name=op.f('fk_session_user_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_session')),
    sa.UniqueConstraint('token_hash', name=op.f('uq_session_token_hash'))
    )
    op.create_table('form_done',
    sa.Column('key', sa.String(length=44), nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('key', name=op.f('pk_form_done'))
    )
    op.create_table('interest_charged',
    sa.Column('line_id', sa.Integer(), nullable=False),
    sa.Column('month', sa.Date(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.ForeignKeyConstraint(['line_id'], ['charge_line.id'], name=op.f('fk_interest_charged_line_id')),
    sa.PrimaryKeyConstraint('line_id', 'month', name=op.f('pk_interest_charged'))
    )
    op.execute("SET foreign_key_checks=0")  # a reference is added in place then; each names a coverage that exists
    for name in ('first_coverage_id', 'second_coverage_id'):
        op.add_column('charge_line', sa.Column(name, sa.Integer(), nullable=True))
        op.create_foreign_key(op.f(f'fk_charge_line_{name}'), 'charge_line', 'coverage', [name], ['id'])
    for name in ('own_cents', 'second_deductible_cents', 'second_own_cents'):
        op.add_column('charge_line', sa.Column(name, sa.BigInteger(), server_default='0', nullable=False))
    op.execute(
        "UPDATE charge_line l JOIN claim_line k ON k.line_id = l.id JOIN claim c ON c.id = k.claim_id "
        "SET l.first_coverage_id = c.coverage_id"
    )
    op.execute("SET foreign_key_checks=1")
    op.execute("UPDATE service SET category = 'orthodontics' WHERE category = 'braces'")
    op.execute("""UPDATE plan SET terms = REPLACE(terms, '"braces"', '"orthodontics"')""")
    op.add_column('outbox', sa.Column('failures', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('beat', sa.Column('failures', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('beat', sa.Column('failed_at', mysql.DATETIME(fsp=6), nullable=True))
    op.add_column('beat', sa.Column('why', sa.String(length=200), server_default='', nullable=False))
    op.create_index('ix_day_close_site_id_day', 'day_close', ['site_id', 'day'])
    op.drop_constraint('uq_day_close_site_id_day', 'day_close', type_='unique')
    for name in ('slip_at', 'reopened_at'):
        op.add_column('day_close', sa.Column(name, mysql.DATETIME(fsp=6), nullable=True))
    op.add_column('day_close', sa.Column('reopened_by_id', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_day_close_reopened_by_id'), 'day_close', 'user', ['reopened_by_id'], ['id'])
    op.add_column('day_close', sa.Column('reopened_why', sa.String(length=200), server_default='', nullable=False))
    held = sa.Computed('IF(reopened_at IS NULL, day, NULL)', persisted=True)
    op.add_column('day_close', sa.Column('held_day', sa.Date(), held))
    op.create_unique_constraint('uq_day_close_site_id_held_day', 'day_close', ['site_id', 'held_day'])
    _find_by_plain_spelling()


def _find_by_plain_spelling() -> None:
    """Names with apostrophes or letters outside ASCII get the keys that they are found by now."""
    connection = op.get_bind()
    patient = sa.table('patient', *(sa.column(n) for n in ('id', 'first', 'last', 'first_key', 'last_key', 'first_sound', 'last_sound')))
    unusual = sa.text("CONCAT(first, last) REGEXP '[^ -~]' OR CONCAT(first, last) LIKE '%''%' OR CONCAT(first, last) LIKE '%`%'")
    for row in connection.execute(sa.select(patient.c.id, patient.c.first, patient.c.last).where(unusual)).all():
        one, two = search_key(row.first)[:LONGEST_NAME], search_key(row.last)[:LONGEST_NAME]
        keys = {'first_key': one, 'last_key': two, 'first_sound': sound_of(one), 'last_sound': sound_of(two)}
        connection.execute(sa.update(patient).where(patient.c.id == row.id).values(**keys))
