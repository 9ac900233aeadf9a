"""Links that owners get, and the certificate that a crew's papers carry."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

UNSET = "nullif(current_setting('gumboot.crew', true), '') is null"
CREW = "nullif(current_setting('gumboot.crew', true), '')::int"
NOW = sa.func.now()


def upgrade() -> None:
    when = sa.DateTime(timezone=True)
    op.create_table(
        "share",
        sa.Column("token_hash", sa.Text(), primary_key=True),
        sa.Column("token", sa.Text(), nullable=False),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False, index=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("made_by", sa.Text(), nullable=False),
        sa.Column("made_at", when, server_default=NOW, nullable=False),
        sa.Column("ends_at", when, nullable=False),
        sa.Column("ended_at", when),
        sa.Column("opened", sa.Integer(), server_default="0", nullable=False),
        sa.Column("opened_at", when),
    )
    op.create_table(
        "seal",
        sa.Column("id", sa.Integer(), sa.Identity(), primary_key=True),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False, index=True),
        sa.Column("pkcs12", sa.LargeBinary(), nullable=False),
        sa.Column("certificate", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("made_by", sa.Text(), nullable=False),
        sa.Column("made_at", when, server_default=NOW, nullable=False),
    )
    for name in ("share", "seal"):
        op.execute(f"alter table {name} enable row level security")
        op.execute(f"alter table {name} force row level security")
    # before a link is known to be good, its crew is not known either
    mine = f"{UNSET} or crew_id = {CREW}"
    op.execute(f"create policy own_crew on share using ({mine}) with check ({mine})")
    mine = f"crew_id = {CREW}"
    op.execute(f"create policy own_crew on seal using ({mine}) with check ({mine})")


def downgrade() -> None:
    op.drop_table("seal")
    op.drop_table("share")
