"""The shelf: editions of every entry of equipment, second readings of them, sheets kept with them,
stock; and which editions each version of a plan was made with.
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

UNSET = "nullif(current_setting('gumboot.crew', true), '') is null"
CREW = "nullif(current_setting('gumboot.crew', true), '')::int"


def _now(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False)


def _text(*names: str) -> list[sa.Column[Any]]:
    return [sa.Column(n, sa.Text(), nullable=False) for n in names]


def _crew(nullable: bool = False) -> sa.Column[Any]:
    return sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=nullable)


def upgrade() -> None:
    op.create_table(
        "kit_edition",
        sa.Column("seq", sa.BigInteger(), sa.Identity(), primary_key=True),
        _crew(nullable=True),
        *_text("entry", "kind", "name", "digest", "saved_by"),
        sa.Column("edition", sa.Integer(), nullable=False),
        sa.Column("body", JSONB(), nullable=False),
        sa.Column("sources", JSONB(), nullable=False, server_default="{}"),
        sa.Column("job_id", sa.Integer()),
        _now("saved_at"),
    )
    op.create_index("kit_edition_of", "kit_edition", ["crew_id", "entry", "seq"])
    op.create_index("kit_edition_kind", "kit_edition", ["crew_id", "kind", "seq"])
    op.create_index("kit_edition_digest", "kit_edition", ["digest"])
    op.create_table(
        "kit_reading",
        sa.Column("id", sa.BigInteger(), sa.Identity(), primary_key=True),
        _crew(),
        *_text("entry", "digest", "who"),
        sa.Column("body", JSONB(), nullable=False),
        _now("at"),
    )
    op.create_index("kit_reading_of", "kit_reading", ["crew_id", "entry"])
    op.create_table(
        "kit_sheet",
        sa.Column("id", sa.BigInteger(), sa.Identity(), primary_key=True),
        _crew(),
        *_text("entry", "name", "media", "digest", "kept_by"),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        _now("kept_at"),
    )
    op.create_index("kit_sheet_of", "kit_sheet", ["crew_id", "entry"])
    op.create_table(
        "kit_state",
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), primary_key=True),
        sa.Column("entry", sa.Text(), primary_key=True),
        sa.Column("hidden", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("stock", JSONB(), nullable=False, server_default="{}"),
    )
    op.create_table(
        "kit_library",
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), primary_key=True),
        sa.Column("entry", sa.Text(), primary_key=True),
        *_text("name", "words", "kept_by"),
        sa.Column("body", JSONB(), nullable=False),
        _now("kept_at"),
    )
    op.add_column("plan_version", sa.Column("shelf", JSONB(), nullable=False, server_default="{}"))
    for name, mine in (
        ("kit_reading", f"crew_id = {CREW}"),
        ("kit_sheet", f"crew_id = {CREW}"),
        ("kit_state", f"crew_id = {CREW}"),
        ("kit_library", f"crew_id = {CREW}"),
    ):
        op.execute(f"alter table {name} enable row level security")
        op.execute(f"alter table {name} force row level security")
        op.execute(f"create policy own_crew on {name} using ({mine}) with check ({mine})")
    # What ships with Gumboot belongs to nobody: every crew sees it, and only the server, before it
    # knows of any crew, adds to it.
    op.execute("alter table kit_edition enable row level security")
    op.execute("alter table kit_edition force row level security")
    op.execute(
        f"create policy own_crew on kit_edition using (crew_id is null or crew_id = {CREW})"
        f" with check (crew_id = {CREW} or (crew_id is null and {UNSET}))"
    )
    for name in ("kit_edition", "kit_reading", "kit_sheet"):
        op.execute(
            f"create trigger kept before update or delete on {name} for each row execute function"
            " kept_for_ever()"
        )
        op.execute(
            f"create trigger kept_whole before truncate on {name} for each statement execute"
            " function kept_for_ever()"
        )


def downgrade() -> None:
    op.drop_column("plan_version", "shelf")
    for name in ("kit_library", "kit_state", "kit_sheet", "kit_reading", "kit_edition"):
        op.drop_table(name)
