"""guns, the air that they live on, settings that worked, and drills of the stroke

Revision ID: 0017
Revises: 0016
"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shop", sa.Column("air", sa.JSON(), nullable=True))
    op.create_table(
        "gun",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("data", sa.JSON(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("away_at", sa.DateTime(), nullable=True),
    )
    op.create_table(
        "gun_card",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("gun", sa.String(), nullable=False),
        sa.Column("product", sa.String(), nullable=False),
        sa.Column("temp_c", sa.Float(), nullable=False),
        sa.Column("data", sa.JSON(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("set_at", sa.DateTime(), nullable=False),
        sa.Column("away_at", sa.DateTime(), nullable=True),
    )
    op.create_table(
        "stroke_run",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("drill", sa.String(), nullable=False),
        sa.Column("data", sa.JSON(), nullable=False),
    )
    op.create_index("ix_stroke_run_at", "stroke_run", ["at"])
    op.create_index("ix_gun_card_product", "gun_card", ["product", "set_at"])


def downgrade() -> None:
    op.drop_index("ix_stroke_run_at", "stroke_run")
    op.drop_table("stroke_run")
    op.drop_index("ix_gun_card_product", "gun_card")
    op.drop_table("gun_card")
    op.drop_table("gun")
    op.drop_column("shop", "air")
