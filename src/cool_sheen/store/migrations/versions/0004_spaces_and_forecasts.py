"""spaces described further, place on earth, kinds of climate files

Revision ID: 0004
Revises: 0003
"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("space", sa.Column("lag_h", sa.Float(), nullable=True))
    op.add_column("space", sa.Column("floor_damped", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("space", sa.Column("extraction", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("shop", sa.Column("latitude", sa.Float(), nullable=True))
    op.add_column("shop", sa.Column("longitude", sa.Float(), nullable=True))
    op.add_column("climate_import", sa.Column("kind", sa.String(), nullable=False, server_default="record"))


def downgrade() -> None:
    op.drop_column("climate_import", "kind")
    for column in ("longitude", "latitude"):
        op.drop_column("shop", column)
    for column in ("extraction", "floor_damped", "lag_h"):
        op.drop_column("space", column)
