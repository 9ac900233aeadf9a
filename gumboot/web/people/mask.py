"""A session's CSRF token as it stands in a page: masked anew for each, so that a compressed page
gives nothing of it away by its length.

    shown = base64(mask ‖ mask ⊕ token), mask fresh from the system
"""

from __future__ import annotations

import base64
import binascii
import hmac
import secrets


def masked(token: str) -> str:
    """The token under a fresh mask, as text for a form."""
    raw = token.encode()
    mask = secrets.token_bytes(len(raw))
    both = mask + bytes(a ^ b for a, b in zip(mask, raw, strict=True))
    return base64.urlsafe_b64encode(both).decode()


def is_of(sent: str, token: str) -> bool:
    """Whether a sent text is the token under any mask. A text that is none is not."""
    try:
        both = base64.urlsafe_b64decode(sent.encode())
    except (binascii.Error, ValueError):
        return False
    half = len(both) // 2
    raw = bytes(a ^ b for a, b in zip(both[:half], both[half:], strict=False))
    return len(both) == 2 * half and hmac.compare_digest(raw, token.encode())
