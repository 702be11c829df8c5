"""Registration before the visit: codes of their own, what was typed, doctors elsewhere; a form that a patient
signed on their own
"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0022'
down_revision = '0021'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def _words(name: str, length: int, default: str = '') -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.String(length=length), server_default=default, nullable=False)


def _map(name: str) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.JSON(), server_default='{}', nullable=False)


def upgrade() -> None:
    op.create_table(
        'online_code',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        _words('purpose', 12),
        _words('device', 64),
        _words('phone', 10),
        _words('language', 2, 'en'),
        _words('code', 64),
        sa.Column('code_at', MOMENT, nullable=False),
        sa.Column('tries', sa.SmallInteger(), server_default='0', nullable=False),
        sa.Column('used_at', MOMENT, nullable=True),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_online_code')),
    )
    op.execute(
        "INSERT INTO online_code (id, purpose, device, phone, language, code, code_at, tries, used_at)"
        " SELECT id, 'ask', device, phone, language, code, code_at, code_tries, done_at FROM online_request"
    )
    op.add_column('online_request', sa.Column('code_id', sa.Integer(), nullable=True))
    op.execute('UPDATE online_request SET code_id = id')
    op.alter_column('online_request', 'code_id', existing_type=sa.Integer(), nullable=False)
    op.create_foreign_key(op.f('fk_online_request_code_id'), 'online_request', 'online_code', ['code_id'], ['id'])
    for name in ('device', 'code', 'code_at', 'code_tries'):
        op.drop_column('online_request', name)
    op.create_table(
        'registration',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('patient_id', sa.Integer(), nullable=False),
        sa.Column('visit_id', sa.Integer(), nullable=True),
        sa.Column('link', sa.String(length=24), nullable=True),
        _words('state', 8, 'open'),
        _words('language', 2, 'en'),
        _words('proven_phone', 10),
        sa.Column('wrong_tries', sa.SmallInteger(), server_default='0', nullable=False),
        _map('shown'),
        _map('pages'),
        _map('photos'),
        _map('taken'),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('made_by', sa.Integer(), nullable=True),
        sa.Column('opened_at', MOMENT, nullable=True),
        sa.Column('saved_at', MOMENT, nullable=True),
        sa.Column('sent_at', MOMENT, nullable=True),
        sa.Column('done_at', MOMENT, nullable=True),
        sa.Column('done_by', sa.Integer(), nullable=True),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
        sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_registration_patient_id')),
        sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_registration_visit_id')),
        sa.ForeignKeyConstraint(['made_by'], ['user.id'], name=op.f('fk_registration_made_by')),
        sa.ForeignKeyConstraint(['done_by'], ['user.id'], name=op.f('fk_registration_done_by')),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_registration')),
        sa.UniqueConstraint('link', name=op.f('uq_registration_link')),
    )
    op.create_index(op.f('ix_registration_state_sent_at'), 'registration', ['state', 'sent_at'])
    op.create_index(op.f('ix_registration_patient_id_state'), 'registration', ['patient_id', 'state'])
    op.create_table(
        'online_who',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('code_id', sa.Integer(), nullable=False),
        _words('first', 60),
        _words('last', 60),
        sa.Column('birth', sa.Date(), nullable=True),
        sa.Column('patient_id', sa.Integer(), nullable=True),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.ForeignKeyConstraint(['code_id'], ['online_code.id'], name=op.f('fk_online_who_code_id')),
        sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_online_who_patient_id')),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_online_who')),
    )
    op.create_table(
        'outside_doctor',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        _words('first', 60),
        _words('last', 60),
        _words('degree', 10),
        _words('practice', 80),
        _words('phone', 10),
        _words('npi', 10),
        sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_outside_doctor')),
    )
    for name in ('doctor', 'referrer', 'pharmacy'):
        op.add_column('patient', _words(name, 80))
    op.create_index(op.f('ix_patient_employer'), 'patient', ['employer'])
    op.alter_column('signed_form', 'by_id', existing_type=sa.Integer(), nullable=True)


def downgrade() -> None:
    op.execute('DELETE FROM signed_form WHERE by_id IS NULL')
    op.alter_column('signed_form', 'by_id', existing_type=sa.Integer(), nullable=False)
    op.drop_index(op.f('ix_patient_employer'), 'patient')
    for name in ('pharmacy', 'referrer', 'doctor'):
        op.drop_column('patient', name)
    op.drop_table('outside_doctor')
    op.drop_table('online_who')
    op.drop_table('registration')
    op.add_column('online_request', _words('device', 64))
    op.add_column('online_request', _words('code', 64))
    op.add_column('online_request', sa.Column('code_at', MOMENT, nullable=True))
    op.add_column('online_request', sa.Column('code_tries', sa.SmallInteger(), server_default='0', nullable=False))
    op.execute(
        'UPDATE online_request r JOIN online_code c ON c.id = r.code_id'
        ' SET r.device = c.device, r.code = c.code, r.code_at = c.code_at, r.code_tries = c.tries'
    )
    op.alter_column('online_request', 'code_at', existing_type=MOMENT, nullable=False)
    op.drop_constraint(op.f('fk_online_request_code_id'), 'online_request', type_='foreignkey')
    op.drop_column('online_request', 'code_id')
    op.drop_table('online_code')
