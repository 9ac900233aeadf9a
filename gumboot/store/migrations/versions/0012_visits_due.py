"""When a crew comes back to a job that is signed."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

CREW = "nullif(current_setting('gumboot.crew', true), '')::int"


def upgrade() -> None:
    op.create_table(
        "visit_due",
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), primary_key=True),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("months", sa.Integer(), nullable=False),
        sa.Column("says", sa.Text(), nullable=False),
    )
    op.create_index("visit_due_next", "visit_due", ["crew_id", "day", "job_id"])
    op.execute("alter table visit_due enable row level security")
    op.execute("alter table visit_due force row level security")
    mine = f"crew_id = {CREW}"
    op.execute(f"create policy own_crew on visit_due using ({mine}) with check ({mine})")


def downgrade() -> None:
    op.drop_table("visit_due")
