"""What every entry of the catalogue is made of."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Positive = Annotated[float, Field(gt=0)]


class WrongTogether(ValueError):
    """Values of an entry that do not go together; said at the field that is most likely wrong."""

    def __init__(self, field: str, says: str) -> None:
        super().__init__(says)
        self.field = field


class Entry(BaseModel):
    """Frozen, and refuses what it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid")
