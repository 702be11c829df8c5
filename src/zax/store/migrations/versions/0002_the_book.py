"""The Book: hours with patterns, exceptions, closures, visit types, service sets, shelf, waitlist, planned work, undo"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0002'
down_revision = '0001'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('service_set',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('name', sa.String(length=60), server_default='', nullable=False),
    sa.Column('dental', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_service_set'))
    )
    op.create_table('service_set_line',
    sa.Column('set_id', sa.Integer(), nullable=False),
    sa.Column('service_id', sa.Integer(), nullable=False),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.ForeignKeyConstraint(['service_id'], ['service.id'], name=op.f('fk_service_set_line_service_id')),
    sa.ForeignKeyConstraint(['set_id'], ['service_set.id'], name=op.f('fk_service_set_line_set_id')),
    sa.PrimaryKeyConstraint('set_id', 'service_id', name=op.f('pk_service_set_line'))
    )
    op.create_table('provider_exception',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('provider_id', sa.Integer(), nullable=False),
    sa.Column('site_id', sa.Integer(), nullable=True),
    sa.Column('from_day', sa.Date(), nullable=False),
    sa.Column('to_day', sa.Date(), nullable=False),
    sa.Column('start_min', sa.SmallInteger(), nullable=False),
    sa.Column('end_min', sa.SmallInteger(), nullable=False),
    sa.Column('extra', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('words', sa.String(length=80), server_default='', nullable=False),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['provider_id'], ['provider.id'], name=op.f('fk_provider_exception_provider_id')),
    sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_provider_exception_site_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_provider_exception'))
    )
    op.create_table('book_act',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('words', sa.String(length=200), server_default='', nullable=False),
    sa.Column('detail', sa.JSON(), nullable=False),
    sa.Column('undone_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_book_act_by_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_book_act'))
    )
    op.create_index('ix_book_act_by_id_at', 'book_act', ['by_id', 'at'], unique=False)
    op.create_table('planned_service',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('service_id', sa.Integer(), nullable=False),
    sa.Column('tooth', sa.String(length=2), server_default='', nullable=False),
    sa.Column('surfaces', sa.String(length=5), server_default='', nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=True),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('done_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('removed_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_planned_service_patient_id')),
    sa.ForeignKeyConstraint(['service_id'], ['service.id'], name=op.f('fk_planned_service_service_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_planned_service_visit_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_planned_service'))
    )
    op.create_table('shelf',
    sa.Column('visit_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('user_id', sa.Integer(), nullable=False),
    sa.Column('shared', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('was', sa.String(length=10), server_default='', nullable=False),
    sa.Column('words', sa.String(length=120), server_default='', nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['user_id'], ['user.id'], name=op.f('fk_shelf_user_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_shelf_visit_id')),
    sa.PrimaryKeyConstraint('visit_id', name=op.f('pk_shelf'))
    )
    op.create_index('ix_shelf_user_id_at', 'shelf', ['user_id', 'at'], unique=False)
    op.create_table('waiting',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('why', sa.String(length=8), server_default='', nullable=False),
    sa.Column('site_id', sa.Integer(), nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=True),
    sa.Column('type_id', sa.Integer(), nullable=False),
    sa.Column('minutes', sa.SmallInteger(), nullable=False),
    sa.Column('provider_id', sa.Integer(), nullable=True),
    sa.Column('value_cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('note', sa.String(length=200), server_default='', nullable=False),
    sa.Column('since_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('asked_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('last_try', sa.String(length=120), server_default='', nullable=False),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('ended_by', sa.Integer(), nullable=True),
    sa.Column('ended_why', sa.String(length=200), server_default='', nullable=False),
    sa.Column('open_key', sa.String(length=40), sa.Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', why, '-', type_id), NULL)", persisted=True), nullable=True),
    sa.ForeignKeyConstraint(['ended_by'], ['user.id'], name=op.f('fk_waiting_ended_by')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_waiting_patient_id')),
    sa.ForeignKeyConstraint(['provider_id'], ['provider.id'], name=op.f('fk_waiting_provider_id')),
    sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_waiting_site_id')),
    sa.ForeignKeyConstraint(['type_id'], ['visit_type.id'], name=op.f('fk_waiting_type_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_waiting_visit_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_waiting')),
    sa.UniqueConstraint('open_key', name=op.f('uq_waiting_open_key'))
    )
    op.create_index('ix_waiting_ended_at_site_id', 'waiting', ['ended_at', 'site_id'], unique=False)
    op.add_column('charge_line', sa.Column('planned_id', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_charge_line_planned_id'), 'charge_line', 'planned_service', ['planned_id'], ['id'])
    op.rename_table('closure', 'closure_before')
    op.create_table('closure',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('site_id', sa.Integer(), nullable=True),
    sa.Column('starts', mysql.DATETIME(), nullable=False),
    sa.Column('ends', mysql.DATETIME(), nullable=False),
    sa.Column('words', sa.String(length=80), server_default='', nullable=False),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_closure_site_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_closure'))
    )
    op.create_index('ix_closure_ends', 'closure', ['ends'], unique=False)
    op.execute("INSERT INTO closure (starts, ends, words) SELECT day, day + INTERVAL 1 DAY, words FROM closure_before")
    op.drop_table('closure_before')
    op.add_column('patient', sa.Column('likes', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('patient', sa.Column('never', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('provider', sa.Column('at_once', sa.SmallInteger(), server_default='1', nullable=False))
    op.add_column('provider_hours', sa.Column('pattern', sa.String(length=8), server_default='every', nullable=False))
    op.add_column('provider_hours', sa.Column('from_day', sa.Date(), nullable=True))
    op.add_column('provider_hours', sa.Column('to_day', sa.Date(), nullable=True))
    op.add_column('provider_hours', sa.Column('rest', sa.String(length=40), server_default='', nullable=False))
    op.add_column('room', sa.Column('equipment', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('room', sa.Column('active', sa.Boolean(), server_default='1', nullable=False))
    op.add_column('visit', sa.Column('buffer_min', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('visit', sa.Column('held_until', mysql.DATETIME(fsp=6), nullable=True))
    op.add_column('visit', sa.Column('web_message', sa.String(length=500), server_default='', nullable=False))
    op.add_column('visit', sa.Column('off_why', sa.String(length=10), server_default='', nullable=False))
    op.create_index('ix_visit_patient_id_state_off_why', 'visit', ['patient_id', 'state', 'off_why'], unique=False)
    op.add_column('visit_type', sa.Column('staff_needs', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('visit_type', sa.Column('lead_parts', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('visit_type', sa.Column('hours', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('visit_type', sa.Column('equipment', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('visit_type', sa.Column('room_ids', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('visit_type', sa.Column('buffer_min', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('visit_type', sa.Column('most_a_day', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('visit_type', sa.Column('goal_a_day', sa.SmallInteger(), server_default='0', nullable=False))
    op.add_column('visit_type', sa.Column('ask_after_days', sa.SmallInteger(), server_default='60', nullable=False))
    op.add_column('visit_type', sa.Column('for_whom', sa.String(length=8), server_default='all', nullable=False))
    op.add_column('visit_type', sa.Column('web', sa.String(length=8), server_default='no', nullable=False))
    op.add_column('visit_type', sa.Column('doubles', sa.Boolean(), server_default='0', nullable=False))
    op.add_column('visit_type', sa.Column('set_id', sa.Integer(), nullable=True))
    op.add_column('visit_type', sa.Column('active', sa.Boolean(), server_default='1', nullable=False))
    op.add_column('visit_type', sa.Column('version', sa.Integer(), server_default='1', nullable=False))
    op.create_foreign_key(op.f('fk_visit_type_set_id'), 'visit_type', 'service_set', ['set_id'], ['id'])
    op.execute(
        "UPDATE visit_type SET staff_needs = JSON_ARRAY(JSON_OBJECT('role', helper_role, 'minutes', helper_minutes, "
        "'offsets', JSON_EXTRACT(CONCAT('[', REPLACE(TRIM(helper_offsets), ' ', ','), ']'), '$'), 'words', 'exam', 'same_as', NULL)) WHERE helper_minutes > 0"
    )
    op.drop_column('visit_type', 'helper_offsets')
    op.drop_column('visit_type', 'helper_role')
    op.drop_column('visit_type', 'helper_minutes')

