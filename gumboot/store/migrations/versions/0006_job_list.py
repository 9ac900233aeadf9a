"""What the list of jobs shows is stored with what it was made from; who and when, put away and
deleted with a word in the office log.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

KEPT = """
create or replace function kept_for_ever() returns trigger language plpgsql as $$
declare gone int := null;
begin
  if tg_op = 'DELETE' and tg_level = 'ROW' and tg_table_name <> 'office_entry' then
    gone := (to_jsonb(old) ->> 'job_id')::int;
    if gone is not null and exists (
      select 1 from job j join office_entry o on o.crew_id = j.crew_id
      where j.id = gone and o.kind = 'deleted' and (o.body::jsonb ->> 'uid') = j.uid
    ) then return old; end if;
  end if;
  raise exception '% is append-only', tg_table_name;
end $$
"""


def upgrade() -> None:
    for column in (
        sa.Column("stage", sa.Text(), nullable=False, server_default="planned"),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id")),
        sa.Column("day", sa.Date()),
        sa.Column("note", sa.Text(), nullable=False, server_default=""),
        sa.Column("put_away_at", sa.DateTime(timezone=True)),
        sa.Column("listed", JSONB()),
        sa.Column("listed_of", sa.Text(), nullable=False, server_default=""),
        sa.Column("stops", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("signed_at", sa.Text(), nullable=False, server_default=""),
        sa.Column("words", sa.Text(), nullable=False, server_default=""),
    ):
        op.add_column("job", column)
    op.create_index("job_changed", "job", ["crew_id", "changed_at"])
    op.execute(KEPT)


def downgrade() -> None:
    op.execute(
        "create or replace function kept_for_ever() returns trigger language plpgsql as $$ begin"
        " raise exception '% is append-only', tg_table_name; end $$"
    )
    op.drop_index("job_changed")
    for name in (
        *("stage", "person_id", "day", "note", "put_away_at", "listed", "listed_of", "stops"),
        *("signed_at", "words"),
    ):
        op.drop_column("job", name)
