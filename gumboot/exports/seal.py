"""A crew's seal on a PDF: a digital signature (PAdES, by pyHanko), with a time stamp by RFC 3161
where there is a service for it; and the check of a PDF that is given back.
"""

from __future__ import annotations

import io
import logging
import re
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from typing import TypeVar

from asn1crypto import pem
from asn1crypto import x509 as asn1
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.serialization import pkcs12
from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
from pyhanko.pdf_utils.reader import PdfFileReader
from pyhanko.sign import signers
from pyhanko.sign.fields import SigSeedSubFilter
from pyhanko.sign.timestamps import HTTPTimeStamper, TimestampRequestError
from pyhanko.sign.validation import SignatureCoverageLevel, validate_pdf_signature
from pyhanko_certvalidator import ValidationContext

from gumboot.exports.certificate import BadSeal, Checked, Seal

T = TypeVar("T")
FIELD = "Gumboot"
logging.getLogger("pyhanko").setLevel(logging.CRITICAL)  # what is wrong is said by `check`
NO_PASSWORD = None
ABOUT = re.compile(
    r"gumboot job:(?P<uid>[0-9a-f-]{36}) version:(?P<version>\d+) log:(?P<head>[0-9a-f]{64})"
)


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
