"""what came of making plans tighter

Revision ID: 0013
Revises: 0012
"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "tightening",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("plan_uuid", sa.Uuid(), nullable=False),
        sa.Column("begun_at", sa.DateTime(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("asked", sa.JSON(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
        sa.Column("said", sa.JSON(), nullable=True),
    )


def downgrade() -> None:
    op.drop_table("tightening")
