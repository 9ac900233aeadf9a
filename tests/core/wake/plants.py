"""Small plants by hand, and a second road to what a state comes to: by networkx."""

from types import SimpleNamespace

import networkx as nx
import numpy as np

from gumboot.core.wake.hazard import acts, rules_of
from gumboot.core.wake.plant import STRINGS, UNITS, Lever, Plant
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import PACKS


class Bench:
    """A plant put together by names of points: `switch("main", "house", "street", "grid")`."""

    def __init__(self):
        self.points, self.levers, self.edges = {}, [], []
        self.units, self.packs, self.strings, self.pv = [], [], [], []
        self.loads, self.bonds, self.direct = [], [], set()

    def at(self, name):
        return self.points.setdefault(name, len(self.points))

    def lever(self, id, kind, **more):
        self.levers.append(Lever(id, kind, id, "", "", **more))
        return len(self.levers) - 1

    def switch(self, id, a, b, kind, solid=True, **more):
        if kind in ("pack", "battery", "pv", "connectors"):
            self.direct |= {a, b}
        k = self.lever(id, kind, switches=(SimpleNamespace(id=id),), **more)
        self.edges.append((self.at(a), self.at(b), k, 0, -1, int(solid)))
        return k

    def relay(self, a, b, how, unit=-1, solid=True):
        self.edges.append((self.at(a), self.at(b), -1, how, unit, int(solid)))

    def unit(self, name, grid="", gen="", button=False, watts=5000, forms=True):
        self.direct |= {f"{name}.dc", f"{name}.pv"}
        k = self.lever(f"{name}/button", "unit") if button else -1
        grid, gen = (self.at(x) if x else -1 for x in (grid, gen))
        row = (self.at(name), self.at(f"{name}.dc"), self.at(f"{name}.pv"), grid, gen, k)
        self.units.append((*row, int(forms), watts))

    def pack(self, name, button=False):
        self.direct.add(name)
        k = self.lever(f"{name}/button", "pack button") if button else -1
        self.packs.append((self.at(name), k))

    def string(self, name):
        self.direct.add(name)
        self.strings.append(self.at(name))

    def made(self, linked=False, **more):
        def rows(some, width):
            return np.array(some, dtype=np.int64).reshape(len(some), width)

        names = sorted(self.points, key=self.points.get)
        return Plant(
            tuple(self.levers),
            len(names),
            np.array([n not in self.direct for n in names]),
            rows(self.edges, 6),
            rows(self.units, 8),
            rows(self.packs, 2),
            np.array(self.strings, dtype=np.int64),
            rows(self.pv, 3),
            np.array([self.at(x) for x in self.loads], dtype=np.int64),
            rows([(self.at(n), when, unit) for n, when, unit in self.bonds], 3),
            self.points.get("street", -1),
            self.points.get("generator", -1),
            linked,
            tuple(f"unit {i}" for i in range(len(self.units))),
            tuple(f"pack {i}" for i in range(len(self.packs))),
            tuple(self.loads),
            dict(self.points),
            **more,
        )


def closed(plant, *ids):
    """The state with some levers closed."""
    return sum(1 << plant.number[i] for i in ids)


def faults(plant, *ids, grid=True):
    return int(settle(plant, [closed(plant, *ids)], grid).faults[0])


def wrong(plant, lever, *before, precharge="inverter", in_turn=(), grid=True):
    """What moving a lever does wrong, with some closed before it."""
    rules = rules_of(plant, in_turn, precharge)
    state, k = closed(plant, *before), plant.number[lever]
    pre, post = settle(plant, [state], grid), settle(plant, [state ^ 1 << k], grid)
    zero = np.zeros(1, dtype=np.int64)
    return int(acts(plant, rules, pre, zero, post, zero, np.array([k]))[0])


def by_networkx(plant, state, grid=True):
    """(feeds of every point, on, follows, forms as bits, loads) of a state, by graphs."""
    on_state = lambda k: k < 0 or state >> k & 1  # noqa: E731
    g = nx.Graph()
    g.add_nodes_from(range(plant.points))
    for a, b, k, how, _, _ in plant.edges.tolist():
        if how == 0 and k >= 0 and state >> k & 1:
            g.add_edge(a, b)

    def fed(extra=()):
        out = {}
        for part in nx.connected_components(g):
            bits = 0
            for n, (p, k) in enumerate(plant.packs.tolist()):
                bits |= (p in part and bool(on_state(k))) << (PACKS + n)
            bits |= sum((p in part) << (STRINGS + n) for n, p in enumerate(plant.strings.tolist()))
            bits |= bool(grid and plant.service in part) | (plant.generator in part) << 1
            for i in extra:
                bits |= (plant.units[i][0] in part) << (UNITS + i)
            out |= dict.fromkeys(part, bits)
        return out

    while True:
        feeds, on = fed(), []
        for _, dc, pv, gr, ge, button, *_ in plant.units.tolist():
            there = (feeds[gr] if gr >= 0 else 0) | (feeds[ge] & 2 if ge >= 0 else 0)
            alive = feeds[dc] >> PACKS & (1 << 32) - 1 or feeds[pv] >> STRINGS or there & 3
            on.append(bool(on_state(button) and alive))
        for a, b, _, how, unit, _ in plant.edges.tolist():
            if g.has_edge(a, b):
                continue
            gr = plant.units[unit][3] if unit >= 0 and how in (1, 2) else -1
            shut = (
                (how == 1 and on[unit] and feeds[b] & 3 and not feeds[a] & 3 & ~feeds[b])
                or (
                    how == 2
                    and on[unit]
                    and feeds[b] & 2
                    and not (gr >= 0 and feeds[gr] & 1)
                    and not feeds[a] & 3
                )
                or (how == 3 and feeds[b] & 1 and not feeds[a] & 2)
                or (how == 5 and on[unit])
            )
            if shut:
                g.add_edge(a, b)
                break
        else:
            break
    forms = []
    for i, (hub, dc, _, _, _, _, able, _) in enumerate(plant.units.tolist()):
        packed = feeds[dc] >> PACKS & (1 << 32) - 1
        if on[i] and packed and able and not feeds[hub] & 3:
            forms.append(i)
    feeds = fed(forms)
    follows = [i for i, u in enumerate(plant.units.tolist()) if on[i] and feeds[u[0]] & 3]
    loads = [n for n, p in enumerate(plant.loads.tolist()) if feeds[p] & (1 << PACKS) - 1]
    as_bits = lambda rows: sum(1 << n for n in rows)  # noqa: E731
    switched_on = as_bits(i for i, x in enumerate(on) if x)
    return feeds, switched_on, as_bits(follows), as_bits(forms), as_bits(loads)
