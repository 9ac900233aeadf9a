"""The words that Hand over chooses from."""

from __future__ import annotations

from typing import Literal

BuiltOf = Literal["length", "conductor", "place", "device", "setting", "other"]
Came = Literal["as ordered", "missing", "damaged", "another", "not looked at"]
SignedBy = Literal["supervisor", "licensed electrician", "owner"]
