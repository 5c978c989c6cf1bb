"""plans that are kept, who works in a shop, and how many wet parts a room holds

Revision ID: 0012
Revises: 0011
"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    alone = '{"painters": 1, "helper": false, "guns": 1}'
    op.add_column("shop", sa.Column("crew", sa.JSON(), nullable=False, server_default=alone))
    op.add_column("space", sa.Column("holds", sa.Integer(), nullable=True))
    op.create_table(
        "plan",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("asked", sa.JSON(), nullable=False),
        sa.Column("said", sa.JSON(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("plan")
    with op.batch_alter_table("space") as batch:
        batch.drop_column("holds")
    with op.batch_alter_table("shop") as batch:
        batch.drop_column("crew")
