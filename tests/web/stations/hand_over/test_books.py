"""The books as they come out: tagged, with bookmarks, fonts and their files inside."""

import io
import json
import zipfile

import pikepdf
import pytest
from pypdf import PdfReader

from gumboot.core.plan import Plan
from gumboot.demo.plans import JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from gumboot.exports.seal import check


def book(person, job, name):
    answer = person.get(f"/jobs/{job}/books/{name}")
    assert answer.status_code == 200, answer.text[:300]
    return answer.content


def demo(person, name):
    rows = person.get("/jobs.json", params={"q": name}).json()["jobs"]
    return min(r["id"] for r in rows if not r["elsewhere"])  # other tests take copies in


@pytest.fixture(scope="module")
def heron(supervisor):
    return demo(supervisor, "heron slip")


def metadata(data):
    """(what its metadata say by the last two of their names, whether it is marked, its tags)."""
    with pikepdf.open(io.BytesIO(data)) as pdf:
        with pdf.open_metadata() as meta:
            said = {f"{k.split('/')[3]} {k.rpartition('}')[2]}": v for k, v in meta.items()}
        return said, pdf.Root.get("/MarkInfo")["/Marked"], "/StructTreeRoot" in pdf.Root


@pytest.mark.long
@pytest.mark.parametrize("plan", [TERN_HOLLOW, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN])
def test_the_owners_book_has_eight_pages_at_most(supervisor, new_job, plan):
    job = new_job(Plan.model_validate(plan))
    pages = PdfReader(io.BytesIO(book(supervisor, job, "owner.pdf"))).pages
    assert 2 <= len(pages) <= 8
    assert "Make it safe now" in pages[0].extract_text()


def test_the_owners_book_is_tagged_and_says_so(supervisor, heron):
    data = book(supervisor, heron, "owner.pdf")
    meta, marked, tree = metadata(data)
    assert meta["pdfua part"] == "1" and marked and tree
    with pikepdf.open(io.BytesIO(data)) as pdf:
        assert str(pdf.Root["/Lang"]) == "en"
        fonts = {
            str(f["/BaseFont"]): "/DescendantFonts" in f
            for p in pdf.pages
            for f in p["/Resources"]["/Font"].values()
        }
        assert fonts and all(fonts.values())  # embedded, by their glyphs
        assert any("Atkinson" in name for name in fonts)
        figures = [e for e in pdf.objects if isinstance(e, pikepdf.Dictionary)]
        drawn = [e for e in figures if e.get("/S") == "/Figure"]
        assert drawn and all(str(e["/Alt"]) for e in drawn)


@pytest.mark.long
def test_the_inspectors_book_leads_to_every_figure_from_its_first_page(supervisor, heron):
    data = book(supervisor, heron, "inspector.pdf")
    reader = PdfReader(io.BytesIO(data))
    names = [x.title for x in reader.outline if not isinstance(x, list)]
    for wanted in ("Terminations", "Tests and results", "Calculation sheet", "Record"):
        assert wanted in names
    links = [
        a.get_object()["/Dest"]
        for a in reader.pages[0].get("/Annots", ())
        if "/Dest" in a.get_object()
    ]
    plan = supervisor.get(f"/jobs/{heron}/size.json").json()
    circuits = {c["id"] for c in plan["circuits"]} if "circuits" in plan else set()
    assert {f"figures-{c}" for c in circuits} <= set(map(str, links))
    assert {"figures", "terminations", "drawing", "placards"} <= set(map(str, links))
    text = "\n".join(p.extract_text() for p in reader.pages)
    for wanted in ("Signed by Ilse Quayle", "Proof of the order", "head", "As built"):
        assert wanted in text


@pytest.mark.long
def test_terminations_take_a_page_for_every_forty(supervisor, new_job):
    """46 rows were 13 pages once."""
    job = demo(supervisor, "saltings barn")
    reader = PdfReader(io.BytesIO(book(supervisor, job, "inspector.pdf")))
    texts = [p.extract_text() for p in reader.pages]
    first = next(n for n, t in enumerate(texts) if "\nTerminations\n" in t and n > 0)
    after = next(n for n, t in enumerate(texts) if "\nSignal leads\n" in t and n > 0)
    rows = len(supervisor.get(f"/jobs/{job}/land.json").json()["terminations"])
    assert after - first <= max(2, rows / 40)


@pytest.mark.long
def test_the_archive_is_pdf_a_with_the_job_inside(supervisor, heron):
    data = book(supervisor, heron, "archive.pdf")
    meta, marked, _ = metadata(data)
    assert (meta["pdfa part"], meta["pdfa conformance"]) == ("3", "A") and marked
    with pikepdf.open(io.BytesIO(data)) as pdf:
        assert str(pdf.Root["/OutputIntents"][0]["/S"]) == "/GTS_PDFA1"
        files = dict(pdf.attachments.items())
        kept = files["job.gumboot.json"]
        document = json.loads(kept.get_file().read_bytes())
        assert document["format"].startswith("gumboot-job")
        assert str(kept.obj["/AFRelationship"]) == "/Source"
        assert not pdf.Root.get("/AcroForm", {}).get("/XFA") and "/JavaScript" not in pdf.Root


@pytest.mark.long
def test_the_archive_is_a_folder_too(supervisor, heron):
    alone = book(supervisor, heron, "owner.pdf")
    with zipfile.ZipFile(io.BytesIO(book(supervisor, heron, "archive.zip"))) as z:
        names = [n.split("/", 1)[1] for n in z.namelist()]
        assert {f"owner-{heron}.pdf", f"inspector-{heron}.pdf", "job.gumboot.json"} <= set(names)
        for n in z.namelist():
            assert not n.endswith(".pdf") or z.read(n).startswith(b"%PDF")
        whole = next(n for n in z.namelist() if n.endswith(f"owner-{heron}.pdf"))
        assert z.read(whole) == alone  # made once, sealed once


def test_every_book_is_sealed_and_kept_until_it_changes(supervisor, installer, heron):
    pem = supervisor.get("/seal.pem").text
    first = book(supervisor, heron, "owner.pdf")
    found = check(first, [pem])
    assert found.whole and found.known and found.by == "Tidemark crew"
    uid = supervisor.get(f"/jobs/{heron}/hand-over.json").json()["job"]["uid"]
    assert found.uid == uid
    assert book(supervisor, heron, "owner.pdf") == first  # not made again


def test_a_book_that_there_is_none_of_leads_back(supervisor, heron):
    answer = supervisor.http.get(f"/jobs/{heron}/books/novel.pdf")
    assert answer.status_code == 303 and answer.headers["location"].endswith("/hand-over")


def test_the_demos_jobs_end_differently(supervisor):
    """One signed by three and visited twice, one opened again, one with tests declined."""
    ends = {}
    for name in ("heron slip", "plover quay", "dunlin end", "saltings barn"):
        job = demo(supervisor, name)
        page = supervisor.get(f"/jobs/{job}/hand-over.json").json()
        after = supervisor.get(f"/jobs/{job}/after.json").json()
        ends[name] = (
            bool(page["signed"]),
            len(page["signatures"]),
            [h["kind"] for h in page["history"]],
            sum(v["done"] for v in after["visits"]),
            sum(t["verdict"] == "declined" for t in page["tests"]) > 0,
        )
        assert page["holds"] == "" and page["log_broken_at"] is None
    assert ends["heron slip"] == (True, 2, ["sign"], 2, False)
    assert ends["plover quay"][:3] == (False, 0, ["sign", "reopen"])
    assert ends["dunlin end"] == (True, 0, ["sign"], 0, True)
    assert ends["saltings barn"][2] == []
