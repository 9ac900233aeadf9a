"""Where everything of a one-line drawing stands: boxes, bars, wires and thin lines, in px of the
view box, origin top left.

    packs | battery bar | arrays, generator | inverters | backup bar | changeover, loads below it |
    main panel | grid bar

The left of an inverter is direct current, the right alternating. Upper inverters send grid above
backup, lower ones the
other way round; main panel, changeover and loads stand one above the other in the widest gap
between their grid lines:
so the bars nest. With three inverters or more a middle one's grid line has to pass the backup bar;
nothing else crosses.
"""

from gumboot.drawings.sheet.lay import lay_sheet
from gumboot.drawings.sheet.paper import Box, Point, Sheet, Wire

__all__ = ["Box", "Point", "Sheet", "Wire", "lay_sheet"]
