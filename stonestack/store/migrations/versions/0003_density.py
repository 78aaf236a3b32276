"""Texel density: how many texels a metre of a project's surfaces has."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Give every project the usual value."""
    op.add_column(
        "project",
        sa.Column("texels_per_metre", sa.Integer(), nullable=False, server_default="512"),
    )


def downgrade() -> None:
    """Take it away again."""
    op.drop_column("project", "texels_per_metre")
