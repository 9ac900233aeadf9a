"""A crew's seal on a PDF: a digital signature (PAdES, by pyHanko), with a time stamp by RFC 3161
where there is a service for it; and the check of a PDF that is given back.
"""

from __future__ import annotations

import io
import logging
import re
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import TypeVar

from asn1crypto import pem
from asn1crypto import x509 as asn1
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import pkcs12
from cryptography.x509.oid import NameOID
from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
from pyhanko.pdf_utils.reader import PdfFileReader
from pyhanko.sign import signers
from pyhanko.sign.fields import SigSeedSubFilter
from pyhanko.sign.timestamps import HTTPTimeStamper, TimestampRequestError
from pyhanko.sign.validation import SignatureCoverageLevel, validate_pdf_signature
from pyhanko_certvalidator import ValidationContext

T = TypeVar("T")
FIELD = "Gumboot"
logging.getLogger("pyhanko").setLevel(logging.CRITICAL)  # what is wrong is said by `check`
LASTS = timedelta(days=3650)
NO_PASSWORD = None
ABOUT = re.compile(
    r"gumboot job:(?P<uid>[0-9a-f-]{36}) version:(?P<version>\d+) log:(?P<head>[0-9a-f]{64})"
)


class BadSeal(ValueError):
    """A certificate that cannot be used; says why, and what to give."""


@dataclass(frozen=True, slots=True)
class Seal:
    """A certificate with its key, as PKCS #12 without a password, and the certificate as PEM."""

    pkcs12: bytes
    certificate: str


@dataclass(frozen=True, slots=True)
class Checked:
    """What a PDF given back is worth. whole: as it was sealed; known: by a certificate of the crew;
    by, at: its subject, and when; stamped: by a time stamping service; uid, version, head: of which
    job and where its log stood; why: what is wrong, in words.
    """

    whole: bool = False
    known: bool = False
    by: str = ""
    at: str = ""
    stamped: bool = False
    uid: str = ""
    version: int = 0
    head: str = ""
    why: str = ""


def new_seal(crew: str, now: datetime) -> Seal:
    """A certificate of a crew's own, for its name: it vouches for itself, and says so."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, crew[:64] or "Crew")])
    usage = x509.KeyUsage(True, True, *[False] * 7)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + LASTS)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(usage, critical=True)
        .sign(key, hashes.SHA256())
    )
    packed = pkcs12.serialize_key_and_certificates(
        b"crew", key, certificate, None, serialization.NoEncryption()
    )
    return Seal(packed, certificate.public_bytes(serialization.Encoding.PEM).decode())


def read_seal(data: bytes, password: str, now: datetime) -> Seal:
    """A bought certificate from its PKCS #12 file. Raises BadSeal."""
    try:
        key, certificate, more = pkcs12.load_key_and_certificates(data, password.encode() or None)
    except ValueError as exc:
        raise BadSeal(
            "this is no .p12 or .pfx file, or its password is another: type it again"
        ) from exc
    if key is None or certificate is None:
        raise BadSeal("the file has no certificate with its key in it: export both")
    if certificate.not_valid_after_utc < now:
        until = certificate.not_valid_after_utc.date().isoformat()
        raise BadSeal(f"this certificate ran out on {until}: give one that is good")
    packed = pkcs12.serialize_key_and_certificates(
        b"crew",
        key,  # type: ignore[arg-type] # pyHanko says which kinds of key it signs with
        certificate,
        more or None,
        serialization.NoEncryption(),
    )
    texts = [c.public_bytes(serialization.Encoding.PEM).decode() for c in (certificate, *more)]
    seal = Seal(packed, "".join(texts))
    _signer(seal)
    return seal


def ends(certificate: str) -> datetime:
    """When a certificate runs out."""
    return x509.load_pem_x509_certificate(certificate.encode()).not_valid_after_utc


def subject(certificate: str) -> str:
    """Whose certificate it is."""
    found = x509.load_pem_x509_certificate(certificate.encode())
    names = found.subject.get_attributes_for_oid(NameOID.COMMON_NAME)
    return str(names[0].value) if names else found.subject.rfc4514_string()


def fingerprint(certificate: str) -> str:
    """SHA-256 of a certificate, as it is read aloud: pairs of hex digits."""
    found = x509.load_pem_x509_certificate(certificate.encode())
    return found.fingerprint(hashes.SHA256()).hex(" ").upper()


def about(uid: str, version: int, head: str) -> str:
    """What a sealed PDF says of its job, among its keywords."""
    return f"gumboot job:{uid} version:{version} log:{head}"


def _signer(seal: Seal) -> signers.SimpleSigner:
    found: signers.SimpleSigner | None = signers.SimpleSigner.load_pkcs12_data(
        seal.pkcs12, [], NO_PASSWORD
    )
    if found is None:
        raise BadSeal("keys of this kind do not sign PDFs: give one of RSA or of a usual curve")
    return found


def sealed(data: bytes, seal: Seal, reason: str, stamp_at: str = "") -> bytes:
    """A PDF with the crew's signature on all of it. stamp_at: a time stamping service; where that
    does not answer it is sealed all the same, and the reason says so.
    """
    stamper = HTTPTimeStamper(stamp_at, timeout=10) if stamp_at else None
    try:
        return _sealed(data, seal, reason, stamper)
    except TimestampRequestError:
        return _sealed(data, seal, f"{reason}; no time stamp: its service did not answer", None)


def _sealed(data: bytes, seal: Seal, reason: str, stamper: HTTPTimeStamper | None) -> bytes:
    out = io.BytesIO()
    meta = signers.PdfSignatureMetadata(
        field_name=FIELD, reason=reason, subfilter=SigSeedSubFilter.PADES, md_algorithm="sha256"
    )
    signer = signers.PdfSigner(meta, signer=_signer(seal), timestamper=stamper)
    apart(lambda: signer.sign_pdf(IncrementalPdfFileWriter(io.BytesIO(data)), output=out))
    return out.getvalue()


def apart(work: Callable[[], T]) -> T:
    """Work done in a thread of its own: pyHanko runs an event loop, and one may be running here."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(work).result()


def check(data: bytes, known: Sequence[str]) -> Checked:
    """What a PDF is worth. known: certificates, as PEM, that are the crew's."""
    roots = [asn1.Certificate.load(der) for text in known for _, _, der in _ders(text)]
    try:
        reader = PdfFileReader(io.BytesIO(data))
        marks = reader.embedded_regular_signatures
        if not marks:
            return Checked(why="nobody sealed it: it carries no digital signature")
        found = marks[-1]
        trust = ValidationContext(trust_roots=roots, allow_fetching=False, revocation_mode="none")
        status = apart(lambda: validate_pdf_signature(found, signer_validation_context=trust))
        words = _keywords(reader)
    except Exception as exc:  # whatever somebody gives us to check
        return Checked(why=f"it cannot be read as a PDF: {str(exc)[:120] or 'it is damaged'}")
    said = ABOUT.search(words)
    certificate = status.signing_cert
    name = certificate.subject
    by = str(name.native.get("common_name", "")) or name.human_friendly
    own = certificate.dump() in {r.dump() for r in roots}
    at = status.timestamp_validity.timestamp if status.timestamp_validity else None
    when = at or status.signer_reported_dt
    all_of_it = found.evaluate_signature_coverage() == SignatureCoverageLevel.ENTIRE_FILE
    whole = bool(status.intact and status.valid and all_of_it)
    why = "" if whole else "it was changed after it was sealed"
    over = certificate.not_valid_after
    if whole and when and when > over:
        why = f"its certificate had run out on {over.date().isoformat()} when it was sealed"
    if whole and not own:
        why = "it is whole, and sealed by a certificate that is none of this crew's"
    return Checked(
        whole,
        own,
        by,
        when.astimezone(UTC).isoformat() if when else "",
        at is not None,
        said["uid"] if said else "",
        int(said["version"]) if said else 0,
        said["head"] if said else "",
        why,
    )


def _keywords(reader: PdfFileReader) -> str:
    try:
        return str(reader.trailer_view["/Info"]["/Keywords"])
    except KeyError:
        return ""


def _ders(text: str) -> list[tuple[str, dict[str, str], bytes]]:
    return list(pem.unarmor(text.encode(), multiple=True)) if text.strip() else []
