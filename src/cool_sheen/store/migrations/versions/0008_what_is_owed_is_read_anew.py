"""what is kept of the log is read anew: grit that is swept off, what was sanded through, zones that were stripped

Revision ID: 0008
Revises: 0007
"""

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("DELETE FROM part_status")  # made again from the log when the program starts


def downgrade() -> None:
    op.execute("DELETE FROM part_status")
