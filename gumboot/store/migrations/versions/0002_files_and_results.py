"""Files kept with a job (readings, weather, photographs), and results that took a while to
compute.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "kept_file",
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), primary_key=True),
        sa.Column("digest", sa.Text(), primary_key=True),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("media", sa.Text(), nullable=False),
        sa.Column("about", JSONB(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.Column("small", sa.LargeBinary()),
        sa.Column("kept_by", sa.Text(), nullable=False),
        sa.Column(
            "kept_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
    )
    op.create_table(
        "result",
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), primary_key=True),
        sa.Column("kind", sa.Text(), primary_key=True),
        sa.Column("key", sa.Text(), primary_key=True),
        sa.Column("share", sa.Float(), nullable=False, server_default="0"),
        sa.Column("says", sa.Text(), nullable=False, server_default=""),
        sa.Column("fault", sa.Text()),
        sa.Column("body", JSONB()),
        sa.Column("data", sa.LargeBinary()),
        sa.Column(
            "beat_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
    )
    mine = "job_id in (select id from job)"
    for name in ("kept_file", "result"):
        op.execute(f"alter table {name} enable row level security")
        op.execute(f"alter table {name} force row level security")
        op.execute(f"create policy own_crew on {name} using ({mine}) with check ({mine})")
    op.execute(
        "create trigger kept before update or delete on kept_file for each row execute function"
        " kept_for_ever()"
    )
    op.execute(
        "create trigger kept_whole before truncate on kept_file for each statement execute function"
        " kept_for_ever()"
    )


def downgrade() -> None:
    op.drop_table("result")
    op.drop_table("kept_file")
