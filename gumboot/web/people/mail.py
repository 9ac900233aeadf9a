"""Mail, where a server for it is set (GUMBOOT_SMTP): one short plain letter at a time."""

from __future__ import annotations

import logging
import smtplib
import ssl
from email.message import EmailMessage
from urllib.parse import unquote, urlparse

PATIENCE_S = 10


def send(smtp: str, sender: str, to: str, subject: str, text: str) -> str:
    """Send a letter by smtp://[user:password@]host[:port] (smtps:// for TLS from the start);
    returns what went wrong in words, empty when the server took it.
    """
    where = urlparse(smtp)
    letter = EmailMessage()
    letter["From"], letter["To"], letter["Subject"] = sender, to, subject
    letter.set_content(text)
    try:
        safe = where.scheme == "smtps"
        kind = smtplib.SMTP_SSL if safe else smtplib.SMTP
        with kind(
            where.hostname or "", where.port or (465 if safe else 25), timeout=PATIENCE_S
        ) as s:
            s.ehlo()
            if not safe and s.has_extn("starttls"):
                s.starttls(context=ssl.create_default_context())
            if where.username:
                s.login(unquote(where.username), unquote(where.password or ""))
            s.send_message(letter)
    except (OSError, smtplib.SMTPException, ValueError) as exc:
        logging.getLogger("gumboot").warning("mail: %s", type(exc).__name__)
        return "the mail server did not take it"
    return ""
