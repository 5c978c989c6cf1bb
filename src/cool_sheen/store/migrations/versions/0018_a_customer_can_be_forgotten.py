"""how a customer is reached, and when they were forgotten

Revision ID: 0018
Revises: 0017
"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("project", sa.Column("contact", sa.String(), nullable=False, server_default=""))
    op.add_column("project", sa.Column("forgotten_at", sa.DateTime(), nullable=True))


def downgrade() -> None:
    op.drop_column("project", "forgotten_at")
    op.drop_column("project", "contact")
