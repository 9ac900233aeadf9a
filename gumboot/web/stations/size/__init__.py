"""Size: what do we fit?"""

from gumboot.web.station import Station
from gumboot.web.stations.size import bill, devices, size, strings

STATION = Station(
    "size",
    "Size",
    lambda at: f"{len(at.design.circuits)} circuits",
    (size.router, strings.router, devices.router, bill.router),
    ("size", "strings", "materials"),
)
