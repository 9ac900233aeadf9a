"""Who belongs to a crew: invited, given roles, taken out, and what the office log says of it."""

import re
import threading
from datetime import UTC, datetime, timedelta

import pytest
from aiosmtpd.controller import Controller
from fastapi.testclient import TestClient
from sqlalchemy import text, update

from gumboot.core.journal.office import first_broken
from gumboot.store import office
from gumboot.store.database import see_crew
from gumboot.store.models import Crew, Invitation
from gumboot.web.app import create_app
from gumboot.web.config import Config
from tests.web.conftest import PASSWORD, Member, number_of

NEW = "nine-lanterns-over-basalt"


def link_of(answer):
    return re.search(r"/join/([\w-]{20,})", answer.text)[1]


def invited(boss, **typed):
    answer = boss.post("/people/invite", {"name": "Bo Reed", "role": "installer", **typed})
    assert answer.status_code == 200, answer.text[-800:]
    return link_of(answer)


def join(app, token, **typed):
    http = TestClient(app, follow_redirects=False)
    fields = {"name": "Bo Reed", "password": NEW, "again_password": NEW, **typed}
    return http, http.post(f"/join/{token}", data=fields)


def told(make, crew_id):
    with make() as db:
        see_crew(db, crew_id)
        rows = office.entries(db, crew_id)
        crew = db.get(Crew, crew_id)
        assert first_broken(crew.uid, rows) is None and crew.office_seq == len(rows)
        return [f"{e.who} {e.says}" for e in rows]


def test_an_invitation_makes_a_member_once(app, make, crew, member):
    boss = member("supervisor")
    token = invited(boss)
    assert "Join Crew" in TestClient(app).get(f"/join/{token}").text  # looking uses nothing up
    http, answer = join(app, token, email=f"bo@{crew[0]}.example")
    assert answer.status_code == 303 and http.get("/jobs").status_code == 200
    assert join(app, token, email=f"another@{crew[0]}.example")[1].status_code == 410
    people = boss.get("/people.json").json()["people"]
    assert {"Bo Reed": "installer"}.items() <= {p["name"]: p["role"] for p in people}.items()
    said = told(make, crew[0])
    assert any("invited Bo Reed as installer" in s for s in said)
    assert any(s.startswith("Bo Reed joined as installer by the invitation of") for s in said)


def test_a_forwarded_invitation_cannot_change_whom_it_is_for(app, make, crew, member):
    mail = f"bo@{crew[0]}.example"
    token = invited(member("supervisor"), email=mail)
    _, answer = join(app, token, email="thief@elsewhere.example", name="Thief")
    assert answer.status_code == 303
    assert number_of(make, "thief@elsewhere.example") is None and number_of(make, mail)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"password": "short", "again_password": "short"}, "at least 12 characters"),
        ({"password": "password1234", "again_password": "password1234"}, "too easy to guess"),
        ({"again_password": "another one"}, "same way twice"),
        ({"email": "no address"}, "such as bo@crew.example"),
        ({"email": "planner@demo.example"}, "signs in with this address already"),
        ({"name": ""}, "type your name"),
    ],
)
def test_a_bad_answer_is_said_at_its_field_and_nothing_is_used_up(app, crew, member, typed, says):
    token = invited(member("supervisor"))
    _, answer = join(app, token, **{"email": f"bo@{crew[0]}.example", **typed})
    assert answer.status_code == 422 and says.lower() in answer.text.lower()
    assert (typed.get("email") or f"bo@{crew[0]}.example") in answer.text  # what was typed stays
    assert join(app, token, email=f"bo@{crew[0]}.example")[1].status_code == 303


def test_a_link_ends_after_three_days_and_can_be_taken_back(app, make, crew, member):
    boss = member("supervisor")
    token = invited(boss)
    page = boss.get("/people").text
    which = re.search(r'name="which" value="(\w+)"', page)[1]
    boss.post("/people/invitations/withdraw", {"which": which})
    assert join(app, token, email="x@y.example")[1].status_code == 410
    token = invited(boss)
    with make.begin() as db:
        see_crew(db, crew[0])
        late = datetime.now(UTC) - timedelta(seconds=1)
        db.execute(update(Invitation).values(ends_at=late).where(Invitation.crew_id == crew[0]))
    assert join(app, token, email="x@y.example")[1].status_code == 410


def test_only_supervisors_invite_and_another_crew_sees_nobody(app, crew, member, stranger):
    assert member("planner").post("/people/invite", {"name": "Bo"}).status_code == 403
    assert crew[1]["planner"] not in stranger.get("/people").text
    assert stranger.get("/people/1").status_code == 404


def test_taken_out_means_signed_out_at_once_and_the_name_stays(app, make, crew, member):
    boss, worker = member("supervisor"), member("installer")
    number = number_of(make, crew[1]["installer"])
    assert worker.get("/jobs").status_code == 200
    assert boss.post(f"/people/{number}/take-out").status_code == 303
    assert worker.get("/jobs").headers["location"].startswith("/sign-in")
    assert Member(app, crew[1]["installer"]).answer.status_code == 401
    assert any("took Installer" in s for s in told(make, crew[0]))
    token = invited(boss, email=crew[1]["installer"])  # and may come back later
    assert join(app, token)[1].status_code == 303


def test_two_supervisors_who_take_each_other_out_leave_one(app, make, crew, member):
    """At the same moment, and again one after the other: a crew never is without one."""
    boss = member("supervisor")
    _, answer = join(app, invited(boss, role="supervisor"), email=f"bo@{crew[0]}.example")
    assert answer.status_code == 303
    other = Member(app, f"bo@{crew[0]}.example", NEW)
    numbers = {m: number_of(make, m.email) for m in (boss, other)}
    acts = [
        threading.Thread(target=a.post, args=(f"/people/{numbers[b]}/take-out",))
        for a, b in ((boss, other), (other, boss))
    ]
    for act in acts:
        act.start()
    for act in acts:
        act.join()
    with make() as db:
        left = db.execute(
            text(
                "select count(*) from person where crew_id = :c and role = 'supervisor' and left_at"
                " is null"
            ),
            {"c": crew[0]},
        ).scalar()
    assert left == 1


def test_the_last_supervisor_stays_and_is_told_why(make, crew, member):
    boss = member("supervisor")
    number = number_of(make, boss.email)
    for path, sent in (("take-out", {}), ("role", {"role": "planner"})):
        answer = boss.post(f"/people/{number}/{path}", sent)
        assert answer.status_code == 409 and "last supervisor" in answer.text
    assert boss.get("/people").status_code == 200


def test_a_role_holds_at_once(app, make, crew, member):
    boss, planner = member("supervisor"), member("planner")
    assert planner.get("/jobs/new").status_code == 200
    boss.post(f"/people/{number_of(make, planner.email)}/role", {"role": "installer"})
    assert planner.post("/jobs/new").status_code == 403
    assert any("made Planner" in s and "before planner" in s for s in told(make, crew[0]))


def test_a_supervisor_sees_and_ends_sign_ins(app, make, crew, member):
    phone = member("installer", **{"user-agent": "Mozilla/5.0 (Android 15) Firefox/140.0"})
    boss, number = member("supervisor"), number_of(make, crew[1]["installer"])
    page = boss.get(f"/people/{number}")
    assert "Firefox, Android" in page.text and "testclient" in page.text
    boss.post(f"/people/{number}/sign-ins/end", {"which": ""})
    assert phone.get("/jobs").status_code == 303


def test_a_new_password_by_a_supervisors_link(app, make, crew, member):
    worker, boss = member("installer"), member("supervisor")
    number = number_of(make, worker.email)
    token = link_of(boss.post(f"/people/{number}/password"))
    _, answer = join(app, token, name="Somebody Else")
    assert answer.status_code == 303
    assert worker.get("/jobs").status_code == 303  # the old sign-in ended
    assert Member(app, worker.email).answer.status_code == 401
    assert Member(app, worker.email, NEW).answer.status_code == 303
    assert "Somebody Else" not in str(boss.get("/people.json").json())


def test_a_link_goes_by_mail_where_there_is_a_server(url, crew, make):
    """Against a local SMTP server; the link in it is the site's own, whatever the request says."""

    letters = []

    class Keeps:
        async def handle_DATA(self, server, session, envelope):
            letters.append((envelope.rcpt_tos, envelope.content.decode()))
            return "250 kept"

    server = Controller(Keeps(), hostname="127.0.0.1", port=0)
    server.port = free_port()
    server.start()
    try:
        config = Config(
            database_url=url,
            smtp=f"smtp://127.0.0.1:{server.port}",
            site="https://gumboot.crew.example",
        )
        app = create_app(config)
        with TestClient(app):
            boss = Member(app, crew[1]["supervisor"])
            mail = f"bo@{crew[0]}.example"
            answer = boss.post(
                "/people/invite",
                {"name": "Bo Reed", "role": "planner", "email": mail, "mail": "yes"},
                headers={"host": "evil.example"},
            )
            assert f"Sent to {mail}" in answer.text
    finally:
        server.stop()
    (to, letter), *more = letters
    assert to == [mail] and not more
    body = letter.replace("=\r\n", "").replace("=3D", "=")
    assert "https://gumboot.crew.example/join/" in body and "evil.example" not in body


def free_port():
    import socket

    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


def test_a_mail_server_that_fails_says_so_and_the_link_is_still_shown(url, crew):
    app = create_app(
        Config(database_url=url, smtp="smtp://127.0.0.1:1", site="https://gumboot.crew.example")
    )
    with TestClient(app):
        answer = Member(app, crew[1]["supervisor"]).post(
            "/people/invite",
            {"name": "Bo", "role": "planner", "email": "bo@nowhere.example", "mail": "yes"},
        )
    assert "Hand the link over yourself" in answer.text and link_of(answer)


def test_the_office_log_cannot_be_rewritten_and_is_exported_whole(make, crew, member):
    boss = member("supervisor")
    document = boss.get("/office/export.json").json()
    assert document["first_broken"] is None and document["log"][-1]["kind"] == "exported"
    assert boss.get("/office").status_code == 200
    assert member("planner").get("/office").status_code == 403
    with pytest.raises(Exception, match="append-only"), make.begin() as db:
        see_crew(db, crew[0])
        db.execute(text("update office_entry set who = 'x' where crew_id = :c"), {"c": crew[0]})


def test_an_altered_office_log_is_found(make, crew, member):
    """An entry re-read with another role, or with a newline moved from one field to the next."""
    boss = member("supervisor")
    boss.post("/people/second", {"whom": "everybody"})
    with make() as db:
        see_crew(db, crew[0])
        uid, rows = db.get(Crew, crew[0]).uid, office.entries(db, crew[0])
    from dataclasses import replace

    assert first_broken(uid, rows) is None and len(rows) >= 2
    for i, row in enumerate(rows):
        for change in ({"role": "planner"}, {"who": row.who + "\n" + row.role, "role": ""}):
            forged = [*rows[:i], replace(row, **change), *rows[i + 1 :]]
            assert first_broken(uid, forged) == i + 1


def test_a_password_is_changed_for_the_right_old_one(app, make, crew, member):
    here, elsewhere = member("planner"), member("planner")
    new = {"new_password": NEW, "again_password": NEW}
    wrong = here.post("/account/password", {"old_password": "no", **new})
    assert wrong.status_code == 422 and "type your present password" in wrong.text.lower()
    poor = here.post(
        "/account/password",
        {
            "old_password": PASSWORD,
            "new_password": "aaaaaaaaaaaa",
            "again_password": "aaaaaaaaaaaa",
        },
    )
    assert poor.status_code == 422 and "too easy to guess" in poor.text.lower()
    assert here.post("/account/password", {"old_password": PASSWORD, **new}).status_code == 303
    assert here.get("/jobs").status_code == 200
    assert elsewhere.get("/jobs").status_code == 303  # a cookie from before the change
    assert Member(app, here.email, NEW).answer.status_code == 303


def test_own_sign_ins_are_seen_and_ended(member):
    here, other = member("planner"), member("planner", **{"user-agent": "Firefox Linux"})
    page = here.get("/account").text
    assert "(this one)" in page and "Firefox, Linux" in page
    here.post("/account/sign-ins/end", {"which": ""})
    assert other.get("/jobs").status_code == 303 and here.get("/jobs").status_code == 200
