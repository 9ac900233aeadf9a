"""A time stamping service (RFC 3161 over HTTP) that vouches for nothing: python -m
gumboot.devices.timestamp [--port 7509]
"""

from __future__ import annotations

import argparse
import threading
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from types import TracebackType

from asn1crypto import tsp
from asn1crypto import x509 as asn1
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID
from pyhanko.keys import load_private_key_from_pemder_data
from pyhanko.sign.timestamps.dummy_client import DummyTimeStamper

REPLY = "application/timestamp-reply"


def stamper() -> DummyTimeStamper:
    """What stamps, by a certificate of its own."""
    key = rsa.generate_private_key(65537, 2048)
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Time stamps")])
    now = datetime.now(UTC)
    purpose = x509.ExtendedKeyUsage([ExtendedKeyUsageOID.TIME_STAMPING])
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=365))
        .add_extension(purpose, critical=True)
        .sign(key, hashes.SHA256())
    )
    plain = key.private_bytes(
        serialization.Encoding.DER,
        serialization.PrivateFormat.PKCS8,
        serialization.NoEncryption(),
    )
    return DummyTimeStamper(
        tsa_cert=asn1.Certificate.load(certificate.public_bytes(serialization.Encoding.DER)),
        tsa_key=load_private_key_from_pemder_data(plain, None),
        certs_to_embed=None,
    )


class Running:
    """The service on a port of this machine, for as long as it is open."""

    def __init__(self, port: int = 0, host: str = "127.0.0.1") -> None:
        made = stamper()

        class Stamps(BaseHTTPRequestHandler):
            """One request, one stamp."""

            def do_POST(self) -> None:
                """Stamp what was sent."""
                length = int(self.headers.get("content-length", "0"))
                asked = tsp.TimeStampReq.load(self.rfile.read(min(length, 100_000)))
                answer = made.request_tsa_response(asked).dump()
                self.send_response(200)
                self.send_header("Content-Type", REPLY)
                self.send_header("Content-Length", str(len(answer)))
                self.end_headers()
                self.wfile.write(answer)

            def log_message(self, format: str, *args: object) -> None:
                """Nothing is said of it."""

        self.server = ThreadingHTTPServer((host, port), Stamps)
        self.at = f"http://{host}:{self.server.server_address[1]}/"

    def __enter__(self) -> Running:
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        exc: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.server.shutdown()
        self.server.server_close()


def main() -> None:
    """Serve until told to stop."""
    parser = argparse.ArgumentParser(prog="gumboot.devices.timestamp")
    parser.add_argument("--port", type=int, default=7509)
    Running(parser.parse_args().port).server.serve_forever()


if __name__ == "__main__":
    main()
