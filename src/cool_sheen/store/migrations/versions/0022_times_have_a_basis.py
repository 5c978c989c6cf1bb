"""times of a label have a basis: what tests taught is worked out again, part by part, when the file is opened

Revision ID: 0022
Revises: 0021
"""

from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("DELETE FROM part_status")  # a part without one gets its status and its lessons from the log


def downgrade() -> None:
    op.execute("DELETE FROM part_status")
