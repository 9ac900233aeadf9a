"""The seal of a PDF: against pyHanko's own validator and openssl; tampered copies refused."""

import asyncio
import io
import random
import subprocess
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ed25519, rsa
from cryptography.hazmat.primitives.serialization import pkcs12
from cryptography.x509.oid import NameOID
from pyhanko.pdf_utils.reader import PdfFileReader

from gumboot.devices.timestamp import Running
from gumboot.exports import verify
from gumboot.exports.certificate import (
    BadSeal,
    about,
    ends,
    fingerprint,
    new_seal,
    subject,
)
from gumboot.exports.pack import Enclosed, folder_of, to_pdf
from gumboot.exports.seal import check, read_seal, sealed

NOW = datetime(2026, 11, 27, 12, tzinfo=UTC)
UID, HEAD = "12345678-1234-4123-8123-123456789abc", "ab" * 32


@pytest.fixture(scope="module")
def page():
    keywords = about(UID, 7, HEAD)
    html = f'<html lang="en"><head><title>T</title><meta name="keywords" content="{keywords}">'
    return to_pdf(f"{html}</head><body><h1>One</h1><p>Two</p></body></html>", variant="pdf/ua-1")


@pytest.fixture(scope="module")
def crew():
    return new_seal("Some crew", NOW)


@pytest.fixture(scope="module")
def good(page, crew):
    return sealed(page, crew, "a job")


def test_a_sealed_pdf_says_whose_it_is_and_of_which_job(good, crew):
    found = check(good, [crew.certificate])
    assert found.whole and found.known and found.why == ""
    assert (found.by, found.uid, found.version, found.head) == ("Some crew", UID, 7, HEAD)
    other = check(good, [new_seal("Others", NOW).certificate])
    assert other.whole and not other.known and "none of this crew" in other.why


def test_it_is_sealed_and_checked_where_an_event_loop_runs(page, crew):
    async def within():
        return check(sealed(page, crew, "a job"), [crew.certificate])

    with ThreadPoolExecutor(1) as thread:  # whatever loop runs in this one
        assert thread.submit(asyncio.run, within()).result().whole


def test_whoever_changes_a_letter_breaks_it(good, crew):
    """Bytes all over the file changed one at a time, something put after its end, its seal cut off:
    none holds.
    """
    inside = PdfFileReader(io.BytesIO(good)).embedded_regular_signatures[0].byte_range
    spots = range(inside[1] // 7, inside[1], inside[1] // 7)
    assert len(spots) >= 6
    for at in spots:
        changed = good[:at] + bytes([good[at] ^ 1]) + good[at + 1 :]
        assert not check(changed, [crew.certificate]).whole, at
    assert not check(good + b"\n% more", [crew.certificate]).whole
    assert not check(good[: len(good) // 2], [crew.certificate]).whole


def test_whatever_is_given_is_answered_and_never_taken_for_whole(good, crew):
    """300 damaged copies: none is an error of ours, none whole unless only the room that the
    signature itself left free was touched.
    """
    chance = random.Random(4)
    first = PdfFileReader(io.BytesIO(good)).embedded_regular_signatures[0].byte_range
    whole = 0
    for _ in range(300):
        copy = bytearray(good)
        for _ in range(chance.randint(1, 6)):
            at, how = chance.randrange(len(copy)), chance.random()
            if how < 0.5:
                copy[at] = chance.randrange(256)
            elif how < 0.8:
                del copy[at : at + chance.randint(1, 40)]
            else:
                copy[at:at] = bytes(chance.randrange(256) for _ in range(5))
        found = check(bytes(copy), [crew.certificate])
        if found.whole:
            whole += 1
            spots = [n for n, (x, y) in enumerate(zip(copy, good, strict=True)) if x != y]
            assert all(first[1] <= n < first[2] for n in spots)
        else:
            assert found.why
    assert whole < 10


@pytest.mark.parametrize("data", [b"", b"%PDF-1.7 nothing", b"PK\x03\x04", bytes(range(256)) * 40])
def test_what_is_no_pdf_is_said(data, crew):
    found = check(data, [crew.certificate])
    assert not found.whole and "cannot be read" in found.why


def test_openssl_reads_the_same_signature(good, crew, tmp_path):
    """The CMS of the PDF over the bytes it names, verified by openssl with our certificate."""
    mark = PdfFileReader(io.BytesIO(good)).embedded_regular_signatures[0]
    a, b, c, d = mark.byte_range
    (tmp_path / "cms").write_bytes(bytes(mark.pkcs7_content))
    (tmp_path / "data").write_bytes(good[a : a + b] + good[c : c + d])
    (tmp_path / "crew.pem").write_text(crew.certificate)
    command = ["openssl", "cms", "-verify", "-inform", "DER", "-binary", "-noverify"]
    command += ["-in", tmp_path / "cms", "-content", tmp_path / "data", "-out", "/dev/null"]
    assert subprocess.run(command, capture_output=True).returncode == 0
    (tmp_path / "data").write_bytes(b"x" + (good[a : a + b] + good[c : c + d])[1:])
    assert subprocess.run(command, capture_output=True).returncode != 0
    told = subprocess.run(
        ["openssl", "x509", "-in", tmp_path / "crew.pem", "-noout", "-fingerprint", "-sha256"],
        capture_output=True,
        text=True,
    ).stdout
    assert told.split("=")[1].strip().replace(":", " ") == fingerprint(crew.certificate)


def test_a_time_stamping_service_vouches_for_the_time(page, crew):
    with Running() as service:
        found = check(sealed(page, crew, "a job", service.at), [crew.certificate])
    assert found.whole and found.stamped
    gone = check(sealed(page, crew, "a job", service.at), [crew.certificate])
    assert gone.whole and not gone.stamped  # sealed all the same


def bought(key, days=300, password=b"kelp"):
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "A bought one")])
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(5)
        .not_valid_before(NOW - timedelta(days=400))
        .not_valid_after(NOW + timedelta(days=days))
        .sign(key, None if isinstance(key, ed25519.Ed25519PrivateKey) else hashes.SHA256())
    )
    how = serialization.BestAvailableEncryption(password)
    return pkcs12.serialize_key_and_certificates(b"x", key, made, None, how)


def test_a_bought_certificate_takes_its_place(page):
    seal = read_seal(bought(rsa.generate_private_key(65537, 2048)), "kelp", NOW)
    assert subject(seal.certificate) == "A bought one" and ends(seal.certificate) > NOW
    assert check(sealed(page, seal, "a job"), [seal.certificate]).known


def test_what_is_no_certificate_says_what_to_give():
    key = rsa.generate_private_key(65537, 2048)
    for data, password, says in (
        (b"nothing", "", "no .p12"),
        (bought(key), "wrong", "password"),
        (bought(key, days=-3), "kelp", "ran out on 2026-11-24"),
    ):
        with pytest.raises(BadSeal, match=says):
            read_seal(data, password, NOW)


def test_the_command_tells_the_same(good, crew, tmp_path, capsys):
    pdf, pem = tmp_path / "a.pdf", tmp_path / "crew.pem"
    pdf.write_bytes(good)
    pem.write_text(crew.certificate)
    assert verify.main([str(pdf), str(pem)]) == 0
    assert "a.pdf: untouched" in (said := capsys.readouterr().out) and UID in said
    assert verify.main([str(pdf)]) == 0 and "was not checked" in capsys.readouterr().out
    pem.write_text(new_seal("Others", NOW).certificate)
    assert verify.main([str(pdf), str(pem)]) == 1
    pdf.write_bytes(good.replace(b"/Marked", b"/Marfed", 1))
    assert verify.main([str(pdf)]) == 1 and "does not hold" in capsys.readouterr().out
    assert verify.main([str(tmp_path / "none.pdf")]) == 2 and verify.main([]) == 2


def test_a_folder_holds_each_file_once():
    import zipfile

    rows = [Enclosed(f"a/{n}", "text/plain", "", str(n).encode()) for n in range(3)]
    with zipfile.ZipFile(io.BytesIO(folder_of(rows, NOW))) as z:
        assert z.namelist() == ["a/0", "a/1", "a/2"] and z.read("a/2") == b"2"
