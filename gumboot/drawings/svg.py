"""The little SVG that the drawings need: elements as text, classes for looks, no inline style."""

from __future__ import annotations

from importlib.resources import files
from xml.sax.saxutils import escape, quoteattr


def tag(name: str, *children: str, **attributes: object) -> str:
    """One element. `class_` becomes class, underscores become hyphens, None is left out."""
    rounded = {k: round(v, 1) if isinstance(v, float) else v for k, v in attributes.items()}
    parts = "".join(
        f" {k.rstrip('_').replace('_', '-')}={quoteattr(str(v))}"
        for k, v in rounded.items()
        if v is not None
    )
    return f"<{name}{parts}>{''.join(children)}</{name}>" if children else f"<{name}{parts}/>"


def text(x: float, y: float, words: str, class_: str = "", anchor: str = "start") -> str:
    """A line of text."""
    return tag(
        "text",
        escape(words),
        x=x,
        y=y,
        class_=class_ or None,
        text_anchor=None if anchor == "start" else anchor,
    )


def line(*points: tuple[float, float], class_: str) -> str:
    """An open polyline."""
    return tag("path", d="M" + " L".join(f"{x:g} {y:g}" for x, y in points), class_=class_)


def box(x: float, y: float, w: float, h: float, class_: str) -> str:
    """A rectangle."""
    return tag("rect", x=x, y=y, width=w, height=h, class_=class_)


def stylesheet() -> str:
    """The drawing's own styles, for files that stand alone."""
    return files(__package__).joinpath("drawing.css").read_text(encoding="utf-8")


def picture(
    width: float,
    height: float,
    title: str,
    description: str,
    *children: str,
    standalone: bool = False,
) -> str:
    """A whole drawing with its text equivalent. Standalone ones carry their own styles."""
    style = tag("style", stylesheet()) if standalone else ""
    return tag(
        "svg",
        tag("title", escape(title)),
        tag("desc", escape(description)),
        style,
        *children,
        xmlns="http://www.w3.org/2000/svg",
        viewBox=f"0 0 {width:g} {height:g}",
        class_="drawing",
        role="img" if standalone else "group",
        aria_label=title,
        width=f"{width:g}" if standalone else None,
        height=f"{height:g}" if standalone else None,
    )
