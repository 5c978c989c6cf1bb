"""photos, which are no part of the log and can be erased; what kind of thing a part is; the order of its pieces

Revision ID: 0015
Revises: 0014
"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "photo",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("part_uuid", sa.Uuid(), sa.ForeignKey("part.uuid"), nullable=False),
        sa.Column("zones", sa.JSON(), nullable=False),
        sa.Column("stage", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("taken_at", sa.DateTime(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("content_hash", sa.String(64), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("erased_at", sa.DateTime(), nullable=True),
    )
    op.create_index("ix_photo_part_uuid", "photo", ["part_uuid"])
    op.create_index("ix_photo_content_hash", "photo", ["content_hash"])
    op.add_column("part", sa.Column("kind", sa.String(), nullable=False, server_default=""))
    op.add_column("zone", sa.Column("turn", sa.Integer(), nullable=True))
    op.add_column("zone", sa.Column("shuts", sa.Boolean(), nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("zone", "shuts")
    op.drop_column("zone", "turn")
    op.drop_column("part", "kind")
    op.drop_table("photo")
