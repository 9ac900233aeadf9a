"""First tables, row-level security by crew, and a log that cannot be rewritten."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

CREW = "nullif(current_setting('gumboot.crew', true), '')::int"


def _id(kind: type[sa.types.TypeEngine[int]] = sa.Integer) -> sa.Column[int]:
    return sa.Column("id", kind(), sa.Identity(), primary_key=True)


def _now(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False)


def _text(*names: str) -> list[sa.Column[Any]]:
    return [sa.Column(n, sa.Text(), nullable=False) for n in names]


def upgrade() -> None:
    op.create_table("crew", _id(), *_text("name"))
    op.create_table(
        "person",
        _id(),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False),
        *_text("name", "email", "role", "password_hash"),
        sa.UniqueConstraint("email"),
    )
    op.create_table(
        "sign_in",
        sa.Column("token_hash", sa.Text(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id"), nullable=False),
        *_text("csrf"),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table("failed_sign_in", _id(sa.BigInteger), *_text("email", "address"), _now("at"))
    op.create_index("ix_failed_sign_in_email", "failed_sign_in", ["email"])
    op.create_index("ix_failed_sign_in_address", "failed_sign_in", ["address"])
    op.create_table(
        "job",
        _id(),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False, index=True),
        *_text("uid", "name"),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("log_seq", sa.Integer(), nullable=False),
        *_text("log_head"),
        sa.Column("imported_by", sa.Text()),
        _now("created_at"),
        _now("changed_at"),
    )
    op.create_table(
        "plan_version",
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), primary_key=True),
        sa.Column("version", sa.Integer(), primary_key=True),
        sa.Column("plan", JSONB(), nullable=False),
        *_text("saved_by"),
        _now("saved_at"),
    )
    op.create_table(
        "log_entry",
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), primary_key=True),
        sa.Column("seq", sa.Integer(), primary_key=True),
        *_text("uuid", "kind", "who", "role", "at_device", "at_server", "body", "prev", "hash"),
        sa.UniqueConstraint("job_id", "uuid"),
    )
    op.create_table(
        "wrench",
        _id(),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False, index=True),
        *_text("name", "serial"),
        sa.Column("least_nm", sa.Float(), nullable=False),
        sa.Column("most_nm", sa.Float(), nullable=False),
        sa.Column("calibrated_until", sa.Date(), nullable=False),
    )

    # A crew sees its own rows only, whatever query a page asks: the one place where that is
    # decided.
    for name, mine in (
        ("job", f"crew_id = {CREW}"),
        ("wrench", f"crew_id = {CREW}"),
        ("plan_version", "job_id in (select id from job)"),
        ("log_entry", "job_id in (select id from job)"),
    ):
        op.execute(f"alter table {name} enable row level security")
        op.execute(f"alter table {name} force row level security")
        op.execute(f"create policy own_crew on {name} using ({mine}) with check ({mine})")

    op.execute(
        "create function kept_for_ever() returns trigger language plpgsql as $$ begin raise"
        " exception '% is append-only', tg_table_name; end $$"
    )
    for name in ("log_entry", "plan_version"):
        op.execute(
            f"create trigger kept before update or delete on {name} for each row execute function"
            " kept_for_ever()"
        )
        op.execute(
            f"create trigger kept_whole before truncate on {name} for each statement execute"
            " function kept_for_ever()"
        )


def downgrade() -> None:
    for name in (
        "wrench",
        "log_entry",
        "plan_version",
        "job",
        "failed_sign_in",
        "sign_in",
        "person",
        "crew",
    ):
        op.drop_table(name)
    op.execute("drop function kept_for_ever")
