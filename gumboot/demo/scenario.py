"""The demo scenario, all of it invented: two jobs at different stages, a crew of three, three wrenches; and a second crew.

Tern Hollow is being planned, with honest faults in it. Heron Slip is landed, accepted and signed.
"""

from __future__ import annotations

import uuid
from datetime import UTC, date, datetime

from argon2 import PasswordHasher
from sqlalchemy import select, text
from sqlalchemy.orm import Session, sessionmaker

from gumboot.catalogue import catalogue
from gumboot.core.design import design
from gumboot.core.findings import Level
from gumboot.core.plan import Plan
from gumboot.core.terminations import Wrench, best_wrench, judge
from gumboot.exports.pack import STATEMENT
from gumboot.store import records
from gumboot.store.models import Crew, Job, Person, WrenchRow

PASSWORD = "boots-by-the-door"  # noqa: S105 - the demo's own, printed at start
PEOPLE = (("planner", "Merrin Tarn"), ("installer", "Osk Fellgate"), ("supervisor", "Ilse Quayle"))

TERN_HOLLOW = {
    "site": {"name": "Tern Hollow", "address": "4 Ferry Lane, Tern Hollow", "t_min_c": -25.556, "t_roof_c": 37.778, "t_wall_c": 40.556},
    "supply": {"main_breaker_a": 200, "bus_a": 200},
    "kit": {"inverter": "marram-s8", "inverters": 2, "pack": "tidewell-14", "packs": 3, "module": "reedbed-430"},
    "strings": [
        {"letter": letter, "inverter": inverter, "tracker": tracker, "modules": modules, "tilt_deg": 28, "azimuth_deg": azimuth, "run": {"length_m": feet * 0.3048}}
        for letter, inverter, tracker, modules, azimuth, feet in (("A", 1, "1", 10, 165, 82), ("B", 1, "2", 10, 165, 88), ("C", 1, "3", 12, 255, 96), ("D", 2, "1", 9, 75, 104), ("E", 2, "2", 9, 75, 110))
    ],
    "runs": {
        "pack": {"length_m": 1.8288, "method": "free-air"}, "battery": {"length_m": 2.1336, "method": "free-air"},
        "grid": {"length_m": 3.6576, "in_raceway": 4}, "grid-feeder": {"length_m": 11.5824},
        "backup": {"length_m": 3.6576, "in_raceway": 4}, "backup-feeder": {"length_m": 9.144},
    },
    "fitted": {"battery-2": {"size": "4"}},
}  # fmt: skip

HERON_SLIP = {
    "site": {"name": "Heron Slip", "address": "11 Slipway Row", "t_min_c": -15, "t_roof_c": 36.1, "t_wall_c": 32.2},
    "supply": {"main_breaker_a": 150, "bus_a": 200},
    "kit": {"inverter": "marram-s8", "inverters": 1, "pack": "tidewell-14", "packs": 2, "module": "reedbed-430"},
    "strings": [
        {"letter": "A", "inverter": 1, "tracker": "1", "modules": 10, "tilt_deg": 22, "azimuth_deg": 190, "run": {"length_m": 15.24}},
        {"letter": "B", "inverter": 1, "tracker": "2", "modules": 10, "tilt_deg": 22, "azimuth_deg": 190, "run": {"length_m": 16.764}},
    ],
    "runs": {"pack": {"length_m": 1.524, "method": "free-air"}, "battery": {"length_m": 1.8288, "method": "free-air"}, "grid": {"length_m": 7.62}, "backup": {"length_m": 6.096}},
}  # fmt: skip

WRENCHES = (("small driver", "MT-0412", 1.0, 6.0), ("middle wrench", "MT-1187", 5.0, 25.0), ("long wrench", "MT-2290", 20.0, 110.0))


def load(make: sessionmaker[Session]) -> None:
    """Load the scenario into an empty database; does nothing when a crew is there already."""

    with make.begin() as db:
        if db.scalar(select(Crew.id).limit(1)):
            return
        secret = PasswordHasher().hash(PASSWORD)
        for crew_name, domain in (("Tidemark crew", "demo.example"), ("Other crew", "other.example")):
            crew = Crew(name=crew_name)
            db.add(crew)
            db.flush()
            db.execute(text("select set_config('gumboot.crew', :crew, true)"), {"crew": str(crew.id)})
            for role, name in PEOPLE:
                db.add(
                    Person(
                        crew_id=crew.id,
                        name=name if domain == "demo.example" else f"Other {role}",
                        email=f"{role}@{domain}",
                        role=role,
                        password_hash=secret,
                    )
                )
            if domain == "demo.example":
                until = date(datetime.now(UTC).year + 1, 3, 31)
                db.add_all(
                    WrenchRow(crew_id=crew.id, name=n, serial=s, least_nm=a, most_nm=b, calibrated_until=until) for n, s, a, b in WRENCHES
                )
                db.flush()
                finished(db, crew.id)
                begun(db, crew.id)


def land(db: Session, job: Job, plan: Plan, first: int | None) -> None:
    """Readings for the first terminations (all when None), each with the best wrench; every eleventh a little low at first."""
    wrenches = records.wrenches(db)
    today = datetime.now(UTC).date()
    for t in design(plan, catalogue()).terminations[:first]:
        rated = t.torque.n if t.torque else None
        wrench: Wrench | None = best_wrench(rated, wrenches, today) if rated else None
        readings = [None] if rated is None else [rated * 0.9, rated] if t.number % 11 == 0 else [rated * (1 + (t.number % 5 - 2) / 100)]
        for value in readings:
            nm = None if value is None else round(value, 2)
            verdict, why = judge(t.torque, nm, wrench, today)
            body = {
                "termination": t.key, "label": t.label, "torque_nm": nm, "typed": f"{nm} Nm" if nm else "", "rated_nm": rated, "rated_source": t.torque.source if t.torque else t.source, "verdict": verdict, "why": why,
                "wrench": {"name": wrench.name, "serial": wrench.serial, "calibrated_until": wrench.calibrated_until.isoformat()} if wrench else None, "replaced": False, "corrects": None, "note": "",
            }  # fmt: skip
            records.append(db, job, "reading", body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))


def finished(db: Session, crew_id: int) -> None:
    """Heron Slip: every joint made off, every check accepted, signed."""
    plan = Plan.model_validate(HERON_SLIP)
    job = records.create_job(db, crew_id, plan, PEOPLE[0][1])
    land(db, job, plan, None)
    for f in design(plan, catalogue()).findings:
        if f.level is Level.CHECK:
            records.append(
                db,
                job,
                "accept",
                {"finding": f.key, "fingerprint": f.fingerprint, "says": f.says, "reason": "Seen on site and measured"},
                PEOPLE[2][1],
                "supervisor",
                "",
            )
    body = {"plan_version": 1, "plan_digest": records.plan_digest(plan), "log_head": job.log_head, "statement": STATEMENT}
    records.append(db, job, "sign", body, PEOPLE[2][1], "supervisor", "")


def begun(db: Session, crew_id: int) -> None:
    """Tern Hollow: planned with faults still in it, factory joints checked."""
    plan = Plan.model_validate(TERN_HOLLOW)
    job = records.create_job(db, crew_id, plan, PEOPLE[0][1])
    land(db, job, plan, 7)
