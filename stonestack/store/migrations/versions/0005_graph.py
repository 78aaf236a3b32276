"""The graph: a row a node, instead of a whole tree a render."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Keep nodes flat; what is looked at is announced again by its surface."""
    op.drop_table("render")
    op.create_table(
        "node",
        sa.Column("key", sa.String(), primary_key=True),
        sa.Column("op", sa.String(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("params", sa.String(), nullable=False),
        sa.Column("inputs", sa.String(), nullable=False),
        sa.Column("blobs", sa.String(), nullable=False),
    )


def downgrade() -> None:
    """Go back to trees, none of which is known yet."""
    op.drop_table("node")
    op.create_table(
        "render",
        sa.Column("key", sa.String(), primary_key=True),
        sa.Column("plan", sa.String(), nullable=False),
    )
