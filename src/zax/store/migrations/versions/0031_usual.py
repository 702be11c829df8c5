"""What a service usually comes with: units, modifiers, a diagnosis, a drug"""

from alembic import op
import sqlalchemy as sa

revision = '0031'
down_revision = '0030'
branch_labels = None
depends_on = None

TEXTS = (('usual_modifiers', 11), ('usual_diagnosis', 8), ('ndc', 11), ('ndc_quantity', 10), ('ndc_unit', 2))


def upgrade() -> None:
    op.add_column('service', sa.Column('usual_units', sa.SmallInteger(), server_default='1', nullable=False))
    for name, length in TEXTS:
        op.add_column('service', sa.Column(name, sa.String(length), server_default='', nullable=False))


def downgrade() -> None:
    for name, _ in reversed(TEXTS):
        op.drop_column('service', name)
    op.drop_column('service', 'usual_units')
