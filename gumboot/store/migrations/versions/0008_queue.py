"""The queue of long computations: tasks, what a result is to be made from, and files on their way
to whoever reads them.
"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

UNSET = "nullif(current_setting('gumboot.crew', true), '') is null"
CREW = "nullif(current_setting('gumboot.crew', true), '')::int"


def _now(name: str) -> sa.Column[object]:
    return sa.Column(name, sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False)


def upgrade() -> None:
    op.execute("delete from result where body is null")  # under way by a worker of before
    op.add_column("result", sa.Column("load", sa.LargeBinary()))
    op.create_table(
        "task",
        sa.Column("id", sa.Integer(), sa.Identity(), primary_key=True),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False),
        sa.Column(
            "job_id", sa.Integer(), sa.ForeignKey("job.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        _now("asked_at"),
        sa.Column("taken_by", sa.Text()),
        sa.Column("beat_at", sa.DateTime(timezone=True)),
        sa.Column("tries", sa.Integer(), nullable=False, server_default="0"),
        sa.UniqueConstraint("job_id", "kind", "key"),
    )
    op.create_table(
        "upload_part",
        sa.Column(
            "job_id", sa.Integer(), sa.ForeignKey("job.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("key", sa.Text(), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        _now("at"),
    )
    # A worker looks for its next task before it is of any crew; it sees whose it is, and no more.
    for name, mine in (
        ("task", f"{UNSET} or crew_id = {CREW}"),
        ("upload_part", "job_id in (select id from job)"),
    ):
        op.execute(f"alter table {name} enable row level security")
        op.execute(f"alter table {name} force row level security")
        op.execute(f"create policy own_crew on {name} using ({mine}) with check ({mine})")


def downgrade() -> None:
    op.drop_table("upload_part")
    op.drop_table("task")
    op.drop_column("result", "load")
