"""Hand-overs: a row of any list given to a person or a role with a word and a day"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = '0016'
down_revision = '0015'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table('hand_over',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('about', sa.String(length=10), server_default='', nullable=False),
    sa.Column('about_id', sa.Integer(), nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=True),
    sa.Column('title', sa.String(length=120), server_default='', nullable=False),
    sa.Column('words', sa.String(length=200), server_default='', nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('to_user_id', sa.Integer(), nullable=True),
    sa.Column('to_role', sa.String(length=20), server_default='', nullable=False),
    sa.Column('due_day', sa.Date(), nullable=True),
    sa.Column('made_at', MOMENT, nullable=False),
    sa.Column('made_by', sa.Integer(), nullable=False),
    sa.Column('done_at', MOMENT, nullable=True),
    sa.Column('done_by', sa.Integer(), nullable=True),
    sa.Column('done_words', sa.String(length=200), server_default='', nullable=False),
    sa.Column('seen_at', MOMENT, nullable=True),
    *(
        sa.ForeignKeyConstraint([name], [f'{target}.id'], name=op.f(f'fk_hand_over_{name}'))
        for name, target in (
            ('patient_id', 'patient'), ('to_user_id', 'user'), ('made_by', 'user'), ('done_by', 'user')
        )
    ),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_hand_over'))
    )
    op.create_index('ix_hand_over_done_at_to_user_id', 'hand_over', ['done_at', 'to_user_id'])
