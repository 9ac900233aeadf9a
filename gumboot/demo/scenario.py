"""The demo scenario, all of it invented: jobs of every kind at different stages, a crew of three,
five wrenches; and a second crew of two, so that crews can be seen apart.

Tern Hollow is being planned, with honest faults in it, and its signals are wired wrong. Saltings
Barn and Juniper Cut are half landed, Mossbank Terrace is landed.
Heron Slip is landed, accepted and signed.
"""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

from argon2 import PasswordHasher
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Level
from gumboot.core.basis.units import parse
from gumboot.core.design import Design, design
from gumboot.core.hand_over.devices import devices
from gumboot.core.hand_over.signing import STATEMENTS
from gumboot.core.hand_over.visits import Visit, on_day, schedule, steps
from gumboot.core.land import Termination, best_wrench
from gumboot.core.land.entering import Entered, entry_body
from gumboot.core.link import ct
from gumboot.core.link.entering import entry_body as link_body
from gumboot.core.link.harness import Harness
from gumboot.core.link.measuring import faults, in_words, measuring
from gumboot.core.link.wiring import right
from gumboot.core.plan import Plan
from gumboot.core.set import keying
from gumboot.core.wake.steps import ON, steps_of
from gumboot.core.walk.entering import Entry as Walked
from gumboot.core.walk.entering import body_of
from gumboot.core.walk.entering import entry_body as walked
from gumboot.core.walk.step import Step
from gumboot.core.wall import drill_sheet
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from gumboot.demo.proven import instruments, proven
from gumboot.store import handing, records
from gumboot.store.database import see_crew
from gumboot.store.models import Crew, Job, Person, WrenchRow

PASSWORD = "boots-by-the-door"  # noqa: S105 - the demo's own, printed at start
PEOPLE = (("planner", "Merrin Tarn"), ("installer", "Osk Fellgate"), ("supervisor", "Ilse Quayle"))
OTHERS = (("planner", "Davin Crake"), ("supervisor", "Runa Selby"))
CREWS = (("Tidemark crew", "demo.example", PEOPLE), ("Other crew", "other.example", OTHERS))

WRENCHES = (  # name, serial, scale in N·m, class of ISO 6789, unit on the scale, address
    ("terminal driver", "MT-0077", 0.2, 1.2, "II-D", "N·m", ""),
    ("small driver", "MT-0412", 1.0, 6.0, "II-D", "both", ""),
    ("middle wrench", "MT-1187", 5.0, 25.0, "II-A", "both", ""),
    ("long wrench", "MT-2290", 20.0, 110.0, "II-A", "ft·lb", ""),
    ("recording wrench", "MT-3001", 3.0, 30.0, "I-C", "N·m", "127.0.0.1:7788"),
)


def load(make: sessionmaker[Session]) -> None:
    """Load the scenario into an empty database; does nothing when a crew is there already."""

    with make.begin() as db:
        if db.scalar(select(Crew.id).limit(1)):
            return
        secret = PasswordHasher().hash(PASSWORD)
        for crew_name, domain, people in CREWS:
            contact = {"phone": "555 0142", "email": f"crew@{domain}", "hours": "weekdays, 7 to 17"}
            crew = Crew(name=crew_name, second_asked="nobody", defaults={"contact": contact})
            db.add(crew)
            db.flush()
            see_crew(db, crew.id)
            for role, name in people:
                db.add(
                    Person(
                        crew_id=crew.id,
                        name=name,
                        email=f"{role}@{domain}",
                        role=role,
                        password_hash=secret,
                    )
                )
            if domain == "demo.example":
                until = date(datetime.now(UTC).year + 1, 3, 31)
                db.add_all(
                    WrenchRow(
                        crew_id=crew.id,
                        name=n,
                        serial=s,
                        least_nm=a,
                        most_nm=b,
                        calibrated_until=until,
                        iso_class=c,
                        scale=u,
                        address=x,
                    )
                    for n, s, a, b, c, u, x in WRENCHES
                )
                db.flush()
                instruments(db, crew.id)
                handed_over(db, crew.id)
                begun(db, crew.id)
                ended(db, crew.id)
                at_office(db, crew.id)


OFFICE = {  # stage, whose, days from now
    "Saltings Barn": ("on site", "Osk Fellgate", 0),
    "Juniper Cut": ("waiting", "Osk Fellgate", 9),
    "Tern Hollow": ("planned", "Merrin Tarn", 21),
}


def at_office(db: Session, crew_id: int) -> None:
    """How far each job is, who has it, and when."""
    people = {p.name: p.id for p in db.scalars(select(Person).where(Person.crew_id == crew_id))}
    for job in records.jobs(db):
        if job.name in OFFICE:
            job.stage, who, days = OFFICE[job.name]
            job.person_id = people[who]
            job.day = datetime.now(UTC).date() + timedelta(days=days)


def land(db: Session, job: Job, plan: Plan, first: int | None) -> None:
    """The first terminations made off (all when None), each reading with the best wrench; every
    eleventh
    a little low at first.
    """
    wrenches = records.wrenches(db)
    today = datetime.now(UTC).date()

    def keep(t: Termination, act: str, nm: float | None = None) -> None:
        wrench = best_wrench(t.torque.n, wrenches, today) if t.torque and nm else None
        state = records.state(db, job).termination(t.key, t.chain)
        kind, body = entry_body(
            Entered(t.key, t.label, act, typed=f"{nm} Nm" if nm else ""),
            t,
            state,
            wrench,
            today,
            others_since=False,
        )
        records.append(db, job, kind, body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))

    for t in design(plan, catalogue()).terminations[:first]:
        for state in t.chain:
            if state == "torqued" and t.torque:
                if t.number % 11 == 0:
                    keep(t, state, round(t.torque.n * 0.9, 2))
                keep(t, state, round(t.torque.n * (1 + (t.number % 5 - 2) / 100), 2))
            else:
                keep(t, state)


def drilled(db: Session, job: Job, plan: Plan) -> None:
    """Every hole of its walls ticked, one of them a little off."""
    for w in design(plan, catalogue()).walls:
        for d in drill_sheet(w):
            off = 2.0 if d.number == 3 else 0.0
            body = {
                "hole": d.hole.id,
                "label": d.label,
                "x_mm": d.x + off,
                "y_mm": d.y,
                "planned_mm": [d.x, d.y],
                "anchor": d.hole.anchor.label if d.hole.anchor else "",
                "digest": "",
                "note": "",
            }
            records.append(db, job, "drill", body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))


def linked(db: Session, job: Job, h: Harness, first: int | None) -> None:
    """The first steps of Link done (all when None), each reading as expected."""
    readings = {"dbm": "-61", "volt": "11.9"}
    for s in (s for s in h.steps[:first] if s.does != "ct"):
        typed = readings.get(s.does, "")
        if s.does == "ohm":
            typed = "open" if s.expects == "open" else f"{_inside(s):.3g}"
        elif s.does == "pins" and (lead := h.lead(s.shows)):
            typed = " ".join(f"{c.pin}={c.far_pin}" for c in lead.cable.cores if c.does != "shield")
        linked_step(db, job, h, s.key, typed)


def _inside(s: Step) -> float:
    """A reading within the limits of a step."""
    if s.least is None:
        return 0.6 * (s.most or 1.0)
    return s.least + 2 if s.most is None else (2 * s.least + s.most) / 3


def linked_step(db: Session, job: Job, h: Harness, key: str, typed: str) -> None:
    """One step of Link with what was read."""
    if step := h.step(key):
        body = link_body(h, Walked(key, step.title, "done", typed))
        records.append(db, job, "link", body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))


def woken(db: Session, job: Job, d: Design, share: float) -> None:
    """A share of the walk of Wake done, each reading as expected; rehearsed before it."""
    wake, steps = d.wake, steps_of(d)
    if wake is None:
        return
    for slips in (2, 0):
        body = {
            "scenario": "up",
            "acts": len(wake.way.up.acts) + slips,
            "slips": slips,
            "version": 1,
        }
        records.append(db, job, "rehearsal", body, PEOPLE[1][1], "installer", "")
    on = next((n for n, s in enumerate(steps) if s.stage == ON), 0)
    for n, s in enumerate(steps[: on + round(share * (len(steps) - on))]):
        typed = {"wait": f"after 0:{20 + n % 30}"}.get(s.does, "")
        if s.does == "megohm":
            typed = "> 200"
        elif s.does == "ohm":
            typed = "0.21"
        elif s.does == "volt" and s.least is not None:
            middle = (s.least + (s.most if s.most is not None else 1.1 * s.least)) / 2
            typed = f"{middle + (n % 5 - 2) * 0.002 * (s.most or middle):.4g}"
        body = walked(
            s, Walked(s.key, s.title, "done", typed, tool="multimeter 7" if typed else "")
        )
        records.append(db, job, "wake", body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))


def keyed(db: Session, job: Job, d: Design) -> None:
    """Every line of its menus keyed as it was planned."""
    menus = [d.menu(n) for n in range(1, d.plan.kit.inverters + 1)]
    for s in keying.steps_of(d.inverter, menus) if d.inverter else ():
        typed = {"key": s.lever, "text": "V1.08"}.get(s.does, "")
        body = body_of(s, Walked(s.key, s.title, "done", typed), "done")
        records.append(db, job, "set", body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))


def tested(db: Session, job: Job, d: Design, wrong: bool) -> None:
    """The transformers tested by steps until the engine is sure; the first one turned round where
    something is wrong.
    """
    m = (
        measuring(d.plan, d.inverter, None, d.harness.leads, "")
        if d.inverter and d.harness
        else None
    )
    if m is None:
        return
    wiring = list(right(m.setup))
    if wrong:
        wiring[0] = replace(wiring[0], turned=True)
    shown: list[ct.Shown] = []
    for n in range(4):
        found = ct.next_step(ct.believe(m.setup, shown), m.steps(40.0), 40.0)
        if found is None or (shown and ct.believe(m.setup, shown).sure):
            return
        step = found[0]
        before = [412.0 + 60 * k for k in range(len(wiring))]
        more = ct.shows(m.setup, tuple(wiring), step)
        after = [
            round(b + x + 9 * (k - n), 0) for k, (b, x) in enumerate(zip(before, more, strict=True))
        ]
        seen = tuple(a - b for a, b in zip(after, before, strict=True))
        shown.append(ct.Shown(step, seen, 40.0))
        belief = ct.believe(m.setup, shown)
        best = ct.explanations(belief, 1)[0]
        body = {
            "label": f"CT step {n + 1}",
            "act": "step",
            "drive": step.name,
            "watts": step.watts,
            "before": before,
            "after": after,
            "noise_w": 40.0,
            "source": "typed",
            "says": f"{100 * best.likely:.0f} %: {in_words(m, best.wiring)}",
            "note": "",
            "sound": belief.sure and not faults(m, best.wiring),
        }
        records.append(db, job, "ct", body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))


def finished(db: Session, crew_id: int, document: dict[str, Any]) -> tuple[Job, Design]:
    """A job whose every termination is made off, every check accepted, every test made, signed."""
    plan = Plan.model_validate(document)
    job = records.create_job(db, crew_id, plan, PEOPLE[0][1])
    drilled(db, job, plan)
    land(db, job, plan, None)
    made = design(plan, catalogue())
    if made.harness:
        linked(db, job, made.harness, None)
    tested(db, job, made, wrong=False)
    woken(db, job, made, 1.0)
    keyed(db, job, made)
    proven(db, job, made, PEOPLE[1][1], whole=True)
    delivered(db, job, made)
    for f in made.findings:
        if f.level is Level.CHECK:
            records.append(
                db,
                job,
                "accept",
                {
                    "finding": f.key,
                    "fingerprint": f.fingerprint,
                    "says": f.says,
                    "reason": "Seen on site and measured",
                },
                PEOPLE[2][1],
                "supervisor",
                "",
            )
    for f in made.duties:
        asked = f.asked.kind if f.asked else ""
        typed = {"voltage": "0.4 V", "time": "31 ms", "current": "10 kA"}.get(asked, "")
        done = {
            "duty": f.key,
            "fingerprint": f.fingerprint,
            "says": f.says,
            "typed": typed,
            "value": parse(typed, asked, made.plan.units) if typed else None,
            "verdict": "done",
            "note": "",
        }
        records.append(db, job, "duty", done, PEOPLE[1][1], "installer", "")
    signed(db, job, plan)
    return job, made


def delivered(db: Session, job: Job, d: Design) -> None:
    """The serials of its plates, as scanned at the door."""
    for n, own in enumerate(devices(d), 1):
        found, left = ("2.04", "2.11") if own.firmware else ("", "")
        plate = {"serial": f"{own.maker[:2].upper()}-26{n:02d}-{job.id:04d}", "kit": ""}
        firmware = {"firmware_found": found, "firmware_left": left}
        about = {"device": own.key, "label": own.label, "source": "camera", "note": ""}
        records.append(
            db, job, "serial", {**about, **plate, **firmware}, PEOPLE[1][1], "installer", ""
        )


def signed(db: Session, job: Job, plan: Plan) -> None:
    """A supervisor signs."""
    body = {
        "plan_version": job.version,
        "plan_digest": records.plan_digest(plan),
        "log_head": job.log_head,
        "statement": STATEMENTS["supervisor"],
    }
    records.append(db, job, "sign", body, PEOPLE[2][1], "supervisor", "")


OWNER = "Una Sedge"
SIGNATURE = "40,120 70,60 95,130 130,50 160,125 200,80;230,110 330,96 300,120"


def handed_over(db: Session, crew_id: int) -> None:
    """Heron Slip: signed by three and visited twice."""
    heron, made = finished(db, crew_id, HERON_SLIP)
    for part, name, licence, drawn in (
        ("licensed electrician", PEOPLE[0][1], "E-2231", ""),
        ("owner", OWNER, "", SIGNATURE),
    ):
        body = {
            **{"part": part, "name": name, "licence": licence, "drawn": drawn},
            "statement": STATEMENTS[part],
            "plan_version": heron.version,
            "plan_digest": records.plan_digest(made.plan),
            "log_head": heron.log_head,
            "pack": "",
        }
        role = "owner" if part == "owner" else "planner"
        records.append(db, heron, "signature", body, name, role, "")
    for visit in schedule(made)[:2]:
        visited(db, heron, made, visit)
    due(db, heron, schedule(made)[2])


def due(db: Session, job: Job, visit: Visit) -> None:
    """A job's next visit."""
    day = on_day(datetime.now(UTC).date(), visit.months)
    handing.set_visit(db, job.crew_id, job.id, (day, visit.months, visit.says))


def at(document: dict[str, Any], name: str, address: str) -> dict[str, Any]:
    """The same job at another place."""
    site: dict[str, Any] = document["site"]
    return {**document, "site": {**site, "name": name, "address": address}}


PLOVER_QUAY = at(MOSSBANK_TERRACE, "Plover Quay", "3 Plover Quay")
DUNLIN_END = at(JUNIPER_CUT, "Dunlin End", "Dunlin End, the old ferry")


def ended(db: Session, crew_id: int) -> None:
    """Plover Quay: signed, and opened again. Dunlin End: signed with tests declined."""
    plover, _ = finished(db, crew_id, PLOVER_QUAY)
    reason = {"reason": "The owner moves the board to the other wall in spring"}
    records.append(db, plover, "reopen", reason, PEOPLE[2][1], "supervisor", "")
    dunlin, own = finished(db, crew_id, DUNLIN_END)
    due(db, dunlin, schedule(own)[0])


def visited(db: Session, job: Job, d: Design, visit: Visit) -> None:
    """A visit as it was found: nothing changed but one state of charge, a little apart."""
    for s in steps(d, records.state(db, job), visit):
        typed = {"text": s.lever or "940", "megohm": "> 200", "percent": "1.5"}.get(s.does, "")
        body = walked(s, Walked(s.key, s.title, "done", typed))
        records.append(db, job, "visit", body, PEOPLE[1][1], "installer", "", str(uuid.uuid4()))


# As it was first drawn: two breakers for the change-over, and nothing that locks one by the other.
UNLOCKED = {
    **TERN_HOLLOW,
    "backup": {"loads": "whole house", "changeover": "loose breakers", "board_a": 200},
}


def begun(db: Session, crew_id: int) -> None:
    """Tern Hollow: planned with faults still in it, factory terminations checked. Saltings Barn and
    Mossbank Terrace: landed, linked, half way up. Juniper Cut: half landed.
    """
    for document, first, links in (
        (UNLOCKED, 7, 5),
        (SALTINGS_BARN, None, None),
        (MOSSBANK_TERRACE, None, None),
        (JUNIPER_CUT, 40, 3),
    ):
        plan = Plan.model_validate(document)
        job = records.create_job(db, crew_id, plan, PEOPLE[0][1])
        if first is None:
            drilled(db, job, plan)
        land(db, job, plan, first)
        made = design(plan, catalogue())
        if made.harness is None:
            continue
        linked(db, job, made.harness, links)
        if document is UNLOCKED:  # wired wrong, as the simulated meter and packs are
            linked_step(db, job, made.harness, "ohm.pack-1-pack-2.0", "40")
        if document in (UNLOCKED, MOSSBANK_TERRACE):
            tested(db, job, made, wrong=document is UNLOCKED)
        if links is None:  # at switch-on, half way; its last string a module short
            last = made.strings[-1].letter if made.strings else ""
            proven(db, job, made, PEOPLE[1][1], whole=False, short=last)
            woken(db, job, made, 0.5)
