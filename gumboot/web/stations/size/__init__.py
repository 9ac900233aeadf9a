"""Size: what do we fit?"""

from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.size import bill, devices, size, strings


def _tread(at: OpenJob) -> str:
    n = len(at.design.circuits)
    return f"{n} circuit{'s' if n != 1 else ''}"


STATION = Station(
    "size",
    "Size",
    _tread,
    (size.router, strings.router, devices.router, bill.router),
    ("size", "strings", "materials"),
)
