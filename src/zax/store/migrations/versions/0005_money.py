"""Money: receipts with several tenders, products, discounts, reasons, payment plans, statements, the close of the day; ledgers without a visit"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0005'
down_revision = '0004'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("SET foreign_key_checks=0")  # a reference is added in place then; every row that is filled below names one that exists
    op.create_table('product',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('words', sa.String(length=60), server_default='', nullable=False),
    sa.Column('code', sa.String(length=20), server_default='', nullable=False),
    sa.Column('price_cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('tax', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('stock', sa.Integer(), server_default='0', nullable=False),
    sa.Column('low', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('position', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_product'))
    )
    op.create_table('reason',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('words', sa.String(length=60), server_default='', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('position', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_reason'))
    )
    op.create_table('tender_kind',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('words', sa.String(length=30), server_default='', nullable=False),
    sa.Column('needs_number', sa.Boolean(), server_default='0', nullable=False),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('position', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_tender_kind'))
    )
    op.create_table('discount',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('words', sa.String(length=60), server_default='', nullable=False),
    sa.Column('percent', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('flag_id', sa.Integer(), nullable=True),
    sa.Column('active', sa.Boolean(), server_default='1', nullable=False),
    sa.Column('position', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['flag_id'], ['flag.id'], name=op.f('fk_discount_flag_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_discount'))
    )
    op.create_table('site_books',
    sa.Column('site_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('closed_day', sa.Date(), nullable=True),
    sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_site_books_site_id')),
    sa.PrimaryKeyConstraint('site_id', name=op.f('pk_site_books'))
    )
    op.create_table('card_on_file',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('token', sa.String(length=64), server_default='', nullable=False),
    sa.Column('ending', sa.String(length=4), server_default='', nullable=False),
    sa.Column('expires', sa.String(length=5), server_default='', nullable=False),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.Column('removed_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_card_on_file_by_id')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_card_on_file_patient_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_card_on_file'))
    )
    op.create_table('day_close',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('site_id', sa.Integer(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=False),
    sa.Column('expected', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('counted', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('pieces', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('cheques', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('unfinished', sa.JSON(), server_default='[]', nullable=False),
    sa.Column('float_cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('bank_cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('over_cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('why', sa.String(length=200), server_default='', nullable=False),
    sa.Column('entries', sa.Integer(), server_default='0', nullable=False),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_day_close_by_id')),
    sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_day_close_site_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_day_close')),
    sa.UniqueConstraint('site_id', 'day', name=op.f('uq_day_close_site_id_day'))
    )
    op.create_table('receipt',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('request_key', sa.String(length=40), nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('site_id', sa.Integer(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.Column('how', sa.String(length=5), server_default='none', nullable=False),
    sa.Column('email', sa.String(length=120), server_default='', nullable=False),
    sa.Column('change_cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_receipt_by_id')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_receipt_patient_id')),
    sa.ForeignKeyConstraint(['site_id'], ['site.id'], name=op.f('fk_receipt_site_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_receipt')),
    sa.UniqueConstraint('request_key', name=op.f('uq_receipt_request_key'))
    )
    op.create_table('statement_run',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('rule', sa.JSON(), server_default='{}', nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('total', sa.Integer(), server_default='0', nullable=False),
    sa.Column('done', sa.Integer(), server_default='0', nullable=False),
    sa.Column('state', sa.String(length=10), server_default='waiting', nullable=False),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=False),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_statement_run_by_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_statement_run'))
    )
    op.create_table('payment_plan',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('every', sa.String(length=10), server_default='', nullable=False),
    sa.Column('count', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('first_day', sa.Date(), nullable=False),
    sa.Column('card_id', sa.Integer(), nullable=True),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('made_by', sa.Integer(), nullable=False),
    sa.Column('ended_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('why_ended', sa.String(length=120), server_default='', nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['card_id'], ['card_on_file.id'], name=op.f('fk_payment_plan_card_id')),
    sa.ForeignKeyConstraint(['made_by'], ['user.id'], name=op.f('fk_payment_plan_made_by')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_payment_plan_patient_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_payment_plan'))
    )
    op.create_table('statement',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('household_id', sa.Integer(), nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=True),
    sa.Column('run_id', sa.Integer(), nullable=True),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.Column('state', sa.String(length=10), server_default='waiting', nullable=False),
    sa.Column('digest', sa.String(length=64), server_default='', nullable=False),
    sa.Column('bytes', sa.Integer(), server_default='0', nullable=False),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('by_id', sa.Integer(), nullable=True),
    sa.ForeignKeyConstraint(['by_id'], ['user.id'], name=op.f('fk_statement_by_id')),
    sa.ForeignKeyConstraint(['household_id'], ['household.id'], name=op.f('fk_statement_household_id')),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], name=op.f('fk_statement_patient_id')),
    sa.ForeignKeyConstraint(['run_id'], ['statement_run.id'], name=op.f('fk_statement_run_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_statement')),
    sa.UniqueConstraint('run_id', 'household_id', name=op.f('uq_statement_run_id_household_id'))
    )
    op.create_index('ix_statement_run_id_state', 'statement', ['run_id', 'state'], unique=False)
    op.create_table('plan_try',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('plan_id', sa.Integer(), nullable=False),
    sa.Column('number', sa.SmallInteger(), server_default='0', nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('state', sa.String(length=10), server_default='', nullable=False),
    sa.Column('words', sa.String(length=200), server_default='', nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['plan_id'], ['payment_plan.id'], name=op.f('fk_plan_try_plan_id')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_plan_try')),
    sa.UniqueConstraint('plan_id', 'number', 'day', name=op.f('uq_plan_try_plan_id_number_day'))
    )
    op.create_table('plan_line',
    sa.Column('plan_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('line_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('cents', sa.BigInteger(), server_default='0', nullable=False),
    sa.ForeignKeyConstraint(['line_id'], ['charge_line.id'], name=op.f('fk_plan_line_line_id')),
    sa.ForeignKeyConstraint(['plan_id'], ['payment_plan.id'], name=op.f('fk_plan_line_plan_id')),
    sa.PrimaryKeyConstraint('plan_id', 'line_id', name=op.f('pk_plan_line'))
    )
    op.add_column('charge_line', sa.Column('kind', sa.String(length=10), server_default='service', nullable=False))
    op.add_column('charge_line', sa.Column('patient_id', sa.Integer(), nullable=True))
    op.add_column('charge_line', sa.Column('product_id', sa.Integer(), nullable=True))
    op.add_column('charge_line', sa.Column('tax_cents', sa.BigInteger(), server_default='0', nullable=False))
    op.add_column('charge_line', sa.Column('words', sa.String(length=120), server_default='', nullable=False))
    op.alter_column('charge_line', 'visit_id',
               existing_type=mysql.INTEGER(display_width=11),
               nullable=True)
    op.alter_column('charge_line', 'service_id',
               existing_type=mysql.INTEGER(display_width=11),
               nullable=True)
    op.alter_column('charge_line', 'provider_id',
               existing_type=mysql.INTEGER(display_width=11),
               nullable=True)
    op.alter_column('charge_line', 'entered_by',
               existing_type=mysql.INTEGER(display_width=11),
               nullable=True)
    op.create_foreign_key(op.f('fk_charge_line_patient_id'), 'charge_line', 'patient', ['patient_id'], ['id'])
    op.create_foreign_key(op.f('fk_charge_line_product_id'), 'charge_line', 'product', ['product_id'], ['id'])
    op.add_column('journal', sa.Column('site_id', sa.Integer(), nullable=True))
    op.add_column('journal', sa.Column('of_id', sa.Integer(), nullable=True))
    op.add_column('journal', sa.Column('reason_id', sa.Integer(), nullable=True))
    op.add_column('journal', sa.Column('discount_id', sa.Integer(), nullable=True))
    op.drop_index(op.f('ix_journal_day'), table_name='journal')
    op.create_index('ix_journal_site_id_day', 'journal', ['site_id', 'day'], unique=False)
    op.create_foreign_key(op.f('fk_journal_reason_id'), 'journal', 'reason', ['reason_id'], ['id'])
    op.create_foreign_key(op.f('fk_journal_of_id'), 'journal', 'journal', ['of_id'], ['id'])
    op.create_foreign_key(op.f('fk_journal_discount_id'), 'journal', 'discount', ['discount_id'], ['id'])
    op.add_column('payment', sa.Column('receipt_id', sa.Integer(), nullable=True))
    op.add_column('payment', sa.Column('kind', sa.String(length=10), server_default='payment', nullable=False))
    op.add_column('payment', sa.Column('of_id', sa.Integer(), nullable=True))
    op.add_column('payment', sa.Column('site_id', sa.Integer(), nullable=True))
    op.add_column('payment', sa.Column('asked_cents', sa.BigInteger(), server_default='0', nullable=False))
    op.add_column('payment', sa.Column('card_id', sa.Integer(), nullable=True))
    op.add_column('payment', sa.Column('keep_card', sa.Boolean(), server_default='0', nullable=False))
    op.alter_column('payment', 'by_id',
               existing_type=mysql.INTEGER(display_width=11),
               nullable=True)
    op.drop_index(op.f('ix_payment_day'), table_name='payment')
    op.create_index('ix_payment_site_id_day', 'payment', ['site_id', 'day'], unique=False)
    op.create_foreign_key(op.f('fk_payment_card_id'), 'payment', 'card_on_file', ['card_id'], ['id'])
    op.create_foreign_key(op.f('fk_payment_of_id'), 'payment', 'payment', ['of_id'], ['id'])
    op.execute(
        "ALTER TABLE payment_part DROP PRIMARY KEY, ADD COLUMN id INTEGER NOT NULL AUTO_INCREMENT PRIMARY KEY FIRST, "
        "ADD INDEX fk_payment_part_payment_id (payment_id)"
    )
    op.add_column('payment_part', sa.Column('patient_id', sa.Integer(), nullable=True))
    op.add_column('payment_part', sa.Column('line_id', sa.Integer(), nullable=True))
    op.alter_column('payment_part', 'visit_id',
               existing_type=mysql.INTEGER(display_width=11),
               nullable=True)
    op.create_foreign_key(op.f('fk_payment_part_line_id'), 'payment_part', 'charge_line', ['line_id'], ['id'])

    _carry_over()
    for table, column in (("journal", "site_id"), ("payment", "receipt_id"), ("payment", "site_id"), ("payment_part", "patient_id")):
        op.alter_column(table, column, existing_type=sa.Integer(), nullable=False)
    op.create_foreign_key(op.f('fk_journal_site_id'), 'journal', 'site', ['site_id'], ['id'])
    op.create_foreign_key(op.f('fk_payment_site_id'), 'payment', 'site', ['site_id'], ['id'])
    op.create_foreign_key(op.f('fk_payment_receipt_id'), 'payment', 'receipt', ['receipt_id'], ['id'])
    op.create_foreign_key(op.f('fk_payment_part_patient_id'), 'payment_part', 'patient', ['patient_id'], ['id'])
    op.execute("SET foreign_key_checks=1")


def _carry_over() -> None:
    """Every payment gets a receipt of its own and the site of its visit; a credit that was used elsewhere names what it was drawn from."""
    for statement in (
        "INSERT INTO site_books (site_id, closed_day) SELECT id, NULL FROM site",
        "UPDATE journal j LEFT JOIN visit v ON v.id = j.visit_id SET j.site_id = COALESCE(v.site_id, (SELECT MIN(id) FROM site))",
        "UPDATE payment p LEFT JOIN visit v ON v.id = p.visit_id "
        "SET p.site_id = COALESCE(v.site_id, (SELECT MIN(id) FROM site)), p.asked_cents = p.cents, p.receipt_id = p.id",
        "INSERT INTO receipt (id, request_key, patient_id, site_id, day, at, by_id, how, change_cents) "
        "SELECT id, request_key, patient_id, site_id, day, at, by_id, 'none', 0 FROM payment",
        "UPDATE payment_part t JOIN visit v ON v.id = t.visit_id SET t.patient_id = v.patient_id",
        "UPDATE journal o SET o.of_id = (SELECT c.id FROM journal c WHERE c.visit_id = o.visit_id AND c.line_id IS NULL AND c.patient_cents < 0 "
        "AND c.id < o.id ORDER BY c.patient_cents, c.id LIMIT 1) WHERE o.kind = 'transfer' AND o.line_id IS NULL AND o.patient_cents > 0",
        "UPDATE journal i JOIN journal o ON o.at = i.at AND o.kind = 'transfer' AND o.line_id IS NULL AND o.patient_cents = -i.patient_cents "
        "SET i.of_id = o.id WHERE i.kind = 'transfer' AND i.line_id IS NULL AND i.patient_cents < 0",
    ):
        op.execute(statement)
