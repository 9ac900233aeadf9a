"""Delivery, serials, photographs and what was built otherwise, as a crew enters them."""

import csv
import io
import uuid

import pytest
from PIL import Image

from gumboot.core.plan import Plan
from gumboot.demo.plans import SALTINGS_BARN
from tests.shapes import SHAPES

UNIT = "kit_marram_t10_three_phase_hybrid"  # its line of the bill


@pytest.fixture
def barn(new_job):
    return new_job(Plan.model_validate(SALTINGS_BARN))


def photo(size=(60, 40), kind="JPEG"):
    out = io.BytesIO()
    Image.new("RGB", size, (90, 120, 80)).save(out, kind)
    return out.getvalue()


def shown(person, job, page="delivery"):
    return person.get(f"/jobs/{job}/{page}.json").json()


def devices(person, job):
    return {d["key"]: d for d in shown(person, job)["devices"]}


def test_what_came_is_kept_with_its_photograph(installer, barn):
    sent = {f"came-{UNIT}": "damaged", f"note-{UNIT}": "corner crushed", f"count-{UNIT}": "1"}
    files = {f"photo-{UNIT}": ("door.jpg", photo(), "image/jpeg")}
    answer = installer.post(f"/jobs/{barn}/delivery", sent, files=files)
    assert answer.status_code == 303
    row = next(x for x in shown(installer, barn)["items"] if x["key"] == UNIT)
    assert (row["came"], row["note"], row["who"]) == ("damaged", "corner crushed", "Osk Fellgate")
    picture = installer.get(f"/jobs/{barn}/photos/{row['digest']}.jpg")
    assert picture.headers["content-type"] == "image/jpeg"


def test_a_form_may_have_a_place_for_a_photograph_at_every_line(installer, barn):
    """A browser sends each of them, with or without a file in it."""
    lines = [x["key"] for x in shown(installer, barn)["items"]]
    assert len(lines) > 30
    files = {f"photo-{k}": ("", b"", "application/octet-stream") for k in lines}
    answer = installer.post(f"/jobs/{barn}/delivery", {"serial-gateway": "GW-9"}, files=files)
    assert answer.status_code == 303
    assert devices(installer, barn)["gateway"]["serial"] == "GW-9"


@pytest.mark.parametrize(
    ("sent", "says"),
    [
        ({f"came-{UNIT}": "damaged"}, "Type what is missing"),
        ({f"came-{UNIT}": "flying"}, "Choose how it came"),
        ({f"came-{UNIT}": "as ordered", f"count-{UNIT}": "two"}, "Type how much came"),
        ({"serial-inverter-1": "https://x.example"}, "is a link"),
        ({"serial-inverter-1": "4006381333931"}, "article&#39;s number"),
    ],
)
def test_what_cannot_be_kept_stays_typed_and_the_rest_is_kept(installer, barn, sent, says):
    good = {"serial-gateway": "GW-77", "firmware_found-gateway": "2.1"}
    answer = installer.post(f"/jobs/{barn}/delivery", {**good, **sent})
    assert answer.status_code == 422 and says in answer.text
    assert all(v in answer.text for k, v in sent.items() if not k.startswith("came"))
    assert devices(installer, barn)["gateway"]["serial"] == "GW-77"


def test_a_photograph_of_200_megapixels_is_refused_and_nothing_lost(installer, barn):
    big = io.BytesIO()
    Image.new("1", (20_000, 10_000)).save(big, "PNG")
    sent = {f"came-{UNIT}": "missing", f"note-{UNIT}": "one box"}
    files = {f"photo-{UNIT}": ("big.png", big.getvalue(), "image/png")}
    answer = installer.post(f"/jobs/{barn}/delivery", sent, files=files)
    assert answer.status_code == 422 and "one box" in answer.text
    assert "more pixels than any camera" in answer.text


def test_the_same_number_twice_is_said_at_both(installer, barn):
    sent = {"serial-inverter-1": "AB-1", "serial-pack-1": "ab-1", "serial-pack-2": "P-2"}
    answer = installer.post(f"/jobs/{barn}/delivery", sent)
    assert answer.status_code == 422 and answer.text.count("has the same number") == 2
    now = devices(installer, barn)
    assert (now["inverter-1"]["serial"], now["pack-2"]["serial"]) == ("", "P-2")
    kept = {"serial-inverter-1": "AB-1", "firmware_found-inverter-1": "3.02"}
    assert installer.post(f"/jobs/{barn}/delivery", kept).status_code == 303
    left = {"firmware_left-inverter-1": "3.11"}
    assert installer.post(f"/jobs/{barn}/delivery", left | {"serial-inverter-1": "AB-1"})
    row = devices(installer, barn)["inverter-1"]
    assert (row["firmware_found"], row["firmware_left"]) == ("3.02", "3.11")


def test_a_maker_registers_by_a_list_of_its_own(installer, barn):
    installer.post(f"/jobs/{barn}/delivery", {"serial-gateway": "GW-9", "serial-inverter-1": "T-1"})
    text = installer.get(f"/jobs/{barn}/serials.csv?maker=Fenwright").text
    rows = list(csv.DictReader(io.StringIO(text)))
    assert [(r["maker"], r["serial"], r["site"]) for r in rows] == [
        ("Fenwright", "GW-9", "Saltings Barn")
    ]
    whole = list(csv.DictReader(io.StringIO(installer.get(f"/jobs/{barn}/serials.csv").text)))
    assert len(whole) == len(devices(installer, barn))


def test_what_a_camera_reads_is_judged(installer, barn):
    at = f"/jobs/{barn}/serial.json"
    good = installer.get(at, params={"text": "P/N 5 S/N: q-4411"})
    assert good.json() == {"serial": "Q-4411"}
    bad = installer.get(at, params={"text": "4006381333931"})
    assert bad.status_code == 422 and "article" in bad.json()["message"]


def take(person, job, key, data=None):
    """A photograph as the page sends it: the picture, then its entry."""
    sent = {"what": "picture"}
    files = {"photo": ("a.jpg", data or photo(), "image/jpeg")}
    answer = person.post(f"/jobs/{job}/log/photo", sent, files=files)
    digest = answer.json()["digest"]
    row = {"uuid": str(uuid.uuid4()), "kind": "picture", "key": key, "digest": digest}
    return person.log(job, row).json()["entries"][0], row


def test_a_photograph_stands_in_its_place_and_missing_ones_are_named(supervisor, installer, barn):
    before = shown(supervisor, barn, "hand-over")["lacking"]
    answer, row = take(installer, barn, "meter")
    assert answer["state"] == "kept"
    again = installer.log(barn, row).json()["entries"][0]
    assert again["state"] == "kept"  # sent twice it is kept once
    slot = next(s for s in shown(installer, barn, "photographs")["slots"] if s["key"] == "meter")
    assert slot["digest"] == row["digest"] and slot["who"] == "Osk Fellgate"
    after = shown(supervisor, barn, "hand-over")["lacking"]
    assert len(after) == len(before) - 1 and not any("meter" in x for x in after)
    assert "photographs not taken" in supervisor.get(f"/jobs/{barn}/hand-over").text
    refused, _ = take(installer, barn, "no-such-place", photo((50, 50)))
    assert refused["state"] == "refused" and "not wanted any more" in refused["why"]


@pytest.mark.parametrize("name", list(SHAPES)[:6])
def test_the_pages_open_on_every_shape(installer, new_job, name):
    job = new_job(Plan.model_validate(SHAPES[name]))
    for page in ("delivery", "photographs", "as-built"):
        assert installer.get(f"/jobs/{job}/{page}").status_code == 200


def test_what_was_built_otherwise_is_said_and_taken_back(installer, barn):
    first = next(iter(shown(installer, barn, "as-built")["places"]))
    sent = {"about": first, "what": "length", "built": "11.5", "note": "round the door"}
    assert installer.post(f"/jobs/{barn}/as-built", sent).status_code == 303
    page = shown(installer, barn, "as-built")
    assert [(r["about"], r["built"]) for r in page["rows"]] == [(first, "11.5 m")]
    assert "≠ 11.5 m" in installer.get(f"/jobs/{barn}/as-built").text
    installer.post(f"/jobs/{barn}/as-built", {"back": page["said"][0]["about"]})
    assert shown(installer, barn, "as-built")["rows"] == []


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"about": "nowhere"}, "Choose the circuit or box"),
        ({"built": ""}, "Type how it was built"),
        ({"built": "long"}, "such as"),
    ],
)
def test_a_difference_says_what_to_type(installer, barn, change, says):
    first = next(iter(shown(installer, barn, "as-built")["places"]))
    sent = {"about": first, "what": "length", "built": "9", "note": "kept words", **change}
    answer = installer.post(f"/jobs/{barn}/as-built", sent)
    assert answer.status_code == 422 and says in answer.text and "kept words" in answer.text


@pytest.mark.long
def test_a_photograph_stands_in_the_books_beside_its_row(installer, supervisor, barn):
    """Of a plate, of an open block; both in the archive too."""
    import pikepdf
    from pypdf import PdfReader

    take(installer, barn, "plate.inverter-1", photo((300, 200)))
    take(installer, barn, "block.main-panel", photo((310, 200)))
    take(installer, barn, "meter", photo((320, 200)))
    pdf = supervisor.get(f"/jobs/{barn}/books/inspector.pdf").content
    reader = PdfReader(io.BytesIO(pdf))
    text = " ".join("\n".join(p.extract_text() for p in reader.pages).split())
    sizes = {i.image.size for p in reader.pages for i in p.images}
    assert sizes == {(300, 200), (310, 200), (320, 200)}
    order = [text.rindex(x) for x in ("Inverter: its plate", "Main board: open", "The meter, its")]
    assert order == sorted(order)
    archive = supervisor.get(f"/jobs/{barn}/books/archive.pdf").content
    with pikepdf.open(io.BytesIO(archive)) as kept:
        names = sorted(kept.attachments)
    assert sum(n.startswith("photographs/") for n in names) == 3


def test_what_should_have_come_is_the_bill_less_the_stock(installer, planner, barn):
    """Every line of the bill that has to be got, in its unit; a drum in stock is not waited for."""
    bill = planner.get(f"/jobs/{barn}/materials.json").json()["lines"]
    want = [(r["what"], f"{r['to_get']:g} {r['unit']}".strip()) for r in bill if r["to_get"] > 0]
    rows = shown(installer, barn)["items"]
    assert [(r["label"], r["wanted"]) for r in rows] == want
    assert len({r["key"] for r in rows}) == len(rows) > 20
    cable = next(r for r in rows if r["group"] == "Cable")
    sent = {f"came-{cable['key']}": "another", f"note-{cable['key']}": "tinned"}
    assert installer.post(f"/jobs/{barn}/delivery", {**sent, f"count-{cable['key']}": "12.5 m"})
    now = next(r for r in shown(installer, barn)["items"] if r["key"] == cable["key"])
    assert (now["came"], now["count"], now["note"]) == ("another", "12.5 m", "tinned")
