"""Recall types of their own instead of a number of months on the visit type; recalls with notes, pauses and reasons"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0014'
down_revision = '0013'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)
TRIES = '[[-14, "text"], [7, "text"], [21, "call"], [45, "letter"]]'
WORDS = 'Hi {first}, your {what} is due. Call us at {phone} to pick a time. {clinic}'
LETTER = (
    'Dear {first},\n\nyour {what} is due {when}. Please call us at {phone}, and we’ll find a time that suits you.\n\n{clinic}'
)


def upgrade() -> None:
    op.create_table('recall_type',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('name', sa.String(length=60), server_default='', nullable=False),
    sa.Column('count', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('unit', sa.String(length=5), server_default='', nullable=False),
    sa.Column('type_id', sa.Integer(), nullable=False),
    sa.Column('before_days', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('after_days', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('youngest', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('oldest', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('same_person', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('starts', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('ends', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('repeats', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('tries', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('words', sa.String(length=400), server_default='', nullable=False),
    sa.Column('letter', sa.String(length=3000), server_default='', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('position', sa.SmallInteger(), nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['type_id'], ['visit_type.id'], name=op.f('fk_recall_type_type_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_recall_type'))
    )
    op.execute(
        sa.text(
            "INSERT INTO recall_type (name, count, unit, type_id, before_days, after_days, tries, words, letter, active,"
            " position) SELECT t.name, IF(t.recall_months > 0, t.recall_months, 6), 'month', t.id, 14, 28, :tries, :words,"
            " :letter, t.recall_months > 0, t.position FROM visit_type t WHERE t.recall_months > 0 OR t.id IN (SELECT"
            " type_id FROM recall)"
        ).bindparams(tries=TRIES, words=WORDS, letter=LETTER)
    )
    op.drop_index('uq_recall_open_key', 'recall')
    op.drop_column('recall', 'open_key')
    for column in (
        sa.Column('recall_type_id', sa.Integer(), nullable=True),
        sa.Column('own_count', sa.SmallInteger(), server_default='0', nullable=False),
        sa.Column('own_unit', sa.String(length=5), server_default='', nullable=False),
        sa.Column('note', sa.String(length=200), server_default='', nullable=False),
        sa.Column('paused_until', sa.Date(), nullable=True),
        sa.Column('done_visit_id', sa.Integer(), nullable=True),
        sa.Column('ended_by', sa.Integer(), nullable=True),
        sa.Column('ended_how', sa.String(length=200), server_default='', nullable=False),
        sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    ):
        op.add_column('recall', column)
    op.execute(
        "UPDATE recall r JOIN recall_type t ON t.type_id = r.type_id SET r.recall_type_id = t.id,"
        " r.own_count = IF(r.months = t.count, 0, r.months), r.own_unit = IF(r.months = t.count, '', 'month'),"
        " r.ended_how = IF(r.ended_at IS NULL, '', 'moved on or ended')"
    )
    op.drop_constraint('fk_recall_type_id', 'recall', type_='foreignkey')
    op.drop_index('fk_recall_type_id', 'recall')
    op.drop_column('recall', 'type_id')
    op.drop_column('recall', 'months')
    op.alter_column('recall', 'recall_type_id', existing_type=sa.Integer(), nullable=False)
    op.create_foreign_key(op.f('fk_recall_recall_type_id'), 'recall', 'recall_type', ['recall_type_id'], ['id'])
    op.create_foreign_key(op.f('fk_recall_done_visit_id'), 'recall', 'visit', ['done_visit_id'], ['id'])
    op.create_foreign_key(op.f('fk_recall_ended_by'), 'recall', 'user', ['ended_by'], ['id'])
    op.add_column(
        'recall',
        sa.Column(
            'open_key',
            sa.String(length=24),
            sa.Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', recall_type_id), NULL)", persisted=True),
        ),
    )
    op.create_unique_constraint(op.f('uq_recall_open_key'), 'recall', ['open_key'])
    op.create_index(
        'ix_recall_ended_at_recall_type_id_due_day', 'recall', ['ended_at', 'recall_type_id', 'due_day']
    )
    op.drop_column('visit_type', 'recall_months')
