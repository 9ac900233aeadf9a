"""Warning placards and panel legends by the job's code book, with the figures of this job. A kind
registers by standing in a room; a book lists those it has.
"""

from gumboot.core.land.placards import iec, legends, nec
from gumboot.core.land.placards.placard import KINDS, Placard, list_placards

__all__ = ["KINDS", "Placard", "iec", "legends", "list_placards", "nec"]
