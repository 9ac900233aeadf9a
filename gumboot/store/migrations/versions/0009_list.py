"""The list of jobs is found by index: which rows are stale, and the order they are shown in. A
change of a job makes its row stale in the database itself.
"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

STALE = """
create or replace function list_anew() returns trigger language plpgsql as $$
begin
  if new.version is distinct from old.version or new.log_head is distinct from old.log_head then
    new.listed_rev := 0;
  end if;
  return new;
end $$
"""


def upgrade() -> None:
    op.add_column("job", sa.Column("listed_rev", sa.Integer(), nullable=False, server_default="0"))
    op.drop_column("job", "listed_of")
    op.drop_index("job_changed")
    op.create_index("job_listed", "job", ["crew_id", "listed_rev"])
    op.create_index(
        "job_shown",
        "job",
        ["crew_id", sa.text("changed_at desc"), sa.text("id desc")],
        postgresql_where=sa.text("put_away_at is null"),
    )
    op.execute(STALE)
    op.execute(
        "create trigger stale before update on job for each row execute function list_anew()"
    )


def downgrade() -> None:
    op.execute("drop trigger stale on job")
    op.execute("drop function list_anew()")
    op.drop_index("job_shown")
    op.drop_index("job_listed")
    op.create_index("job_changed", "job", ["crew_id", "changed_at"])
    op.add_column("job", sa.Column("listed_of", sa.Text(), nullable=False, server_default=""))
    op.drop_column("job", "listed_rev")
