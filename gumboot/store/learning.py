"""What a crew's own records add up to, counted by the database: nothing of it is kept, and nothing
leaves it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

QUARTER_H = 0.25  # an entry stands for the quarter of an hour it was made in: common practice
LOOSE = -0.05  # of the first reading: further down is loose, common practice
HOURS = """
with seen as (
  select j.id, coalesce(j.listed ->> 'supply', 'not known') as kind, case
           when e.kind in ('reading', 'step', 'settle') then 'Land'
           when e.kind in ('drill') then 'Wall'
           when e.kind in ('link', 'ct') then 'Link'
           when e.kind in ('wake', 'rehearsal') then 'Wake'
           when e.kind in ('set', 'readback') then 'Set'
           when e.kind in ('test', 'curve', 'search') then 'Prove'
           when e.kind in ('visit', 'fault', 'replaced') then 'After'
           else 'Hand over' end as station,
         count(distinct date_bin('15 minutes', e.at_server::timestamptz, timestamptz '2000-01-01'))
           * :quarter as hours
  from log_entry e, job j where e.job_id = j.id and j.crew_id = :crew group by 1, 2, 3)
select kind, station, count(*) as jobs, avg(hours) as hours from seen group by 1, 2
order by 1, 4 desc
"""
DAYS = """
with seen as (
  select j.id, coalesce(j.listed ->> 'supply', 'not known') as kind,
         count(distinct left(e.at_server, 10)) as days, bool_or(j.day is not null) as planned
  from log_entry e, job j
  where e.job_id = j.id and j.crew_id = :crew
    and e.kind in ('reading', 'step', 'drill', 'link', 'wake', 'set', 'test')
  group by 1, 2)
select kind, count(*) as jobs, count(*) filter (where planned) as planned,
       avg(days) as days, max(days) as most from seen group by 1 order by 1
"""
LOOSENED = """
with turns as (
  select e.job_id, e.termination, e.seq, (e.body::jsonb ->> 'torque_nm')::float as nm,
         coalesce(e.body::jsonb ->> 'turn', 'first') as turn,
         coalesce(e.body::jsonb -> 'wrench' ->> 'name', 'no tool') as tool,
         regexp_replace(split_part(e.termination, '@', 2), '[-.].*$', '') as device
  from log_entry e, job j
  where e.job_id = j.id and j.crew_id = :crew and e.kind = 'reading'
    and (e.body::jsonb ->> 'torque_nm')::float > 0),
first as (select distinct on (job_id, termination) * from turns where turn = 'first'
          order by job_id, termination, seq desc),
again as (select distinct on (job_id, termination) * from turns where turn = 'again'
          order by job_id, termination, seq)
select first.device, first.tool, count(*) as seen,
       count(*) filter (where again.nm / first.nm - 1 < :loose) as loose,
       avg(again.nm / first.nm - 1) as drift
from first join again using (job_id, termination) group by 1, 2 order by 4 desc, 3 desc limit 20
"""
RECUR = """
select regexp_replace(e.body::jsonb ->> 'finding', '[0-9]+|[.@].*$', '', 'g') as stem,
       count(distinct j.id) as jobs, max(e.body::jsonb ->> 'says') as says
from log_entry e, job j where e.job_id = j.id and j.crew_id = :crew and e.kind = 'accept'
    group by 1 order by 2 desc, 1 limit 12
"""
FIRST = """
with tried as (
  select distinct on (e.job_id, e.body::jsonb ->> 'step') e.job_id,
         regexp_replace(e.body::jsonb ->> 'step', '[.](pv-)?[A-Z](?=[.]|$)|[0-9]+', '', 'g')
           as stem,
         e.body::jsonb ->> 'label' as label, e.body::jsonb ->> 'verdict' as verdict
  from log_entry e, job j
  where e.job_id = j.id and j.crew_id = :crew and e.kind in ('test', 'wake')
    and e.body::jsonb ->> 'verdict' in ('done', 'outside')
  order by e.job_id, e.body::jsonb ->> 'step', e.seq)
select stem, regexp_replace(max(label), ' [A-Z](?=:|$)', '') as label, count(*) as tried,
       count(*) filter (where verdict = 'outside') as failed
from tried group by 1 having count(*) filter (where verdict = 'outside') > 0
order by 4 desc, 3 limit 12
"""
SCATTER = """
select e.who, coalesce(e.body::jsonb -> 'wrench' ->> 'name', 'no tool') as tool,
       left(e.at_server, 7) as month, count(*) as readings,
       avg((e.body::jsonb ->> 'torque_nm')::float / (e.body::jsonb ->> 'rated_nm')::float) as mean,
       coalesce(stddev_samp((e.body::jsonb ->> 'torque_nm')::float
                            / (e.body::jsonb ->> 'rated_nm')::float), 0) as spread
from log_entry e, job j
where e.job_id = j.id and j.crew_id = :crew and e.kind = 'reading'
    and (e.body::jsonb ->> 'torque_nm')::float > 0
  and (e.body::jsonb ->> 'rated_nm')::float > 0
group by 1, 2, 3 order by 3, 1, 2
"""
SAVED = """
with read as (
  select distinct on (j.id) j.id, j.name,
         substring(replace(e.body::jsonb ->> 'typed', ',', '.') from '-?[0-9]+[.]?[0-9]*')::float
           as paid, left(e.at_server, 10) as day
  from log_entry e, job j
  where e.job_id = j.id and j.crew_id = :crew and e.kind = 'visit'
    and e.body::jsonb ->> 'step' like 'visit.%.bill'
    and e.body::jsonb ->> 'verdict' = 'done'
  order by j.id, e.seq desc)
select read.name, read.paid, read.day, r.promised, r.without, r.currency from read
left join lateral (
  select (body::jsonb -> 'bills' ->> 'all')::float as promised,
         (body::jsonb -> 'bills' ->> 'nothing')::float as without,
         body::jsonb ->> 'currency' as currency
  from result where job_id = read.id and kind = 'year' and body is not null
  order by beat_at desc limit 1) r on true
where read.paid is not null order by read.day desc limit 50
"""


def learned(db: Session, crew_id: int) -> dict[str, Sequence[dict[str, Any]]]:
    """Rows of each question, as the database counts them now."""
    questions = {
        "hours": HOURS,
        "days": DAYS,
        "loose": LOOSENED,
        "recur": RECUR,
        "failed": FIRST,
        "scatter": SCATTER,
        "saved": SAVED,
    }
    asked = {"crew": crew_id, "quarter": QUARTER_H, "loose": LOOSE}
    return {k: [dict(r._mapping) for r in db.execute(text(q), asked)] for k, q in questions.items()}
