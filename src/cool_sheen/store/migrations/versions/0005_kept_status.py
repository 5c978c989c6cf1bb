"""kept status of parts, lessons and batches; generations of what results depend on

What is kept is filled when the shop is opened: the log has it.

Revision ID: 0005
Revises: 0004
"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "generation",
        sa.Column("name", sa.String(), primary_key=True),
        sa.Column("number", sa.Integer(), nullable=False),
    )
    op.create_table(
        "part_status",
        sa.Column("part_uuid", sa.Uuid(), sa.ForeignKey("part.uuid"), primary_key=True),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("changes", sa.Integer(), nullable=False),
        sa.Column("space_uuid", sa.Uuid(), nullable=True),
        sa.Column("owed", sa.Integer(), nullable=False),
        sa.Column("passed", sa.Integer(), nullable=False),
        sa.Column("share", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("next_label", sa.String(), nullable=False),
        sa.Column("system_name", sa.String(), nullable=False),
        sa.Column("film", sa.JSON(), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("finished_at", sa.DateTime(), nullable=True),
    )
    op.create_index("ix_part_status_live", "part_status", ["finished_at"])
    op.create_table(
        "lesson",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("coat_uuid", sa.Uuid(), nullable=False),
        sa.Column("mode", sa.String(), nullable=False),
        sa.Column("part_uuid", sa.Uuid(), sa.ForeignKey("part.uuid"), nullable=False),
        sa.Column("product", sa.String(), nullable=False),
        sa.Column("drying", sa.String(64), nullable=False),
        sa.Column("space_uuid", sa.Uuid(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("tests", sa.JSON(), nullable=False),
        sa.Column("touches", sa.JSON(), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_index("ix_lesson_drying", "lesson", ["drying", "space_uuid"])
    op.create_index("ix_lesson_part_uuid", "lesson", ["part_uuid"])
    op.create_index("ix_lesson_product", "lesson", ["product"])
    op.create_table(
        "batch_status",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("product", sa.String(), nullable=False),
        sa.Column("begun_at", sa.DateTime(), nullable=False),
        sa.Column("ended_at", sa.DateTime(), nullable=True),
        sa.Column("pours", sa.Integer(), nullable=False),
        sa.Column("coats", sa.Integer(), nullable=False),
        sa.Column("left_ml", sa.Float(), nullable=False),
        sa.Column("goes", sa.String(), nullable=False),
    )
    op.create_index("ix_batch_status_begun_at", "batch_status", ["begun_at"])


def downgrade() -> None:
    for table in ("batch_status", "lesson", "part_status", "generation"):
        op.drop_table(table)
