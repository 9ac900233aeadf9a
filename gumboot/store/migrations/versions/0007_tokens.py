"""Tokens of a crew's own, for its office tools."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

UNSET = "nullif(current_setting('gumboot.crew', true), '') is null"
CREW = "nullif(current_setting('gumboot.crew', true), '')::int"


def upgrade() -> None:
    op.create_table(
        "token",
        sa.Column("token_hash", sa.Text(), primary_key=True),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False, index=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("scope", sa.Text(), nullable=False),
        sa.Column(
            "made_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
        ),
        sa.Column("used_at", sa.DateTime(timezone=True)),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
    )
    op.execute("alter table token enable row level security")
    op.execute("alter table token force row level security")
    mine = f"{UNSET} or crew_id = {CREW}"
    op.execute(f"create policy own_crew on token using ({mine}) with check ({mine})")


def downgrade() -> None:
    op.drop_table("token")
