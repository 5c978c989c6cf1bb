"""what each press said: the same press with another content is told, and never taken for the first one

Revision ID: 0009
Revises: 0008
"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "press",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("content_hash", sa.String(64), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
    )
    op.create_index("ix_press_at", "press", ["at"])


def downgrade() -> None:
    op.drop_table("press")
