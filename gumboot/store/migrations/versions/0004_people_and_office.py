"""People of a crew: invitations, second factors, sign-ins that can be seen and ended; the office
log; and who sees which of it.
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

UNSET = "nullif(current_setting('gumboot.crew', true), '') is null"
CREW = "nullif(current_setting('gumboot.crew', true), '')::int"


def _now(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False)


def _text(name: str, default: str | None = None) -> sa.Column[Any]:
    return sa.Column(name, sa.Text(), nullable=False, server_default=default)


def _when(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True))


def _person(name: str = "person_id", **more: Any) -> sa.Column[Any]:
    return sa.Column(name, sa.Integer(), sa.ForeignKey("person.id"), nullable=False, **more)


def _guard(name: str, mine: str) -> None:
    op.execute(f"alter table {name} enable row level security")
    op.execute(f"alter table {name} force row level security")
    op.execute(f"create policy own_crew on {name} using ({mine}) with check ({mine})")


def upgrade() -> None:
    op.add_column(
        "crew",
        sa.Column(
            "uid", sa.Text(), nullable=False, server_default=sa.text("gen_random_uuid()::text")
        ),
    )
    op.add_column("crew", _text("second_asked", "supervisor"))
    op.add_column("crew", sa.Column("defaults", JSONB(), nullable=False, server_default="{}"))
    op.add_column("crew", sa.Column("office_seq", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("crew", _text("office_head", ""))

    op.drop_constraint("person_email_key", "person")
    for column in (
        _now("made_at"),
        _when("left_at"),
        sa.Column("totp_secret", sa.Text()),
        _when("totp_since"),
        sa.Column("totp_step", sa.BigInteger(), nullable=False, server_default="0"),
    ):
        op.add_column("person", column)
    op.create_index(
        "person_email",
        "person",
        ["email"],
        unique=True,
        postgresql_where=sa.text("left_at is null"),
    )
    op.create_index("ix_person_crew_id", "person", ["crew_id"])

    for column in (
        _now("made_at"),
        _now("seen_at"),
        _text("address", ""),
        _text("device", ""),
        sa.Column("second_due", sa.Boolean(), nullable=False, server_default=sa.false()),
    ):
        op.add_column("sign_in", column)
    op.create_index("ix_sign_in_person_id", "sign_in", ["person_id"])
    op.add_column("failed_sign_in", _text("lane", ""))
    op.create_index("ix_failed_sign_in_lane", "failed_sign_in", ["lane"])

    op.create_table(
        "known_device",
        sa.Column("token_hash", sa.Text(), primary_key=True),
        _person(primary_key=True),
        _now("at"),
    )
    op.create_table(
        "recovery_code",
        sa.Column("code_hash", sa.Text(), primary_key=True),
        _person(primary_key=True),
    )
    op.create_table(
        "invitation",
        sa.Column("token_hash", sa.Text(), primary_key=True),
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), nullable=False, index=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id")),
        _text("name"),
        _text("email", ""),
        _text("role"),
        _text("made_by"),
        _now("made_at"),
        sa.Column("ends_at", sa.DateTime(timezone=True), nullable=False),
        _when("used_at"),
    )
    op.create_table(
        "first_code", sa.Column("code_hash", sa.Text(), primary_key=True), _now("made_at")
    )
    op.create_table(
        "office_entry",
        sa.Column("crew_id", sa.Integer(), sa.ForeignKey("crew.id"), primary_key=True),
        sa.Column("seq", sa.Integer(), primary_key=True),
        *(_text(n) for n in ("uuid", "kind", "who", "role", "at", "body", "prev", "hash")),
    )
    # Before anybody is known (a sign-in, an invitation) people are looked up by what they bring;
    # from then on a crew sees its own.
    for name in ("person", "invitation"):
        _guard(name, f"{UNSET} or crew_id = {CREW}")
    for name in ("known_device", "recovery_code"):
        _guard(name, "person_id in (select id from person)")
    _guard("office_entry", f"crew_id = {CREW}")
    op.execute(
        "create trigger kept before update or delete on office_entry for each row execute function"
        " kept_for_ever()"
    )
    op.execute(
        "create trigger kept_whole before truncate on office_entry for each statement execute"
        " function kept_for_ever()"
    )


def downgrade() -> None:
    for name in ("office_entry", "first_code", "invitation", "recovery_code", "known_device"):
        op.drop_table(name)
    op.execute("drop policy own_crew on person")
    op.execute("alter table person no force row level security")
    op.execute("alter table person disable row level security")
    op.drop_index("ix_failed_sign_in_lane")
    op.drop_column("failed_sign_in", "lane")
    op.drop_index("ix_sign_in_person_id")
    for name in ("made_at", "seen_at", "address", "device", "second_due"):
        op.drop_column("sign_in", name)
    op.drop_index("person_email")
    op.drop_index("ix_person_crew_id")
    for name in ("made_at", "left_at", "totp_secret", "totp_since", "totp_step"):
        op.drop_column("person", name)
    op.create_unique_constraint("person_email_key", "person", ["email"])
    for name in ("uid", "second_asked", "defaults", "office_seq", "office_head"):
        op.drop_column("crew", name)
