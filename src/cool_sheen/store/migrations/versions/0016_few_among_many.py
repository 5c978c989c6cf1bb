"""indexes of the few parts that come after another, or that are away

Revision ID: 0016
Revises: 0015
"""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_part_after", "part", ["after_uuid"], sqlite_where=sa.text("after_uuid IS NOT NULL"))
    op.create_index("ix_part_away", "part", ["away"], sqlite_where=sa.text("away != ''"))


def downgrade() -> None:
    op.drop_index("ix_part_away", "part")
    op.drop_index("ix_part_after", "part")
