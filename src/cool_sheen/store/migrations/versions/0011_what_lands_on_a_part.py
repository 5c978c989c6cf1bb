"""a part's own share of the paint that lands on it

Revision ID: 0011
Revises: 0010
"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("part", sa.Column("lands_pct", sa.Float(), nullable=True))


def downgrade() -> None:
    with op.batch_alter_table("part") as batch:
        batch.drop_column("lands_pct")
