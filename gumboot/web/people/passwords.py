"""Passwords: kept as argon2 hashes, two checked at a time, and their strength said in words."""

from __future__ import annotations

import re
import secrets
import threading
from collections.abc import Iterable
from functools import lru_cache

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error
from zxcvbn import zxcvbn

hasher = PasswordHasher()
AT_ONCE = threading.BoundedSemaphore(2)  # each check takes 64 MB and a core
PATIENCE_S = 8.0
LEAST, MOST = 12, 100  # characters
LONG_ENOUGH = 3  # of zxcvbn's five steps: ten thousand million guesses


class Busy(Exception):
    """More passwords are being checked than this machine can at once."""


@lru_cache(maxsize=1)
def nobody() -> str:
    """A hash verified against when the address is unknown, so that both take as long."""
    return hasher.hash(secrets.token_hex(8))


def right(password_hash: str, password: str) -> bool:
    """Whether a password is the one of a hash. Raises Busy."""
    if not AT_ONCE.acquire(timeout=PATIENCE_S):
        raise Busy
    try:
        return hasher.verify(password_hash, password[: 4 * MOST])
    except Argon2Error:
        return False
    finally:
        AT_ONCE.release()


def hashed(password: str) -> str:
    """What is kept of a password. Raises Busy."""
    if not AT_ONCE.acquire(timeout=PATIENCE_S):
        raise Busy
    try:
        return hasher.hash(password)
    finally:
        AT_ONCE.release()


def weak(password: str, about: Iterable[str] = ()) -> str:
    """What is wrong with a new password, in words; empty when it will do. about: what a guesser
    knows of its owner.
    """
    if len(password) < LEAST:
        return f"type at least {LEAST} characters; four unusual words in a row do well"
    if len(password) > MOST:
        return f"type at most {MOST} characters"
    known = [w.lower() for text in about for w in (text, *re.findall(r"\w{3,}", text))]
    rest = password.lower()
    for word in sorted(known, key=len, reverse=True):
        rest = rest.replace(word, "")
    if len(re.sub(r"\W", "", rest)) < LEAST // 2:
        return "made of your name, e-mail or crew: take words that nobody connects with you"
    found = zxcvbn(password, user_inputs=known, max_length=MOST)
    if found["score"] >= LONG_ENOUGH:
        return ""
    guesses = found["crack_times_display"]["offline_slow_hashing_1e4_per_second"]
    said = found["feedback"]["warning"].rstrip(".")
    why = f" ({said[:1].lower() + said[1:]})" if said else ""
    return (
        f"too easy to guess{why}: a patient guesser needs {guesses}. Add words that do not belong"
        " together"
    )
