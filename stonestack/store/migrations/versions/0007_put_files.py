"""Files that a delivery puts into a game folder: whose they are, and folders made for them."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns; all that stands so far was put back by hand."""
    op.add_column(
        "placed", sa.Column("delivery_id", sa.String(), nullable=False, server_default="")
    )
    op.add_column("placed", sa.Column("made", sa.String(), nullable=False, server_default=""))
    op.create_index("ix_placed_delivery_id", "placed", ["delivery_id"])


def downgrade() -> None:
    """Take the columns away."""
    op.drop_index("ix_placed_delivery_id", "placed")
    op.drop_column("placed", "made")
    op.drop_column("placed", "delivery_id")
