"""an index of what happened since, by kind: the log of ten years is not read for the coats of today

Revision ID: 0006
Revises: 0005
"""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_log_entry_kind_at", "log_entry", ["kind", "occurred_at"])


def downgrade() -> None:
    op.drop_index("ix_log_entry_kind_at", "log_entry")
