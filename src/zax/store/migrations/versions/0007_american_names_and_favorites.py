"""American names of checks, installments and canceled visits; diagnoses kept at hand"""

from alembic import op
from sqlalchemy.dialects import mysql
import sqlalchemy as sa

revision = '0007'
down_revision = '0006'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.alter_column('payment', 'cheque_number', new_column_name='check_number', existing_type=sa.String(length=20), existing_nullable=False, existing_server_default='')
    op.alter_column('day_close', 'cheques', new_column_name='checks', existing_type=sa.JSON(), existing_nullable=False, existing_server_default='[]')
    op.execute("UPDATE payment SET tender = 'check' WHERE tender = 'cheque'")
    for name in ('counted', 'expected'):
        op.execute(f"""UPDATE day_close SET {name} = REPLACE({name}, '"cheque"', '"check"')""")
    op.execute("UPDATE outbox SET kind = 'installment' WHERE kind = 'instalment'")
    op.execute("UPDATE visit SET state = 'canceled' WHERE state = 'cancelled'")
    for name in ('from_stop', 'to_stop'):
        op.execute(f"UPDATE track_move SET {name} = 'canceled' WHERE {name} = 'cancelled'")
    op.execute("""UPDATE book_act SET detail = REPLACE(detail, '"cancelled"', '"canceled"')""")
    op.add_column('provider_hours', sa.Column('counted_from', sa.Date(), nullable=True))
    op.create_index('ix_visit_diagnosis_code', 'visit_diagnosis', ['code'])
    op.create_table('favorite_diagnosis',
    sa.Column('user_id', sa.Integer(), nullable=False),
    sa.Column('code', sa.String(length=8), nullable=False),
    sa.ForeignKeyConstraint(['code'], ['diagnosis_code.code'], name=op.f('fk_favorite_diagnosis_code')),
    sa.ForeignKeyConstraint(['user_id'], ['user.id'], name=op.f('fk_favorite_diagnosis_user_id')),
    sa.PrimaryKeyConstraint('user_id', 'code', name=op.f('pk_favorite_diagnosis'))
    )
