"""Signed by three, each for their part; the owner by a link that shows nothing else."""

import json
import re
from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import update

from gumboot.core.hand_over.signing import NotSigned, path_of, signed_by
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP
from gumboot.store import files, records
from gumboot.store.database import see_crew
from gumboot.store.models import Job, Share
from tests.conftest import ready
from tests.web.test_stations import signable

DRAWN = "10,100 60,40 120,150 200,60;220,100 300,100"


@pytest.fixture
def signed(supervisor, new_job):
    """A job of the crew, signed."""
    plan = Plan.model_validate(HERON_SLIP)
    job = new_job(plan)
    signable(supervisor, job, plan)
    page = supervisor.get(f"/jobs/{job}/hand-over.json").json()
    sent = {"digest": page["digest"], "drawn": DRAWN}
    assert supervisor.post(f"/jobs/{job}/sign", sent).status_code == 303
    return job


def shown(person, job):
    return person.get(f"/jobs/{job}/hand-over.json").json()


def linked(person, job):
    """The owner's link of a job, as its path."""
    assert person.post(f"/jobs/{job}/share", {"act": "new", "years": "5"}).status_code == 303
    return re.search(r"/o/[\w-]{30,}", person.get(f"/jobs/{job}/hand-over").text)[0]


def outside(app):
    """Somebody without an account."""
    return TestClient(app, follow_redirects=False, raise_server_exceptions=False)


@pytest.mark.long
def test_three_sign_each_for_their_part(app, make, supervisor, installer, signed):
    before = shown(supervisor, signed)
    assert before["signed"]["path"].startswith("M10 100 L60 40")
    part = {"part": "licensed electrician", "name": "Perrin Lode"}
    lacks = installer.post(f"/jobs/{signed}/signature", part)
    assert lacks.status_code == 422 and "number of the licence" in lacks.text
    assert 'value="Perrin Lode"' in lacks.text
    sent = {**part, "licence": "E-4711", "drawn": DRAWN}
    assert installer.post(f"/jobs/{signed}/signature", sent).status_code == 303
    at, http = linked(installer, signed), outside(app)
    assert http.post(f"{at}/sign", data={"name": "Una Sedge"}).status_code == 303
    now = shown(supervisor, signed)
    assert [(x["part"], x["name"]) for x in now["signatures"]] == [
        ("licensed electrician", "Perrin Lode"),
        ("owner", "Una Sedge"),
    ]
    heads = {x["pack"] for x in now["signatures"]} | {now["signed"]["pack"]}
    assert len(heads) == 1 and now["log_broken_at"] is None and now["holds"] == ""
    with make() as db:
        see_crew(db, 1)
        kept = files.one(db, signed, heads.pop())
        assert kept.kind == "pack" and b"Terminations" in kept.data
    pdf = supervisor.get(f"/jobs/{signed}/books/signed/{now['signed']['pack']}.pdf")
    assert pdf.content.startswith(b"%PDF")
    assert "Una Sedge" in http.get(at).text


@pytest.mark.long
def test_what_was_signed_stands_when_it_is_signed_again(supervisor, installer, signed):
    owner = {"part": "owner", "name": "Una Sedge"}
    assert installer.post(f"/jobs/{signed}/signature", owner).status_code == 303
    first = shown(supervisor, signed)["signed"]["pack"]
    assert supervisor.post(f"/jobs/{signed}/reopen", {"reason": "a lug"}).status_code == 303
    open_now = shown(supervisor, signed)
    assert open_now["signed"] is None and open_now["signatures"] == []
    early = installer.post(f"/jobs/{signed}/signature", owner)
    assert early.status_code == 422 and "supervisor signs first" in early.text
    page = shown(supervisor, signed)
    assert supervisor.post(f"/jobs/{signed}/sign", {"digest": page["digest"]}).status_code == 303
    again = shown(supervisor, signed)
    assert again["signed"]["pack"] != first and again["signatures"] == []
    assert [h["kind"] for h in again["history"]] == ["sign", "reopen", "sign"]
    old = supervisor.get(f"/jobs/{signed}/books/signed/{first}.pdf")
    assert old.content.startswith(b"%PDF")


@pytest.mark.long
def test_a_signed_job_goes_to_another_crew_with_what_was_signed(supervisor, member, signed):
    """Its pack is read there as it was, and is not sealed by who did not make it."""
    pack = shown(supervisor, signed)["signed"]["pack"]
    file = supervisor.get(f"/jobs/{signed}/export.json").content
    there = member("supervisor")
    answer = there.post("/jobs/import", files={"file": ("job.json", file)})
    assert answer.status_code == 303
    number = int(answer.headers["location"].split("/")[2])
    theirs = ready(there, there.get(f"/jobs/{number}/books/signed/{pack}.pdf")).content
    ours = supervisor.get(f"/jobs/{signed}/books/signed/{pack}.pdf").content
    assert b"/ByteRange" in ours and theirs.startswith(b"%PDF") and b"/ByteRange" not in theirs
    assert there.get(f"/jobs/{number}/files/{pack}.csv").status_code == 404
    wrong = json.loads(file)
    next(f for f in wrong["files"] if f["kind"] == "pack")["media"] = "image/jpeg"
    told = there.post("/jobs/import", files={"file": ("job.json", json.dumps(wrong))})
    assert told.status_code == 422 and "/media" in told.text


@pytest.mark.parametrize(
    ("drawn", "says"),
    [("5,5", "nothing was drawn"), ("5,5 6,6", "nothing was drawn"), ("M0 0", "could not be read")],
)
def test_a_signature_drawn_empty_is_none(app, supervisor, installer, signed, drawn, says):
    at, http = linked(supervisor, signed), outside(app)
    answer = http.post(f"{at}/sign", data={"name": "Una Sedge", "drawn": drawn})
    assert answer.status_code == 422 and says in answer.text.lower()
    assert 'value="Una Sedge"' in answer.text
    assert shown(supervisor, signed)["signatures"] == []


def test_a_signature_has_a_name():
    with pytest.raises(NotSigned, match="whole name"):
        signed_by("  ", DRAWN, "", "owner")
    assert path_of("1,2;3,4 5,6") == "M1 2 L1 2 M3 4 L5 6"


def test_a_wrong_clock_at_signing_stands_beside_the_servers(supervisor, installer, signed):
    sent = {"part": "owner", "name": "Una Sedge", "at_device": "2019-01-01T08:00:00Z"}
    assert installer.post(f"/jobs/{signed}/signature", sent).status_code == 303
    (row,) = shown(supervisor, signed)["signatures"]
    assert row["at"][:10] == datetime.now(UTC).date().isoformat()
    assert "the device said 2019-01-01" in supervisor.get(f"/jobs/{signed}/hand-over").text


def test_an_owner_signs_only_after_the_crew(app, supervisor, new_job):
    job = new_job(Plan.model_validate(HERON_SLIP))
    at, http = linked(supervisor, job), outside(app)
    assert "has not signed the work yet" in http.get(at).text
    assert http.post(f"{at}/sign", data={"name": "Una Sedge"}).status_code == 422


def test_the_link_shows_how_to_make_it_safe_and_nothing_of_the_crew(app, supervisor, signed):
    """Every link and form of the page walked: only the book, and places on it."""
    at, http = linked(supervisor, signed), outside(app)
    page = http.get(at)
    assert page.status_code == 200 and page.headers["cache-control"] == "no-store"
    text = page.text
    assert text.index("Make it safe now") < text.index("Switch off") < text.index("What hangs")
    # An initiator of modules stands at the roof: nobody presses it from the owner's page.
    assert "Press “Emergency shutdown" in text and "Rapid shutdown" not in text
    seen = re.findall(r'(?:href|src|action|hx-get|hx-post)="([^"]+)"', text)
    own = [x for x in seen if not x.startswith(("/static/", "#", "tel:"))]
    assert set(own) == {f"{at}/book.pdf", f"{at}/sign"}
    assert ready(http, http.get(f"{at}/book.pdf")).content.startswith(b"%PDF")
    for hidden in (f"/jobs/{signed}", "csrf", "Osk Fellgate", "Ilse Quayle", "hand-over", "E-Mail"):
        assert hidden not in text, hidden
    for path in (f"/jobs/{signed}/hand-over", "/jobs", f"/jobs/{signed}/export.json", "/seal"):
        assert http.get(path).status_code in (303, 401)
    for path in (f"{at}/../jobs", f"{at}/hand-over", f"{at}/owner.pdf", f"{at}x", "/o/", "/o/none"):
        assert http.get(path).status_code in (303, 404, 410), path
    assert not http.cookies


def test_a_link_is_counted_ends_and_is_taken_back(app, make, supervisor, signed):
    at, http = linked(supervisor, signed), outside(app)
    for _ in range(3):
        http.get(at)
    assert "opened 3 times" in supervisor.get(f"/jobs/{signed}/hand-over").text
    newer = linked(supervisor, signed)
    gone = http.get(at)
    assert newer != at and gone.status_code == 410 and "ended or was taken back" in gone.text
    assert "fire service" in gone.text
    supervisor.post(f"/jobs/{signed}/share", {"act": "end"})
    assert http.get(newer).status_code == 410
    last = linked(supervisor, signed)
    assert http.get(last).status_code == 200
    with make.begin() as db:
        over = datetime.now(UTC) - timedelta(seconds=1)
        db.execute(update(Share).where(Share.job_id == signed).values(ends_at=over))
    assert http.get(last).status_code == 410
    assert http.post(f"{last}/sign", data={"name": "Una Sedge"}).status_code == 410
    assert http.get(f"{last}/book.pdf").status_code == 410


def test_a_job_with_a_link_and_visits_can_be_deleted(app, supervisor, signed):
    at, http = linked(supervisor, signed), outside(app)
    assert any(v["job"] == signed for v in supervisor.get("/visits.json").json()["visits"])
    supervisor.post(f"/jobs/{signed}/reopen", {"reason": "made twice"})
    name = shown(supervisor, signed)["job"]["name"]
    sent = {"name": name, "reason": "made twice"}
    assert supervisor.post(f"/jobs/{signed}/delete", sent).status_code == 303
    assert http.get(at).status_code == 410
    assert not any(v["job"] == signed for v in supervisor.get("/visits.json").json()["visits"])


def test_the_code_on_the_card_opens_the_link(app, supervisor, signed):
    """Read back from the rendered card by another reader of codes."""
    import pypdfium2
    import zxingcpp

    at = linked(supervisor, signed)
    for name in ("wake/card.pdf", "books/owner.pdf"):
        pdf = supervisor.get(f"/jobs/{signed}/{name}").content
        found = [
            x.text
            for p in pypdfium2.PdfDocument(pdf)
            for x in zxingcpp.read_barcodes(p.render(scale=3).to_pil())
        ]
        assert any(x.endswith(at) for x in found), (name, found)


def test_the_seal_page_tells_what_a_pdf_is_worth(supervisor, planner, stranger, signed):
    pdf = supervisor.get(f"/jobs/{signed}/books/owner.pdf").content

    def told(person, data):
        return person.post("/seal/check", files={"pdf": ("back.pdf", data, "application/pdf")})

    good = told(planner, pdf)
    assert good.status_code == 200 and "untouched" in good.text
    assert "Heron Slip" in good.text and "Sealed by <b>Tidemark crew</b>" in good.text
    bad = told(planner, pdf.replace(b"/Marked", b"/Marfed", 1))
    assert bad.status_code == 422 and "changed after it was sealed" in bad.text
    other = told(stranger, pdf)
    assert other.status_code == 422 and "none of this crew" in other.text
    assert "does not have" in other.text and "Heron Slip" not in other.text
    assert "cannot be read as a PDF" in told(planner, b"nothing").text
    assert "Choose the PDF" in planner.post("/seal/check").text
    wrong = supervisor.post("/seal", files={"file": ("a.p12", b"x", "application/octet-stream")})
    assert wrong.status_code == 422 and "no .p12" in wrong.text.lower()


def test_a_signature_names_the_log_as_it_stood(make, supervisor, installer, signed):
    installer.post(f"/jobs/{signed}/signature", {"part": "owner", "name": "Una Sedge"})
    with make() as db:
        see_crew(db, 1)
        rows = records.entries(db, db.get(Job, signed))
    last = rows[-1]
    assert last.kind == "signature" and last.body["log_head"] == rows[-2].hash
    assert last.body["plan_version"] == 1
