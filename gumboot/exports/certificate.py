"""A crew's certificate: made for it, what it says of itself, what a PDF sealed by one is worth."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import pkcs12
from cryptography.x509.oid import NameOID

LASTS = timedelta(days=3650)


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
