"""An entry as a device sends it, and who makes a log entry of each kind."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, field_validator

from gumboot.web.job.opening import OpenJob

UUID = "^[0-9a-f-]{36}$"
Short = Annotated[str, Field(max_length=200)]
NOT_TEXT = re.compile("[\x00\ud800-\udfff]")


def _plain(value: Any) -> Any:
    return NOT_TEXT.sub("", value) if isinstance(value, str) else value


class Texts(BaseModel):
    """What comes as JSON, with what a database cannot keep as text left out of every text."""

    model_config = ConfigDict(extra="ignore")

    @field_validator("*", mode="before")
    @classmethod
    def _text(cls, value: Any) -> Any:
        if isinstance(value, dict):
            return {_plain(k): _plain(v) for k, v in value.items()}
        return _plain(value)


class Sent(Texts):
    """One entry as a device sends it."""

    uuid: Annotated[str, Field(pattern=UUID)]
    kind: Annotated[str, Field(max_length=20)]
    at_device: Annotated[str, Field(max_length=40)] = ""
    key: Short
    label: Short = ""
    act: Short = ""
    typed: Short = ""
    scale: Annotated[str, Field(pattern="^(N·m|in·lb|ft·lb)$")] = "N·m"
    wrench: Short = ""
    replaced: bool = False
    again: bool = False
    corrects: Short = ""
    note: Annotated[str, Field(max_length=500)] = ""
    digest: Annotated[str, Field(pattern="^([0-9a-f]{64})?$")] = ""
    seen: Annotated[int, Field(ge=0, le=2**31)] | None = None
    device: Annotated[str, Field(max_length=40)] = ""
    wall: Annotated[str, Field(max_length=1)] = ""
    right: Short = ""
    up: Short = ""
    tool: Short = ""
    fields: Annotated[dict[Short, Short], Field(max_length=60)] = Field(default_factory=dict)


Maker = Callable[[OpenJob, Sent], tuple[str, dict[str, Any]]]
MAKERS: dict[str, Maker] = {}


def makes(kind: str) -> Callable[[Maker], Maker]:
    """Register what makes (kind, body) of a log entry from what a device sends as `kind`.

    It raises Refused, naming the field.
    """

    def register(maker: Maker) -> Maker:
        MAKERS[kind] = maker
        return maker

    return register
