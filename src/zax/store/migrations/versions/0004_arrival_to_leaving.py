"""Arrival to leaving: stages and whereabouts, arrival steps, heads-ups, forms, recalls, options of planned work, charges in full, parts of payments"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('form_template',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('name', sa.String(length=80), server_default='', nullable=False),
    sa.Column('blocks', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('again_months', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_form_template'))
    )
    op.create_table('headsup',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('words', sa.String(length=160), server_default='', nullable=False),
    sa.Column('todo', sa.String(length=160), server_default='', nullable=False),
    sa.Column('condition', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('places', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('warns', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_headsup'))
    )
    op.create_table('stage',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('name', sa.String(length=40), server_default='', nullable=False),
    sa.Column('whose', sa.String(length=10), server_default='', nullable=False),
    sa.Column('dental', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_stage'))
    )
    op.create_table('arrival_step',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('kind', sa.String(length=12), server_default='', nullable=False),
    sa.Column('words', sa.String(length=80), server_default='', nullable=False),
    sa.Column('note', sa.String(length=300), server_default='', nullable=False),
    sa.Column('required', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('for_whom', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('template_id', sa.Integer(), nullable=True),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['template_id'], ['form_template.id'], name=op.f('fk_arrival_step_template_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_arrival_step'))
    )
    op.create_table('proposal',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=80), server_default='', nullable=False),
    sa.Column('phases', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('options', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('provider_id', sa.Integer(), nullable=False),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('made_by', sa.Integer(), nullable=False),
    sa.Column('signed_option', sa.String(length=1), server_default='', nullable=False),
    sa.Column('signed_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['made_by'], ['user.id'], name=op.f('fk_proposal_made_by')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_proposal_patient_id')),
    sa.ForeignKeyConstraint(['provider_id'], ['provider.id'], name=op.f('fk_proposal_provider_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_proposal'))
    )
    op.create_table('arrival_done',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('step_id', sa.Integer(), nullable=False),
    sa.Column('how', sa.String(length=8), server_default='', nullable=False),
    sa.Column('note', sa.String(length=200), server_default='', nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.Column('undone_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('open_key', sa.String(length=24), sa.Computed("IF(undone_at IS NULL, CONCAT(visit_id, '-', step_id), NULL)", persisted=True), nullable=True),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_arrival_done_by_id')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_arrival_done_patient_id')),
    sa.ForeignKeyConstraint(['step_id'], ['arrival_step.id'], name=op.f('fk_arrival_done_step_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_arrival_done_visit_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_arrival_done')),
    sa.UniqueConstraint('open_key', name=op.f('uq_arrival_done_open_key'))
    )
    op.create_index('ix_arrival_done_patient_id_step_id', 'arrival_done', ['patient_id', 'step_id'], unique=False)
    op.create_table('headsup_dismissal',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('headsup_id', sa.Integer(), nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=True),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=False),
    sa.Column('undone_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_headsup_dismissal_by_id')),
    sa.ForeignKeyConstraint(['headsup_id'], ['headsup.id'], name=op.f('fk_headsup_dismissal_headsup_id')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_headsup_dismissal_patient_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_headsup_dismissal_visit_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_headsup_dismissal'))
    )
    op.create_index('ix_headsup_dismissal_patient_id_day', 'headsup_dismissal', ['patient_id', 'day'], unique=False)
    op.create_table('recall',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('type_id', sa.Integer(), nullable=False),
    sa.Column('months', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('due_day', sa.Date(), nullable=False),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('made_by', sa.Integer(), nullable=True),
    sa.Column('visit_id', sa.Integer(), nullable=True),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('open_key', sa.String(length=24), sa.Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', type_id), NULL)", persisted=True), nullable=True),
    sa.ForeignKeyConstraint(['made_by'], ['user.id'], name=op.f('fk_recall_made_by')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_recall_patient_id')),
    sa.ForeignKeyConstraint(['type_id'], ['visit_type.id'], name=op.f('fk_recall_type_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_recall_visit_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_recall')),
    sa.UniqueConstraint('open_key', name=op.f('uq_recall_open_key'))
    )
    op.create_index('ix_recall_ended_at_due_day', 'recall', ['ended_at', 'due_day'], unique=False)
    op.create_table('signed_form',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=True),
    sa.Column('template_id', sa.Integer(), nullable=True),
    sa.Column('template_version', sa.Integer(), server_default='0', nullable=False),
    sa.Column('proposal_id', sa.Integer(), nullable=True),
    sa.Column('name', sa.String(length=80), server_default='', nullable=False),
    sa.Column('answers', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('signer', sa.String(length=80), server_default='', nullable=False),
    sa.Column('relation', sa.String(length=30), server_default='', nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=False),
    sa.Column('digest', sa.String(length=64), server_default='', nullable=False),
    sa.Column('bytes', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_signed_form_by_id')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_signed_form_patient_id')),
    sa.ForeignKeyConstraint(['proposal_id'], ['proposal.id'], name=op.f('fk_signed_form_proposal_id')),
    sa.ForeignKeyConstraint(['template_id'], ['form_template.id'], name=op.f('fk_signed_form_template_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_signed_form_visit_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_signed_form'))
    )
    op.create_table('whereabouts',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=False),
    sa.Column('room_id', sa.Integer(), nullable=True),
    sa.Column('stage_id', sa.Integer(), nullable=True),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.Column('words', sa.String(length=200), server_default='', nullable=False),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_whereabouts_by_id')),
    sa.ForeignKeyConstraint(['room_id'], ['room.id'], name=op.f('fk_whereabouts_room_id')),
    sa.ForeignKeyConstraint(['stage_id'], ['stage.id'], name=op.f('fk_whereabouts_stage_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_whereabouts_visit_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_whereabouts'))
    )
    op.create_table('payment_part',
    sa.Column('payment_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('visit_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.ForeignKeyConstraint(['payment_id'], ['payment.id'], name=op.f('fk_payment_part_payment_id')),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], name=op.f('fk_payment_part_visit_id')),
    sa.PrimaryKeyConstraint('payment_id', 'visit_id', name=op.f('pk_payment_part'))
    )
    op.add_column('charge_line', sa.Column('area', sa.String(length=2), server_default='', nullable=False))
    op.add_column('charge_line', sa.Column('modifiers', sa.String(length=11), server_default='', nullable=False))
    op.add_column('charge_line', sa.Column('points_to', sa.JSON(), server_default='[]', nullable=False))
    op.add_column('charge_line', sa.Column('supervising_id', sa.Integer(), nullable=True))
    op.add_column('charge_line', sa.Column('place', sa.String(length=2), server_default='', nullable=False))
    op.add_column('charge_line', sa.Column('fee_why', sa.String(length=120), server_default='', nullable=False))
    op.add_column('charge_line', sa.Column('fee_by', sa.Integer(), nullable=True))
    op.create_foreign_key(op.f('fk_charge_line_fee_by'), 'charge_line', 'user', ['fee_by'], ['id'])
    op.create_foreign_key(op.f('fk_charge_line_supervising_id'), 'charge_line', 'provider', ['supervising_id'], ['id'])
    op.add_column('planned_service', sa.Column('proposal_id', sa.Integer(), nullable=True))
    op.add_column('planned_service', sa.Column('option_letter', sa.String(length=1), server_default='', nullable=False))
    op.add_column('planned_service', sa.Column('phase', sa.SmallInteger(), server_default='1', nullable=False))
    op.add_column('planned_service', sa.Column('area', sa.String(length=2), server_default='', nullable=False))
    op.create_index('ix_planned_service_proposal_id', 'planned_service', ['proposal_id'], unique=False)
    op.create_foreign_key(op.f('fk_planned_service_proposal_id'), 'planned_service', 'proposal', ['proposal_id'], ['id'])
    op.add_column('service', sa.Column('teeth', sa.String(length=10), server_default='', nullable=False))
    op.add_column('service', sa.Column('area', sa.String(length=8), server_default='', nullable=False))
    op.add_column('service', sa.Column('retired_on', sa.Date(), nullable=True))
    op.add_column('site', sa.Column('place', sa.String(length=2), server_default='11', nullable=False))
    op.add_column('visit', sa.Column('stage_id', sa.Integer(), nullable=True))
    op.add_column('visit', sa.Column('gone_at', mysql.DATETIME(fsp=6), nullable=True))
    op.create_foreign_key(op.f('fk_visit_stage_id'), 'visit', 'stage', ['stage_id'], ['id'])
    op.add_column('visit_type', sa.Column('recall_months', sa.SmallInteger(), server_default='0', nullable=False))

    _carry_over()


def _carry_over() -> None:
    """Payments get the visit they were for as their one part; whoever is in a room now has a place."""
    run = op.get_bind().execute
    run(sa.text("INSERT INTO payment_part (payment_id, visit_id, cents) SELECT id, visit_id, cents FROM payment WHERE visit_id IS NOT NULL"))
    run(sa.text(
        "INSERT INTO whereabouts (visit_id, room_id, at, by_id, words) SELECT v.id, v.room_id, MAX(t.at), NULL, '' FROM visit v "
        "JOIN track_move t ON t.visit_id = v.id AND t.to_stop = 'room' WHERE v.state = 'room' GROUP BY v.id, v.room_id"
    ))
