"""the words of the log, for finding them; what was taken back is looked up by it

Revision ID: 0019
Revises: 0018
"""

import sqlalchemy as sa
from alembic import op

from cool_sheen.store.log_text import FILL, TABLE, TRIGGER

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_log_entry_voids", "log_entry", ["voids"], sqlite_where=sa.text("voids IS NOT NULL"))
    op.execute(TABLE)
    op.execute(FILL)
    op.execute(TRIGGER)


def downgrade() -> None:
    op.execute("DROP TRIGGER log_entry_is_found")
    op.execute("DROP TABLE log_text")
    op.drop_index("ix_log_entry_voids", "log_entry")
