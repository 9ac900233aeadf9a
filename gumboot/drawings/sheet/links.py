"""Signal cables on the sheet."""

from __future__ import annotations

from gumboot.core.design import Design
from gumboot.drawings.sheet.paper import TOP, Box, Parts, Sheet


def lay_links(sheet: Sheet, design: Design, has: Parts, units: list[Box]) -> None:
    """Thin lines, kept clear of the wires: along the top, between packs, between inverters, and
    inside the nest.
    """
    lanes, lane_y, fed = 0, TOP - 20.0, ""
    for link in (x for x in design.links if x.drawn):
        a, b = sheet.boxes.get(link.source), sheet.boxes.get(link.load)
        if a is None or b is None or link.load.startswith("controller-"):
            continue  # the leads of charge controllers stand on their sheets
        further = link.load != "inverter-1" or fed not in ("", a.id)
        if link.source.startswith("pack-") and link.load.startswith("pack-"):
            sheet.links.append((link.id, ((a.x + 12, a.bottom), (b.x + 12, b.y))))
        elif link.source.startswith("pack-") and further:
            y = a.bottom - 1  # a bank of its own, or a further one: straight to its unit
            sheet.links.append((link.id, ((a.right, y), (b.x, y))))
        elif link.source.startswith("pack-"):
            y, fed = lane_y - 6 * lanes, a.id
            lanes += 1
            x_a, x_b = a.x + 36 - 8 * lanes, b.x + 14 + 8 * lanes
            sheet.links.append((link.id, ((x_a, a.y), (x_a, y), (x_b, y), (x_b, b.y))))
        elif link.load.startswith("inverter-"):
            sheet.links.append((link.id, ((a.x + a.w / 2, a.bottom), (b.x + b.w / 2, b.y))))
        elif link.load == "main-panel" and sheet.service:
            x, y = sheet.service[0][0], sheet.ring
            up = b.x - 12 if "sub-board" in sheet.boxes else x - 16
            if has.count == 1 or not (has.grid and has.backup):
                lane = lane_y - 6 * lanes
                lanes += 1
                sheet.links.append(
                    (
                        link.id,
                        (
                            (a.right - 16, a.y),
                            (a.right - 16, lane),
                            (up, lane),
                            (up, y),
                            (x - 6, y),
                        ),
                    )
                )
            else:
                sheet.links.append(
                    (link.id, ((a.right, a.y + 52), (up, a.y + 52), (up, y), (x - 6, y)))
                )
        elif link.load == "gateway":
            _to_gateway(
                sheet,
                link.id,
                a,
                b,
                has,
                sum(
                    i.startswith("link-") and p[-1][0] < b.right and p[-1][0] > b.x
                    for i, p in sheet.links
                ),
            )


def _to_gateway(sheet: Sheet, id: str, unit: Box, gateway: Box, has: Parts, nth: int) -> None:
    if has.count == 1:
        y = gateway.bottom + 10 + 7 * nth
        x = gateway.x + 10 + 8 * nth
        sheet.links.append((id, ((unit.right, y), (x, y), (x, gateway.bottom))))
    else:
        y = unit.y + (5 if not has.backup else 62) + 7 * nth
        x = gateway.x - 12 - 7 * nth
        sheet.links.append(
            (
                id,
                (
                    (unit.right, y),
                    (x, y),
                    (x, gateway.y + 8 + 5 * nth),
                    (gateway.x, gateway.y + 8 + 5 * nth),
                ),
            )
        )
