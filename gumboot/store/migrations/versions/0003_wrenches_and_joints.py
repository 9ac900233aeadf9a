"""Wrenches with their class, scale and address; the log found by termination."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name, default in (("iso_class", "II-A"), ("scale", "N·m"), ("address", "")):
        op.add_column("wrench", sa.Column(name, sa.Text(), server_default=default, nullable=False))
    op.execute(
        "alter table log_entry add column termination text generated always as (body::jsonb ->>"
        " 'termination') stored"
    )
    op.create_index("log_entry_termination", "log_entry", ["job_id", "termination", "seq"])


def downgrade() -> None:
    op.drop_index("log_entry_termination")
    op.drop_column("log_entry", "termination")
    for name in ("iso_class", "scale", "address"):
        op.drop_column("wrench", name)
