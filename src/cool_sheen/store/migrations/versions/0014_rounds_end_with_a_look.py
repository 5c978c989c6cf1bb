"""what is owed is read anew: rounds end with a look, films are as thick as they were read

Revision ID: 0014
Revises: 0013
"""

from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("DELETE FROM part_status")  # made again from the log when the program starts


def downgrade() -> None:
    op.execute("DELETE FROM part_status")
