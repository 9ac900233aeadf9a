"""The demo scenario, all of it invented: jobs of every kind at different stages, a crew of three,
five wrenches; and a second crew of two, so that crews can be seen apart.

Tern Hollow is being planned, with honest faults in it, and its signals are wired wrong. Saltings
Barn and Juniper Cut are half landed, Mossbank Terrace is landed.
Heron Slip is landed, accepted and signed.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

from argon2 import PasswordHasher
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from gumboot.core.basis.finding import Level
from gumboot.core.basis.units import parse
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
from gumboot.demo.diary import Diary
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from gumboot.demo.proven import instruments, proven
from gumboot.store import handing, records
from gumboot.store.database import see_crew
from gumboot.store.models import Crew, Job, Person, WrenchRow

PASSWORD = "boots-by-the-door"  # noqa: S105 - the demo's own, printed at start
PEOPLE = (("planner", "Merrin Tarn"), ("installer", "Osk Fellgate"), ("supervisor", "Ilse Quayle"))
PLANNER, INSTALLER, SUPERVISOR = PEOPLE
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


def land(diary: Diary, first: int | None) -> None:
    """The first terminations made off (all when None), each reading with the best wrench; every
    eleventh
    a little low at first.
    """
    wrenches = records.wrenches(diary.db)
    today = datetime.now(UTC).date()

    def keep(t: Termination, act: str, nm: float | None = None) -> None:
        wrench = best_wrench(t.torque.n, wrenches, today) if t.torque and nm else None
        state = diary.state.termination(t.key, t.chain)
        kind, body = entry_body(
            Entered(t.key, t.label, act, typed=f"{nm} Nm" if nm else ""),
            t,
            state,
            wrench,
            today,
            others_since=False,
        )
        diary.wrote(kind, body, INSTALLER)

    for t in diary.design.terminations[:first]:
        for state in t.chain:
            if state == "torqued" and t.torque:
                if t.number % 11 == 0:
                    keep(t, state, round(t.torque.n * 0.9, 2))
                keep(t, state, round(t.torque.n * (1 + (t.number % 5 - 2) / 100), 2))
            else:
                keep(t, state)


def drilled(diary: Diary) -> None:
    """Every hole of its walls ticked, one of them a little off."""
    for w in diary.design.walls:
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
            diary.wrote("drill", body, INSTALLER)


def linked(diary: Diary, h: Harness, first: int | None) -> None:
    """The first steps of Link done (all when None), each reading as expected."""
    readings = {"dbm": "-61", "volt": "11.9"}
    for s in (s for s in h.steps[:first] if s.does != "ct"):
        typed = readings.get(s.does, "")
        if s.does == "ohm":
            typed = "open" if s.expects == "open" else f"{_inside(s):.3g}"
        elif s.does == "pins" and (lead := h.lead(s.shows)):
            typed = " ".join(f"{c.pin}={c.far_pin}" for c in lead.cable.cores if c.does != "shield")
        linked_step(diary, h, s.key, typed)


def _inside(s: Step) -> float:
    """A reading within the limits of a step."""
    if s.least is None:
        return 0.6 * (s.most or 1.0)
    return s.least + 2 if s.most is None else (2 * s.least + s.most) / 3


def linked_step(diary: Diary, h: Harness, key: str, typed: str) -> None:
    """One step of Link with what was read."""
    if step := h.step(key):
        body = link_body(h, Walked(key, step.title, "done", typed))
        diary.wrote("link", body, INSTALLER)


def woken(diary: Diary, share: float) -> None:
    """A share of the walk of Wake done, each reading as expected; rehearsed before it."""
    d = diary.design
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
        diary.wrote("rehearsal", body, INSTALLER)
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
        diary.wrote("wake", body, INSTALLER)


def keyed(diary: Diary) -> None:
    """Every line of its menus keyed as it was planned."""
    d = diary.design
    for s in keying.steps_of(d):
        typed = {"key": s.lever, "text": "V1.08"}.get(s.does, "")
        body = body_of(s, Walked(s.key, s.title, "done", typed), "done")
        diary.wrote("set", body, INSTALLER)


def tested(diary: Diary, wrong: bool) -> None:
    """The transformers tested by steps until the engine is sure; the first one turned round where
    something is wrong.
    """
    d = diary.design
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
        diary.wrote("ct", body, INSTALLER)


def opened(db: Session, crew_id: int, document: dict[str, Any]) -> Diary:
    """A new job of the crew."""
    plan = Plan.model_validate(document)
    return Diary(db, records.create_job(db, crew_id, plan, PEOPLE[0][1]), plan)


def finished(diary: Diary) -> None:
    """Every termination made off, every check accepted, every test made, signed."""
    made = diary.design
    drilled(diary)
    land(diary, None)
    if made.harness:
        linked(diary, made.harness, None)
    tested(diary, wrong=False)
    woken(diary, 1.0)
    keyed(diary)
    proven(diary, INSTALLER, whole=True)
    delivered(diary)
    for f in made.findings:
        if f.level is Level.CHECK:
            accepted = {
                "finding": f.key,
                "fingerprint": f.fingerprint,
                "says": f.says,
                "reason": "Seen on site and measured",
            }
            diary.wrote("accept", accepted, SUPERVISOR)
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
        diary.wrote("duty", done, INSTALLER)
    diary.wrote("sign", {**stands(diary), "statement": STATEMENTS["supervisor"]}, SUPERVISOR)


def delivered(diary: Diary) -> None:
    """The serials of its plates, as scanned at the door."""
    for n, own in enumerate(devices(diary.design), 1):
        found, left = ("2.04", "2.11") if own.firmware else ("", "")
        plate = {"serial": f"{own.maker[:2].upper()}-26{n:02d}-{diary.job.id:04d}", "kit": ""}
        firmware = {"firmware_found": found, "firmware_left": left}
        about = {"device": own.key, "label": own.label, "source": "camera", "note": ""}
        diary.wrote("serial", {**about, **plate, **firmware}, INSTALLER)


def stands(diary: Diary) -> dict[str, Any]:
    """What is signed: the plan and the log as they stand."""
    return {
        "plan_version": diary.job.version,
        "plan_digest": records.plan_digest(diary.plan),
        "log_head": diary.head,
    }


OWNER = "Una Sedge"
SIGNATURE = "40,120 70,60 95,130 130,50 160,125 200,80;230,110 330,96 300,120"


def handed_over(db: Session, crew_id: int) -> None:
    """Heron Slip: signed by three and visited twice."""
    heron = opened(db, crew_id, HERON_SLIP)
    finished(heron)
    for part, by, licence, drawn in (
        ("licensed electrician", PLANNER, "E-2231", ""),
        ("owner", ("owner", OWNER), "", SIGNATURE),
    ):
        body = {
            **{"part": part, "name": by[1], "licence": licence, "drawn": drawn, "pack": ""},
            **{**stands(heron), "statement": STATEMENTS[part]},
        }
        heron.wrote("signature", body, by)
    visits = schedule(heron.design)
    for visit in visits[:2]:
        visited(heron, visit)
    heron.keep()
    due(db, heron.job, visits[2])


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
    plover, dunlin = opened(db, crew_id, PLOVER_QUAY), opened(db, crew_id, DUNLIN_END)
    finished(plover)
    reason = {"reason": "The owner moves the board to the other wall in spring"}
    plover.wrote("reopen", reason, SUPERVISOR)
    plover.keep()
    finished(dunlin)
    dunlin.keep()
    due(db, dunlin.job, schedule(dunlin.design)[0])


def visited(diary: Diary, visit: Visit) -> None:
    """A visit as it was found: nothing changed but one state of charge, a little apart."""
    for s in steps(diary.design, diary.state, visit):
        typed = {"text": s.lever or "940", "megohm": "> 200", "percent": "1.5"}.get(s.does, "")
        diary.wrote("visit", walked(s, Walked(s.key, s.title, "done", typed)), INSTALLER)


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
        diary = opened(db, crew_id, document)
        if first is None:
            drilled(diary)
        land(diary, first)
        made = diary.design
        if made.harness:
            linked(diary, made.harness, links)
            if document is UNLOCKED:  # wired wrong, as the simulated meter and packs are
                linked_step(diary, made.harness, "ohm.pack-1-pack-2.0", "40")
            if document in (UNLOCKED, MOSSBANK_TERRACE):
                tested(diary, wrong=document is UNLOCKED)
            if links is None:  # at switch-on, half way; its last string a module short
                last = made.strings[-1].letter if made.strings else ""
                proven(diary, INSTALLER, whole=False, short=last)
                woken(diary, 0.5)
        diary.keep()
