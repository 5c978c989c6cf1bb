"""survey of zones, the shop's own sheets

Revision ID: 0002
Revises: 0001
"""

import sqlalchemy as sa
from alembic import op

import cool_sheen.store.types

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "shelf_sheet",
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("data", sa.JSON(), nullable=False),
        sa.Column("earlier", sa.JSON(), nullable=False),
        sa.Column("updated_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.PrimaryKeyConstraint("kind", "key"),
    )
    # Plain added columns: no table is rebuilt, so no trigger is lost.
    op.add_column("part", sa.Column("earlier_systems", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("part", sa.Column("changes", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("face", sa.Column("setting", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("face", sa.Column("support", sa.String(), nullable=False, server_default=""))
    op.add_column("face", sa.Column("method", sa.String(), nullable=False, server_default="hvlp"))
    op.add_column("zone", sa.Column("position", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("zone", sa.Column("was_split", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("zone", sa.Column("kind", sa.String(), nullable=False, server_default="face"))
    op.add_column("zone", sa.Column("shape", sa.JSON(), nullable=True))
    op.add_column("zone", sa.Column("substrate", sa.String(), nullable=True))
    op.add_column("zone", sa.Column("bare_since", cool_sheen.store.types.UtcDateTime(), nullable=True))
    op.add_column("zone", sa.Column("strip", sa.String(), nullable=False, server_default="nothing"))
    op.add_column("zone", sa.Column("keep_texture", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("zone", sa.Column("old_finish", sa.String(), nullable=False, server_default="none"))
    op.add_column("zone", sa.Column("old_state", sa.String(), nullable=False, server_default="unknown"))
    op.add_column("zone", sa.Column("word_of_another", sa.Boolean(), nullable=False, server_default=sa.false()))


def downgrade() -> None:
    for column in (
        "word_of_another",
        "old_state",
        "old_finish",
        "keep_texture",
        "strip",
        "bare_since",
        "substrate",
        "shape",
        "kind",
        "was_split",
        "position",
    ):
        op.drop_column("zone", column)
    for column in ("method", "support", "setting"):
        op.drop_column("face", column)
    op.drop_column("part", "changes")
    op.drop_column("part", "earlier_systems")
    op.drop_table("shelf_sheet")
