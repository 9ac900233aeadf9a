"""Sheets of labels, by their measures."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from gumboot.core.kit.entry import Entry, Positive, WrongTogether

SHEETS_MM: dict[str, tuple[float, float]] = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
Edge = Annotated[float, Field(ge=0, le=100)]
Count = Annotated[int, Field(ge=1, le=30)]


class LabelStock(Entry):
    """A sheet of labels by its measures in mm: one label, how many across and down, where the first
    begins, from one to the next. A wrap prints on its upper `face` and laminates itself below; a
    flag folds in its middle.
    """

    kind: Literal["labels"]
    id: str
    label: str
    form: Literal["flat", "wrap", "flag"] = "flat"
    paper: Literal["a4", "letter"]
    width: Positive
    height: Positive
    across: Count
    down: Count
    left: Edge
    top: Edge
    pitch_x: Positive
    pitch_y: Positive
    face: Positive | None = None

    @model_validator(mode="after")
    def _on_the_sheet(self) -> LabelStock:
        wide, high = SHEETS_MM[self.paper]
        wrong = (
            (
                self.left + (self.across - 1) * self.pitch_x + self.width > wide + 0.5,
                *("width", "the labels of a row do not fit on the sheet: check width and pitch"),
            ),
            (
                self.top + (self.down - 1) * self.pitch_y + self.height > high + 0.5,
                *("height", "the rows do not fit on the sheet: check height and pitch"),
            ),
            (
                self.across > 1 and self.pitch_x < self.width - 0.05,
                *("pitch_x", "labels overlap: the pitch across is less than a label is wide"),
            ),
            (
                self.down > 1 and self.pitch_y < self.height - 0.05,
                *("pitch_y", "labels overlap: the pitch down is less than a label is high"),
            ),
            (
                self.form == "wrap" and not (self.face and self.face < self.height),
                *("face", "a wrap needs its printed part, less high than the label"),
            ),
        )
        for is_so, field, says in wrong:
            if is_so:
                raise WrongTogether(field, says)
        return self
