"""Instruments of a crew, beside its torque tools."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

CREW = "nullif(current_setting('gumboot.crew', true), '')::int"


def upgrade() -> None:
    op.create_table(
        "instrument",
        sa.Column("id", sa.Integer(), sa.Identity(), primary_key=True),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False, index=True),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("serial", sa.Text(), nullable=False),
        sa.Column("share", sa.Float(), nullable=False),
        sa.Column("plain", sa.Float(), nullable=False, server_default="0"),
        sa.Column("calibrated_until", sa.Date(), nullable=False),
    )
    op.execute("alter table instrument enable row level security")
    op.execute("alter table instrument force row level security")
    mine = f"crew_id = {CREW}"
    op.execute(f"create policy own_crew on instrument using ({mine}) with check ({mine})")


def downgrade() -> None:
    op.drop_table("instrument")
